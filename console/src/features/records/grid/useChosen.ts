import { useState } from "react";
import { quoted } from "../filter";

export interface Chosen {
  ids: ReadonlySet<string>;
  /** Whether all that the list finds are chosen, on whichever page: none of them can be left out. */
  all: boolean;
  has: (id: string) => boolean;
  /** Chooses a row, or not any more; with `through`, all from the last one so chosen to it, of these in order. */
  toggle: (id: string, through?: string[]) => void;
  /** Chooses these, or none of them. */
  put: (ids: string[], on: boolean) => void;
  everything: () => void;
  nothing: () => void;
}

interface Held {
  list: string;
  ids: ReadonlySet<string>;
  all: boolean;
  /** The row that was chosen or not last. */
  last: string;
}

/** Records that can be chosen one by one: they stand in one condition. */
export const MOST_CHOSEN = 200;

const NONE = { ids: new Set<string>(), all: false, last: "" };

/** The rows of a list that are chosen; `list` tells one list from another, and each begins with none. */
export function useChosen(list: string): Chosen {
  const [held, setHeld] = useState<Held>({ list, ...NONE });
  const of = (old: Held): Held => (old.list === list ? old : { list, ...NONE });
  // Of what is chosen at that moment: one click may say two things.
  const change = (ids: (old: Held) => Iterable<string>, last = "") =>
    setHeld((old) => {
      const now = of(old);
      return now.all ? now : { list, ids: new Set([...ids(now)].slice(0, MOST_CHOSEN)), all: false, last };
    });
  const now = of(held);
  return {
    ids: now.ids,
    all: now.all,
    has: (id) => now.all || now.ids.has(id),
    toggle: (id, through = []) =>
      change((old) => {
        const between = rangeOf(through, old.last, id);
        if (between !== null) return [...old.ids, ...between];
        return old.ids.has(id) ? [...old.ids].filter((one) => one !== id) : [...old.ids, id];
      }, id),
    put: (ids, on) => change((old) => (on ? [...old.ids, ...ids] : [...old.ids].filter((id) => !ids.includes(id))), ids.at(-1)),
    everything: () => setHeld({ list, ...NONE, all: true }),
    nothing: () => setHeld({ list, ...NONE }),
  };
}

/** Those from one to the other, both within; null where not both are among them. */
export function rangeOf(ids: string[], from: string, to: string): string[] | null {
  const [first, last] = [ids.indexOf(from), ids.indexOf(to)].sort((one, other) => one - other);
  return first === undefined || last === undefined || first < 0 ? null : ids.slice(first, last + 1);
}

/** The condition that chooses them; `where` is the list's own. */
export const whereOf = (chosen: Pick<Chosen, "ids" | "all">, where: string): string =>
  chosen.all ? where.trim() || "true" : `id in [${[...chosen.ids].map(quoted).join(", ")}]`;
