import Alert from "@mui/material/Alert";
import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { deletingOf, deleteMany, refreshCollection } from "../../api/records";
import { Waiting } from "../../ui/Waiting";
import { SeenMany } from "./SeenMany";
import { useUndo } from "./useUndo";

interface Props {
  collection: string;
  where: string;
  onClose: () => void;
  onDeleted: () => void;
}

/** Deletes the chosen records, once it is seen what that comes to. */
export function DeleteManyDialog({ collection, where, onClose, onDeleted }: Props) {
  const client = useQueryClient();
  const undo = useUndo(collection);
  const looked = useQuery(deletingOf(collection, where));
  const deleting = useMutation({
    mutationFn: (expect: number) => deleteMany(collection, where, expect),
    onSuccess: async (found) => {
      onDeleted();
      undo.many(`Deleted ${found.changed} of ${found.matched}. Their history is kept.`, found.batch);
      await refreshCollection(client, collection);
    },
    // Others changed what is chosen: it is looked at again.
    onError: () => looked.refetch(),
  });
  const seen = looked.data;
  const error = looked.error ?? deleting.error;
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth="sm">
      <DialogTitle>Delete what is chosen?</DialogTitle>
      <DialogContent>
        {looked.isPending && <Waiting what="what would be deleted" />}
        {error && (
          <Alert severity="error" sx={{ mb: 1 }}>
            {error.message}
          </Alert>
        )}
        {seen && <SeenMany found={seen} done="deleted" />}
      </DialogContent>
      <DialogActions>
        <Button autoFocus onClick={onClose}>
          Keep them
        </Button>
        <Button
          color="error"
          variant="contained"
          disabled={!seen || seen.changed === 0}
          loading={deleting.isPending}
          onClick={() => seen && deleting.mutate(seen.matched)}
        >
          {seen ? `Delete ${seen.changed}` : "Delete"}
        </Button>
      </DialogActions>
    </Dialog>
  );
}
