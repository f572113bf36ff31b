import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import TextField from "@mui/material/TextField";
import { useState, type SyntheticEvent } from "react";
import { localMoment, utcMoment, zone } from "../../lib/text";

interface Props {
  onClose: () => void;
  /** Called with a moment in UTC. */
  onChosen: (since: string) => void;
}

const DAY = 86_400_000;

/** Asks since when all is to be sent again. */
export function SinceDialog({ onClose, onChosen }: Props) {
  const [since, setSince] = useState(() => localMoment(new Date(Date.now() - DAY).toISOString()));
  const submit = (event: SyntheticEvent) => {
    event.preventDefault();
    onChosen(utcMoment(since));
  };
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth="xs">
      <form onSubmit={submit}>
        <DialogTitle>Send again</DialogTitle>
        <DialogContent sx={{ "&&": { pt: 1 } }}>
          <TextField
            fullWidth
            autoFocus
            required
            type="datetime-local"
            label="All that came since"
            value={since}
            onChange={(event) => setSince(event.target.value)}
            helperText={`Time of ${zone}. What it has taken already comes once more, with the same id.`}
          />
        </DialogContent>
        <DialogActions>
          <Button onClick={onClose}>Cancel</Button>
          <Button type="submit" variant="contained">
            Send again
          </Button>
        </DialogActions>
      </form>
    </Dialog>
  );
}
