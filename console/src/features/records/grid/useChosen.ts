import { useState } from "react";
import { quoted } from "../filter";

export interface Chosen {
  ids: ReadonlySet<string>;
  /** Whether all that the list finds are chosen, on whichever page. */
  all: boolean;
  has: (id: string) => boolean;
  toggle: (id: string) => void;
  /** Chooses these, or none of them. */
  put: (ids: string[], on: boolean) => void;
  everything: () => void;
  nothing: () => void;
}

/** Records that can be chosen one by one: they stand in one condition. */
export const MOST_CHOSEN = 200;

/** The rows of a list that are chosen; `list` tells one list from another, and each begins with none. */
export function useChosen(list: string): Chosen {
  const [held, setHeld] = useState<{ list: string; ids: ReadonlySet<string>; all: boolean }>({
    list,
    ids: new Set(),
    all: false,
  });
  const now = held.list === list ? held : { list, ids: new Set<string>(), all: false };
  const set = (ids: Iterable<string>, all = false) => setHeld({ list, ids: new Set([...ids].slice(0, MOST_CHOSEN)), all });
  const put = (ids: string[], on: boolean) => {
    const given = new Set(ids);
    set(on ? new Set([...now.ids, ...ids]) : [...now.ids].filter((id) => !given.has(id)));
  };
  return {
    ids: now.ids,
    all: now.all,
    has: (id) => now.all || now.ids.has(id),
    toggle: (id) => put([id], !now.ids.has(id)),
    put,
    everything: () => set([], true),
    nothing: () => set([]),
  };
}

/** The condition that chooses them; `where` is the list's own. */
export const whereOf = (chosen: Pick<Chosen, "ids" | "all">, where: string): string =>
  chosen.all ? where.trim() || "true" : `id in [${[...chosen.ids].map(quoted).join(", ")}]`;
