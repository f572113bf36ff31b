import Alert from "@mui/material/Alert";
import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import Typography from "@mui/material/Typography";
import type { Form, Preview } from "../../api/types";
import { shown } from "../../lib/text";
import { schemaAt, sentenceFor } from "../../ui/sentences";

interface Props {
  form: Form;
  preview: Preview;
  onSave: () => void;
  onClose: () => void;
}

/** What becomes of a record, in words. */
const DONE: Record<string, string> = {
  create: "is created",
  update: "changes",
  derive: "is worked out anew",
  delete: "is deleted",
  restore: "comes back",
};

/** What saving would change, as the service itself says, before anything is saved. */
export function PreviewDialog({ form, preview, onSave, onClose }: Props) {
  const labelOf = (name: string) => form.schema.properties[name]?.title ?? name;
  const changes = Object.entries(preview.changes);
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth="sm">
      <DialogTitle>What will be saved</DialogTitle>
      <DialogContent>
        {changes.length === 0 && <Typography>Nothing would change.</Typography>}
        {changes.map(([name, { before, after }]) => (
          <Typography key={name} sx={{ mb: 1, overflowWrap: "anywhere" }}>
            <b>{labelOf(name)}</b>: {shown(before)} → {shown(after)}
          </Typography>
        ))}
        {preview.consequences.length + preview.unseen > 0 && (
          <Typography variant="subtitle2" component="h3" sx={{ mt: 2, mb: 1 }}>
            What follows
          </Typography>
        )}
        {preview.consequences.map(({ collection, key, action, rule, notice, changes: changed }, place) => (
          <Typography key={place} variant="body2" sx={{ mb: 1, overflowWrap: "anywhere" }}>
            <b>{`${collection} ${String(key)}`}</b> {notice ? `leaves the notice ${notice}` : (DONE[action] ?? action)}
            {Object.entries(changed).map(([name, { before, after }]) => (
              <span key={name}>{`; ${name}: ${shown(before)} → ${shown(after)}`}</span>
            ))}
            {rule && <span style={{ opacity: 0.7 }}>{` (${rule})`}</span>}
          </Typography>
        ))}
        {preview.unseen > 0 && (
          <Typography variant="body2">{`${preview.unseen} more that you may not see, or that are too many to show.`}</Typography>
        )}
        {preview.errors.map((one) => (
          <Alert key={one.pointer + one.code} severity="error" sx={{ mt: 1 }}>
            {schemaAt(form.schema, one.pointer)?.title ?? one.pointer.slice(1)}:{" "}
            {sentenceFor(one, schemaAt(form.schema, one.pointer))}
          </Alert>
        ))}
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose}>Back</Button>
        <Button variant="contained" autoFocus disabled={changes.length === 0 || preview.errors.length > 0} onClick={onSave}>
          Save
        </Button>
      </DialogActions>
    </Dialog>
  );
}
