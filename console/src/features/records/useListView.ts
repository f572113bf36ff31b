import { useLocation, useSearchParams } from "react-router";

interface Trail {
  /** Where the pages before this one began; kept with the place in the browser's history. */
  trail?: string[];
}

/** What of a view its list is shown by. */
export interface Shown {
  id: string;
  q: string;
  where: string;
  sort: string;
  columns: string[];
}

/** The `view` of an address that wants all records, whatever comes first. */
const ALL = "all";

export interface ListView {
  q: string;
  /** The condition that chooses records: an expression. */
  where: string;
  sort: string;
  /** The page's number, from 1, and where it begins: the cursor that the page before gave. */
  page: number;
  after: string;
  /** The columns to show, in order, each with its width behind a colon where it has one; none: as defined. */
  columns: string[];
  /** The id of the view that was opened, however the list was changed since. */
  kept: string;
  /** Whether the address asks for nothing at all, so that what comes first may be opened. */
  bare: boolean;
  search: (q: string) => void;
  filter: (where: string) => void;
  order: (sort: string) => void;
  arrange: (columns: string[]) => void;
  /** Shows the list as a view has it; null: all records, as defined. */
  open: (view: Shown | null, replace?: boolean) => void;
  /** Notes that the list as it is has been kept as this view. */
  keep: (id: string) => void;
  /** Where the pages before this one begin, as far as that is known. */
  trail: string[];
  /** Leads to the page with this number: where it begins, behind where those before it do. */
  turn: (page: number, cursors: string[], replace?: boolean) => void;
}

/** Pages that are remembered before the one that is shown: the browser keeps them with each place. */
const MOST_BEFORE = 400;

/** What part of a list is shown. All of it stands in the address, so Back returns to it and a link shares it. */
export function useListView(): ListView {
  const [params, setParams] = useSearchParams();
  const trail = (useLocation().state as Trail | null)?.trail ?? [];
  const q = params.get("q") ?? "";
  const after = params.get("after") ?? "";
  const page = after ? Math.max(2, Number(params.get("page")) || 2) : 1;
  const kept = params.get("view") ?? "";
  const go = (changes: Record<string, string>, options: { replace?: boolean; state?: Trail } = {}) =>
    setParams((old) => {
      const next = new URLSearchParams(old);
      for (const [name, value] of Object.entries(changes)) {
        if (value) next.set(name, value);
        else next.delete(name);
      }
      return next;
    }, options);
  const anew = { after: "", page: "" };
  return {
    q,
    where: params.get("where") ?? "",
    sort: params.get("sort") ?? "",
    page,
    after,
    columns: (params.get("columns") ?? "").split(",").filter((one) => one !== ""),
    kept: kept === ALL ? "" : kept,
    bare: params.size === 0,
    // One step back leads out of a search, however many pauses it was typed with.
    search: (text) => go({ ...anew, q: text }, { replace: q !== "" && text !== "" }),
    filter: (where) => go({ ...anew, where }),
    order: (sort) => go({ ...anew, sort }),
    arrange: (columns) => go({ columns: columns.join(",") }),
    open: (view, replace = false) => {
      const { id, q, where, sort, columns } = view ?? { id: ALL, q: "", where: "", sort: "", columns: [] };
      go({ ...anew, q, where, sort, columns: columns.join(","), view: id }, { replace });
    },
    keep: (id) => go({ view: id }, { replace: true }),
    trail,
    turn: (page, cursors, replace = false) => {
      const after = cursors.at(-1) ?? "";
      const before = cursors.slice(0, -1).slice(-MOST_BEFORE);
      go({ after, page: after ? String(page) : "" }, { replace, state: { trail: before } });
    },
  };
}
