import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import TextField from "@mui/material/TextField";
import { useState, type SyntheticEvent } from "react";

interface Props {
  busy: boolean;
  onRefuse: (reason: string) => void;
  onClose: () => void;
}

/** Asks why something is refused. */
export function RefuseDialog({ busy, onRefuse, onClose }: Props) {
  const [reason, setReason] = useState("");
  const submit = (event: SyntheticEvent) => {
    event.preventDefault();
    if (reason.trim()) onRefuse(reason.trim());
  };
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth="sm">
      <form onSubmit={submit}>
        <DialogTitle>Refuse it?</DialogTitle>
        <DialogContent>
          <TextField
            autoFocus
            fullWidth
            required
            multiline
            label="Why"
            helperText="Kept with the proposal. Whoever sent it may be told."
            value={reason}
            onChange={(event) => setReason(event.target.value)}
            onKeyDown={(event) => {
              if (event.key === "Enter" && !event.shiftKey) submit(event);
            }}
            slotProps={{ htmlInput: { maxLength: 500 } }}
            sx={{ mt: 1 }}
          />
        </DialogContent>
        <DialogActions>
          <Button onClick={onClose}>Cancel</Button>
          <Button type="submit" variant="contained" disabled={!reason.trim()} loading={busy}>
            Refuse
          </Button>
        </DialogActions>
      </form>
    </Dialog>
  );
}
