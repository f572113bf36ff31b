import { useLayoutEffect, useRef, useState } from "react";
import type { UseFormReturn } from "react-hook-form";
import { sameControl, type Draft } from "./model";

interface Theirs {
  /** The fields that others changed just now, and that nobody types in here. */
  news: string[];
  /** Those that both changed, each to something else. */
  both: string[];
  forget: () => void;
}

const NOTHING = { news: [] as string[], both: [] as string[] };

/** Takes into a form what others saved meanwhile: what was typed stays, everything else is brought up to date. */
export function useMerged(
  start: Draft,
  form: Pick<UseFormReturn<Draft>, "getValues" | "reset" | "setValue">,
  onBoth?: () => void,
): Theirs {
  const before = useRef(start);
  const [found, setFound] = useState(NOTHING);
  // Before anything can be pressed: sent by what is there already, what others changed would be taken for typed.
  useLayoutEffect(() => {
    const old = before.current;
    if (sameControl(old, start)) return;
    before.current = start;
    const values = form.getValues();
    const names = Object.keys(start);
    const typed = names.filter((name) => !sameControl(values[name], old[name]));
    const theirs = names.filter((name) => !sameControl(start[name], old[name]));
    const both = theirs.filter((name) => typed.includes(name) && !sameControl(values[name], start[name]));
    form.reset(start);
    for (const name of typed) form.setValue(name, values[name] ?? "", { shouldDirty: true });
    setFound((was) => ({
      news: theirs.filter((name) => !typed.includes(name)),
      both: [...new Set([...was.both.filter((name) => typed.includes(name)), ...both])],
    }));
    if (both.length > 0) onBoth?.();
  }, [start, form, onBoth]);
  return { ...found, forget: () => setFound(NOTHING) };
}
