import { useEffect } from "react";
import { useBlocker } from "react-router";
import { AskDialog } from "./AskDialog";

/** Given along with a way out that was earned: what was typed is saved, or its record is gone. */
export const settled = { settled: true };

function isSettled(state: unknown): boolean {
  return typeof state === "object" && state !== null && "settled" in state;
}

interface Props {
  unsaved: boolean;
  /** Whether another part of the same page keeps what is not saved. */
  within?: boolean;
}

/** Asks before somebody leaves with edits that are not saved. */
export function LeaveGuard({ unsaved, within = false }: Props) {
  const blocker = useBlocker(
    ({ currentLocation, nextLocation }) =>
      unsaved && !isSettled(nextLocation.state) && !(within && currentLocation.pathname === nextLocation.pathname),
  );
  useEffect(() => {
    if (!unsaved) return undefined;
    // Closing the tab, or another address: the browser asks in its own words.
    const ask = (event: BeforeUnloadEvent) => event.preventDefault();
    window.addEventListener("beforeunload", ask);
    return () => window.removeEventListener("beforeunload", ask);
  }, [unsaved]);
  return (
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
  );
}
