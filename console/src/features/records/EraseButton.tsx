import Alert from "@mui/material/Alert";
import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import FormControlLabel from "@mui/material/FormControlLabel";
import FormGroup from "@mui/material/FormGroup";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { eraseFields } from "../../api/history";
import type { Form } from "../../api/types";
import { useTell } from "../../ui/messages";

interface Props {
  collection: string;
  recordKey: string;
  form: Form;
  onErased: () => Promise<unknown>;
}

/** Erases what sensitive fields hold and ever held, once somebody has said which, why, and that they mean it. */
export function EraseButton(props: Props) {
  const [open, setOpen] = useState(false);
  return (
    <>
      <Button color="error" onClick={() => setOpen(true)}>
        Erase…
      </Button>
      {open && <EraseDialog {...props} onClose={() => setOpen(false)} />}
    </>
  );
}

function EraseDialog({ collection, recordKey, form, onErased, onClose }: Props & { onClose: () => void }) {
  const client = useQueryClient();
  const tell = useTell();
  const [fields, setFields] = useState<string[]>([]);
  const [reason, setReason] = useState("");
  const [typed, setTyped] = useState("");
  const erase = useMutation({
    mutationFn: () => eraseFields(collection, recordKey, fields, reason),
    onSuccess: async (copies) => {
      onClose();
      const still =
        copies.length > 0 ? ` Copies of the database hold it still, until they are removed: ${copies.join(", ")}.` : "";
      tell(`Erased for good from ${recordKey}.${still}`);
      await onErased();
      await client.invalidateQueries();
    },
  });
  const toggle = (name: string) => setFields((old) => (old.includes(name) ? old.filter((one) => one !== name) : [...old, name]));
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth="sm">
      <DialogTitle>Erase for good</DialogTitle>
      <DialogContent>
        <Alert severity="warning" sx={{ mb: 2 }}>
          What you erase goes from this record, from every entry of its history and from the files of the service. Nobody can
          bring it back: not by undoing, not from an older version. That you erased it, and why, stays. Backups and files that
          were exported keep it until their holders see to them.
        </Alert>
        <FormGroup>
          {form.erasable.map((name) => (
            <FormControlLabel
              key={name}
              label={form.schema.properties[name]?.title ?? name}
              control={<Checkbox checked={fields.includes(name)} onChange={() => toggle(name)} />}
            />
          ))}
        </FormGroup>
        <TextField label="Why" value={reason} onChange={(event) => setReason(event.target.value)} sx={{ my: 2 }} required />
        <TextField
          label={`Type ${recordKey} to confirm`}
          value={typed}
          onChange={(event) => setTyped(event.target.value)}
          autoComplete="off"
        />
        {erase.error && (
          <Alert severity="error" sx={{ mt: 2 }}>
            {erase.error.message} {erase.error.errors.map((one) => one.detail).join(" ")}
          </Alert>
        )}
        {fields.length === 0 && (
          <Typography variant="body2" color="textSecondary" sx={{ mt: 1 }}>
            Choose what to erase.
          </Typography>
        )}
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose}>Keep it</Button>
        <Button
          color="error"
          variant="contained"
          disabled={fields.length === 0 || reason.trim() === "" || typed !== recordKey}
          loading={erase.isPending}
          onClick={() => erase.mutate()}
        >
          Erase for good
        </Button>
      </DialogActions>
    </Dialog>
  );
}
