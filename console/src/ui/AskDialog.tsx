import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import type { ReactNode } from "react";

interface Props {
  open: boolean;
  title: string;
  /** What the way out is called, and the way that changes nothing. */
  yes: string;
  no: string;
  onYes: () => void;
  onNo: () => void;
  children: ReactNode;
}

/** Asks before something typed is lost; Escape and Enter lose nothing. */
export function AskDialog({ open, title, yes, no, onYes, onNo, children }: Props) {
  return (
    <Dialog open={open} onClose={onNo}>
      <DialogTitle>{title}</DialogTitle>
      <DialogContent>{children}</DialogContent>
      <DialogActions>
        <Button onClick={onYes}>{yes}</Button>
        <Button variant="contained" autoFocus onClick={onNo}>
          {no}
        </Button>
      </DialogActions>
    </Dialog>
  );
}
