import { useState } from "react";
import type { Page } from "../../api/types";
import { steadied, type Steady } from "./steady";

interface Held extends Steady {
  view: string;
  page: Page;
}

interface Shown {
  page: Page;
  /** The ids of rows that were changed just now. */
  changed: ReadonlySet<string>;
  fresh: number;
  moved: boolean;
  /** Shows the page as it is now. */
  show: () => void;
}

/** A page that follows what others change, while its rows stay where they are; another view begins anew. */
export function useSteady(page: Page | undefined, view: string): Shown | undefined {
  const [held, setHeld] = useState<Held>();
  if (page === undefined) return undefined;
  let found = held;
  if (found === undefined || found.view !== view || found.page !== page) {
    const steady =
      found?.view === view ? steadied(found.rows, page.items) : { rows: page.items, fresh: 0, moved: false, changed: [] };
    found = { ...steady, view, page };
    // Worked out of what was shown before, while it is shown anew.
    setHeld(found);
  }
  return {
    page: { ...page, items: found.rows },
    changed: new Set(found.changed),
    fresh: found.fresh,
    moved: found.moved,
    show: () => setHeld({ view, page, rows: page.items, fresh: 0, moved: false, changed: [] }),
  };
}
