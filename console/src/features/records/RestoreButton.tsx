import Alert from "@mui/material/Alert";
import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import Typography from "@mui/material/Typography";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { restoreRecord, restoringOf } from "../../api/history";
import type { CollectionSchema } from "../../api/types";
import { Change } from "../../ui/Change";
import { useTell } from "../../ui/messages";
import { Waiting } from "../../ui/Waiting";
import { schemaAt, sentenceFor } from "../../ui/sentences";

interface Props {
  collection: string;
  recordKey: string;
  /** The version to go back to; null brings a deleted record back as it was last. */
  version: number | null;
  schema?: CollectionSchema | undefined;
}

/** Takes a record back, once it was seen what that changes. */
export function RestoreButton(props: Props) {
  const [open, setOpen] = useState(false);
  return (
    <>
      <Button variant="contained" onClick={() => setOpen(true)}>
        {props.version === null ? "Bring it back…" : `Go back to version ${props.version}…`}
      </Button>
      {open && <RestoreDialog {...props} onClose={() => setOpen(false)} />}
    </>
  );
}

function RestoreDialog({ collection, recordKey, version, schema, onClose }: Props & { onClose: () => void }) {
  const client = useQueryClient();
  const tell = useTell();
  const navigate = useNavigate();
  const looked = useQuery(restoringOf(collection, recordKey, version));
  const restore = useMutation({
    mutationFn: () => restoreRecord(collection, recordKey, version),
    onSuccess: async (row) => {
      tell(row === null ? `${recordKey} is back. You may not see it.` : `${recordKey} is back, at version ${row.version}.`);
      await client.invalidateQueries();
      await navigate(row === null ? `/c/${collection}` : `/c/${collection}/r/${encodeURIComponent(recordKey)}`);
    },
  });
  const changes = Object.entries(looked.data?.changes ?? {});
  const errors = looked.data?.errors ?? [];
  const trouble = looked.error ?? restore.error;
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth="sm">
      <DialogTitle>What this would change</DialogTitle>
      <DialogContent>
        {looked.isPending && <Waiting what="what it would change" />}
        {trouble && <Alert severity="error">{trouble.message}</Alert>}
        {looked.data && changes.length === 0 && <Typography>Nothing: the record is like that now.</Typography>}
        {changes.map(([name, change]) => (
          <Typography key={name} component="div" sx={{ mb: 0.5, overflowWrap: "anywhere" }}>
            {schema?.properties[name]?.title ?? name}: <Change change={change} />
          </Typography>
        ))}
        {errors.map((one) => (
          <Alert key={one.pointer + one.code} severity="error" sx={{ mt: 1 }}>
            {(schema && schemaAt(schema, one.pointer)?.title) ?? one.pointer.slice(1)}:{" "}
            {schema ? sentenceFor(one, schemaAt(schema, one.pointer)) : one.detail}
          </Alert>
        ))}
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose}>Back</Button>
        <Button
          variant="contained"
          disabled={changes.length === 0 || errors.length > 0}
          loading={restore.isPending}
          onClick={() => restore.mutate()}
        >
          {version === null ? "Bring it back" : "Go back"}
        </Button>
      </DialogActions>
    </Dialog>
  );
}
