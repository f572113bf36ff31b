import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import { useEffect } from "react";
import { useBlocker } from "react-router";

/** Given along with a way out that was earned: what was typed is saved, or its record is gone. */
export const settled = { settled: true };

function isSettled(state: unknown): boolean {
  return typeof state === "object" && state !== null && "settled" in state;
}

/** Asks before somebody leaves with edits that are not saved. */
export function LeaveGuard({ unsaved }: { unsaved: boolean }) {
  const blocker = useBlocker(({ nextLocation }) => unsaved && !isSettled(nextLocation.state));
  useEffect(() => {
    if (!unsaved) return undefined;
    // Closing the tab, or another address: the browser asks in its own words.
    const ask = (event: BeforeUnloadEvent) => event.preventDefault();
    window.addEventListener("beforeunload", ask);
    return () => window.removeEventListener("beforeunload", ask);
  }, [unsaved]);
  return (
    <Dialog open={blocker.state === "blocked"} onClose={() => blocker.reset?.()}>
      <DialogTitle>Leave without saving?</DialogTitle>
      <DialogContent>What you changed here is not saved, and would be lost.</DialogContent>
      <DialogActions>
        <Button onClick={() => blocker.proceed?.()}>Leave</Button>
        <Button variant="contained" autoFocus onClick={() => blocker.reset?.()}>
          Stay
        </Button>
      </DialogActions>
    </Dialog>
  );
}
