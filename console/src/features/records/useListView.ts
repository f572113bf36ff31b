import { useLocation, useSearchParams } from "react-router";

interface Trail {
  /** Where the pages before this one began; kept with the place in the browser's history. */
  trail?: string[];
}

export interface ListView {
  q: string;
  /** The condition that chooses records: an expression. */
  where: string;
  sort: string;
  /** The page's number, from 1, and where it begins: the cursor that the page before gave. */
  page: number;
  after: string;
  search: (q: string) => void;
  filter: (where: string) => void;
  order: (sort: string) => void;
  onward: (cursor: string) => void;
  backward: () => void;
}

/** What part of a list is shown. All of it stands in the address, so Back returns to it and a link shares it. */
export function useListView(): ListView {
  const [params, setParams] = useSearchParams();
  const trail = (useLocation().state as Trail | null)?.trail ?? [];
  const q = params.get("q") ?? "";
  const after = params.get("after") ?? "";
  const page = after ? Math.max(2, Number(params.get("page")) || 2) : 1;
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
    // One step back leads out of a search, however many pauses it was typed with.
    search: (text) => go({ ...anew, q: text }, { replace: q !== "" && text !== "" }),
    filter: (where) => go({ ...anew, where }),
    order: (sort) => go({ ...anew, sort }),
    onward: (cursor) => go({ after: cursor, page: String(page + 1) }, { state: { trail: [...trail, after] } }),
    backward: () => {
      const before = trail.at(-1) ?? "";
      go({ after: before, page: before ? String(page - 1) : "" }, { state: { trail: trail.slice(0, -1) } });
    },
  };
}
