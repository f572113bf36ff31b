import Alert from "@mui/material/Alert";
import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { deleteRecord, refreshCollection } from "../../api/records";
import { settled } from "../../ui/LeaveGuard";
import { useUndo } from "./useUndo";

interface Props {
  collection: string;
  recordKey: string;
  etag: string | null;
}

export function DeleteButton({ collection, recordKey, etag }: Props) {
  const client = useQueryClient();
  const navigate = useNavigate();
  const undo = useUndo(collection);
  const [open, setOpen] = useState(false);
  const remove = useMutation({
    mutationFn: () => deleteRecord(collection, recordKey, etag),
    onSuccess: async ({ request }) => {
      undo.one(`Deleted ${recordKey}. Its history is kept.`, recordKey, request, `${recordKey} is back.`);
      await navigate(`/c/${collection}`, { state: settled });
      await refreshCollection(client, collection);
    },
  });
  return (
    <>
      <Button color="error" onClick={() => setOpen(true)}>
        Delete…
      </Button>
      <Dialog open={open} onClose={() => setOpen(false)}>
        <DialogTitle>Delete {recordKey}?</DialogTitle>
        <DialogContent>
          The record goes from every list. Its history stays.
          {remove.isError && (
            <Alert severity="error" sx={{ mt: 2 }}>
              {remove.error.message}
            </Alert>
          )}
        </DialogContent>
        <DialogActions>
          <Button autoFocus onClick={() => setOpen(false)}>
            Keep it
          </Button>
          <Button color="error" variant="contained" loading={remove.isPending} onClick={() => remove.mutate()}>
            Delete
          </Button>
        </DialogActions>
      </Dialog>
    </>
  );
}
