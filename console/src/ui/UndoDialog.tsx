import Alert from "@mui/material/Alert";
import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import Typography from "@mui/material/Typography";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { undo, undoingOf, type Undo, type Undoing } from "../api/history";
import type { CollectionSchema } from "../api/types";
import { isObject, type Json } from "../lib/json";
import { shown } from "../lib/text";
import { Change, type ChangeOf } from "./Change";
import { useTell } from "./messages";
import { Waiting } from "./Waiting";

interface Props {
  /** With `each`, what stands in the way of one change leaves the others to be undone. */
  what: Undo;
  schema?: CollectionSchema | undefined;
  onClose: () => void;
}

/** Changes that are told one by one. */
const SHOWN = 50;

/** What stands in the way of some of it, and what there was no time for. */
const leftIn = ({ refused, left }: Pick<Undoing, "refused" | "left">): string =>
  (refused > 0 ? `, ${refused} left as they are` : "") + (left > 0 ? `, ${left} not reached: undo it once more` : "");

const DONE: Record<string, string> = {
  update: "is changed back",
  delete: "is deleted",
  restore: "comes back",
  nothing: "is as it was already",
};

/** What undoing would do, as the service itself says, and what stands in its way; then it is done. */
export function UndoDialog({ what, schema, onClose }: Props) {
  const client = useQueryClient();
  const tell = useTell();
  const each = "batch" in what && what.each === true;
  const looked = useQuery(undoingOf(what));
  const undoing = useMutation({
    mutationFn: () => undo(what),
    onSuccess: async (found) => {
      onClose();
      tell(`Undone: ${found.undone === 1 ? "one save" : `${found.undone} changes`}${leftIn(found)}.`);
      await client.invalidateQueries();
    },
    // Somebody was quicker: what stands in the way now is told by looking again.
    onError: () => looked.refetch(),
  });
  const found = looked.data;
  const nothing = (found?.undone ?? 0) === 0;
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth="sm">
      <DialogTitle>{"sequence" in what ? "What undoing this save would do" : "What undoing this batch would do"}</DialogTitle>
      <DialogContent>
        {looked.isPending && <Waiting what="what it would do" />}
        {looked.error && <Alert severity="error">{looked.error.message}</Alert>}
        {found && found.items.length > SHOWN && (
          <Typography sx={{ mb: 1 }}>
            {found.undone} changes would be undone{leftIn(found)}. The first {SHOWN}:
          </Typography>
        )}
        {found?.items.slice(0, SHOWN).map((one) => (
          <Item key={one.sequence} item={one} schema={schema} />
        ))}
        {found?.items.length === 0 && <Typography>There is nothing to undo.</Typography>}
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose}>Back</Button>
        <Button
          variant="contained"
          disabled={!found || (!each && found.refused > 0) || nothing}
          loading={undoing.isPending}
          onClick={() => undoing.mutate()}
        >
          Undo
        </Button>
      </DialogActions>
    </Dialog>
  );
}

function Item({ item, schema }: { item: Undoing["items"][number]; schema?: CollectionSchema | undefined }) {
  const title = (name: string) => schema?.properties[name]?.title ?? name;
  if (item.problem) {
    const problem = item.problem as Record<string, Json>;
    const conflicts = Array.isArray(problem["conflicts"]) ? problem["conflicts"].filter(isObject) : [];
    return (
      <Alert severity="warning" sx={{ mb: 1 }}>
        <b>{String(item.key)}</b>: {shown(problem["detail"])}
        {conflicts.map((one) => (
          <div key={shown(one["pointer"])}>
            {title(shown(one["pointer"]).slice(1))}: now {shown(one["current"])}, would be {shown(one["yours"])}
          </div>
        ))}
      </Alert>
    );
  }
  return (
    <Typography component="div" sx={{ mb: 1, overflowWrap: "anywhere" }}>
      <b>{String(item.key)}</b> {DONE[item.did] ?? item.did}
      {Object.entries(item.changes).map(([name, change]) => (
        <div key={name}>
          {title(name)}: <Change change={change as ChangeOf} />
        </div>
      ))}
    </Typography>
  );
}
