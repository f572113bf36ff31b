import { createContext, useContext, useEffect, useState, type ReactNode } from "react";
import { useBlocker } from "react-router";
import { AskDialog } from "./AskDialog";

/** Given along with a way out that was earned: what was typed is saved, or its record is gone. */
export const settled = { settled: true };

function isSettled(state: unknown): boolean {
  return typeof state === "object" && state !== null && "settled" in state;
}

interface Guarded {
  /** Whether another part of the same page keeps what is not saved. */
  within: boolean;
}

type Guards = Set<Guarded>;

const GuardContext = createContext<Guards | null>(null);

/** Asks before somebody leaves with edits that are not saved, wherever on the page they are: a router asks only once. */
export function LeaveProvider({ children }: { children: ReactNode }) {
  const [guards] = useState<Guards>(() => new Set());
  const blocker = useBlocker(({ currentLocation, nextLocation }) => {
    const stays = currentLocation.pathname === nextLocation.pathname;
    return !isSettled(nextLocation.state) && [...guards].some((one) => !(one.within && stays));
  });
  return (
    <GuardContext value={guards}>
      {children}
      <AskDialog
        open={blocker.state === "blocked"}
        title="Leave without saving?"
        yes="Leave"
        no="Stay"
        onYes={() => blocker.proceed?.()}
        onNo={() => blocker.reset?.()}
      >
        What you changed here is not saved, and would be lost.
      </AskDialog>
    </GuardContext>
  );
}

interface Props {
  unsaved: boolean;
  within?: boolean;
}

/** Has it asked before somebody leaves, while there are edits that are not saved. */
export function LeaveGuard({ unsaved, within = false }: Props) {
  const guards = useContext(GuardContext);
  if (guards === null) throw new Error("LeaveGuard needs a LeaveProvider above it.");
  useEffect(() => {
    if (!unsaved) return undefined;
    const guard = { within };
    guards.add(guard);
    // Closing the tab, or another address: the browser asks in its own words.
    const ask = (event: BeforeUnloadEvent) => event.preventDefault();
    window.addEventListener("beforeunload", ask);
    return () => {
      guards.delete(guard);
      window.removeEventListener("beforeunload", ask);
    };
  }, [unsaved, within, guards]);
  return null;
}
