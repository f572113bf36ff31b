import { useState } from "react";
import type { Page } from "../../api/types";
import { steadied, type Steady } from "./steady";
import { joined, widened, type Part, type Span } from "./window";

interface Held extends Steady {
  view: string;
  page: Page;
  parts: Part[];
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

/** Pages that follow what others change, while their rows stay where they are; another view begins anew. */
export function useSteady(parts: Part[], view: string): Shown | undefined {
  const [held, setHeld] = useState<Held>();
  let found = held;
  if (found === undefined || found.view !== view || !same(found.parts, parts)) {
    const page = joined(parts);
    if (page === undefined) return undefined;
    const shown = found?.view === view ? widened(found.rows, spanOf(found.parts), parts) : null;
    found = { ...(shown ? steadied(shown, page.items) : asItIs(page)), view, page, parts };
    // Worked out of what was shown before, while it is shown anew.
    setHeld(found);
  }
  const { page, rows, changed, fresh, moved } = found;
  return {
    page: { ...page, items: rows },
    changed: new Set(changed),
    fresh,
    moved,
    show: () => setHeld({ ...asItIs(page), view, page, parts }),
  };
}

const asItIs = (page: Page): Steady => ({ rows: page.items, fresh: 0, moved: false, changed: [] });
const spanOf = (parts: Part[]): Span => ({ first: parts[0]?.number ?? 0, last: parts.at(-1)?.number ?? 0 });
const same = (some: Part[], others: Part[]): boolean =>
  some.length === others.length &&
  some.every((one, place) => one.number === others[place]?.number && one.page === others[place].page);
