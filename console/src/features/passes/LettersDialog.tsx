import Alert from "@mui/material/Alert";
import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogContentText from "@mui/material/DialogContentText";
import DialogTitle from "@mui/material/DialogTitle";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { writeLetters } from "../../api/passes";
import type { CollectionInfo } from "../../api/types";
import { saveAs } from "../../lib/save";
import { useTell } from "../../ui/messages";

interface Props {
  info: CollectionInfo;
  where: string;
  /** How many records the list has. */
  count: number | undefined;
  onClose: () => void;
}

/** A link for each record of the list, in one file: for a letter to everybody. */
export function LettersDialog({ info, where, count, onClose }: Props) {
  const client = useQueryClient();
  const tell = useTell();
  const templates = info.passes.filter((one) => !one.lists);
  const [template, setTemplate] = useState(templates[0]?.name ?? "");
  const write = useMutation({
    mutationFn: () => writeLetters(client, info.name, template, { q: "", where }),
    onSuccess: (file) => {
      saveAs(file, `letters-${info.name}.csv`);
      tell("The file with the links is saved.");
      onClose();
    },
  });
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth="sm">
      <DialogTitle>A letter to everybody</DialogTitle>
      <DialogContent>
        <DialogContentText sx={{ mb: 2 }}>
          Makes a link for each of the {count ?? ""} records of this list that you may hand out passes for, and saves a file with
          key, name and link of each. Whoever has a link can use it.
        </DialogContentText>
        <TextField
          select
          fullWidth
          label="What the link lets its holder do"
          value={template}
          onChange={(event) => setTemplate(event.target.value)}
        >
          {templates.map((one) => (
            <MenuItem key={one.name} value={one.name}>
              {one.title}, for {one.days} days
            </MenuItem>
          ))}
        </TextField>
        {write.isError && (
          <Alert severity="error" sx={{ mt: 2 }}>
            {write.error.message}
          </Alert>
        )}
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose}>Cancel</Button>
        <Button variant="contained" loading={write.isPending} onClick={() => write.mutate()}>
          Make the links
        </Button>
      </DialogActions>
    </Dialog>
  );
}
