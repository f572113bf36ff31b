import Alert from "@mui/material/Alert";
import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import FormControlLabel from "@mui/material/FormControlLabel";
import TextField from "@mui/material/TextField";
import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { createRecord } from "../../../api/records";
import type { CollectionInfo, Fields } from "../../../api/types";

interface Props {
  home: CollectionInfo;
  /** What the list is shown by now. */
  fields: Fields;
  /** Whether a view here can say that it opens first. */
  opensFirst: boolean;
  onSaved: (id: string, title: string) => void;
  onClose: () => void;
}

/** Keeps a list as it is shown under a title. */
export function SaveViewDialog({ home, fields, opensFirst, onSaved, onClose }: Props) {
  const [title, setTitle] = useState("");
  const [first, setFirst] = useState(false);
  const keep = useMutation({
    mutationFn: () => createRecord(home.name, { ...fields, title: title.trim(), ...(first ? { first } : {}) }),
    onSuccess: ({ saved }) => onSaved(saved.id ?? "", title.trim()),
  });
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth="xs" aria-labelledby="keep-title">
      <form
        onSubmit={(event) => {
          event.preventDefault();
          if (title.trim() !== "") keep.mutate();
        }}
      >
        <DialogTitle id="keep-title">Keep this view</DialogTitle>
        <DialogContent>
          {keep.error && (
            <Alert severity="error" sx={{ mb: 2 }}>
              {[keep.error.message, ...keep.error.errors.map((one) => one.detail)].join(" ")}
            </Alert>
          )}
          <TextField
            label="Title"
            value={title}
            autoFocus
            required
            helperText="Its filter, words, order and columns are kept, for you alone."
            onChange={(event) => setTitle(event.target.value)}
            sx={{ mt: 1 }}
          />
          {opensFirst && (
            <FormControlLabel
              label="Open the list like this"
              control={<Checkbox checked={first} onChange={(event) => setFirst(event.target.checked)} />}
            />
          )}
        </DialogContent>
        <DialogActions>
          <Button onClick={onClose}>Cancel</Button>
          <Button type="submit" variant="contained" loading={keep.isPending} disabled={title.trim() === ""}>
            Keep
          </Button>
        </DialogActions>
      </form>
    </Dialog>
  );
}
