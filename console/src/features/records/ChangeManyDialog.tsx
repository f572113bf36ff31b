import Alert from "@mui/material/Alert";
import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState, type SyntheticEvent } from "react";
import { changeMany, refreshCollection } from "../../api/records";
import type { CollectionSchema, Fields } from "../../api/types";
import { isNullable } from "../../ui/fields";
import { innerKind, valueOf } from "./model";
import { SeenMany } from "./SeenMany";
import { useUndo } from "./useUndo";
import { ValueInput } from "./ValueInput";

interface Props {
  collection: string;
  schema: CollectionSchema;
  where: string;
  onClose: () => void;
}

/** Gives one field of all chosen records another value, once it is seen what that comes to. */
export function ChangeManyDialog({ collection, schema, where, onClose }: Props) {
  const client = useQueryClient();
  const undo = useUndo(collection);
  const fields = Object.entries(schema.properties).filter(
    ([, one]) =>
      !one.readOnly && !one["x-reserved"] && ["string", "number", "integer", "boolean"].includes([one.type].flat()[0] ?? ""),
  );
  const [name, setName] = useState(fields[0]?.[0] ?? "");
  const [typed, setTyped] = useState("");
  const field = schema.properties[name] ?? { type: "string" };
  const title = field.title ?? name;
  const change: Fields = { [name]: typed === "" ? null : valueOf(field, innerKind(field), typed) };
  const looking = useMutation({ mutationFn: () => changeMany(collection, where, change, null) });
  const changing = useMutation({
    mutationFn: (expect: number) => changeMany(collection, where, change, expect),
    onSuccess: async (found) => {
      undo.many(`${found.changed} of ${found.matched} records are changed.`, found.batch);
      await refreshCollection(client, collection);
      onClose();
    },
  });
  const anew = () => {
    looking.reset();
    changing.reset();
  };
  const submit = (event: SyntheticEvent) => {
    event.preventDefault();
    looking.mutate();
  };
  const seen = looking.data;
  const error = looking.error ?? changing.error;
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth="sm">
      <form onSubmit={submit}>
        <DialogTitle>Change what is chosen</DialogTitle>
        <DialogContent sx={{ display: "grid", gap: 2, "&&": { pt: 1 } }}>
          <TextField
            select
            label="Field"
            value={name}
            onChange={(event) => {
              setName(event.target.value);
              setTyped("");
              anew();
            }}
          >
            {fields.map(([one, { title: words }]) => (
              <MenuItem key={one} value={one}>
                {words ?? one}
              </MenuItem>
            ))}
          </TextField>
          <ValueInput
            field={field}
            value={typed}
            disabled={false}
            onChange={(text) => {
              setTyped(text);
              anew();
            }}
          />
          {typed === "" && isNullable(field) && (
            <Typography variant="body2" color="textSecondary">
              Without a value {title} is cleared.
            </Typography>
          )}
          {error && <Alert severity="error">{error.message}</Alert>}
          {seen && <SeenMany found={seen} done="changed" />}
        </DialogContent>
        <DialogActions>
          <Button onClick={onClose}>Cancel</Button>
          <Button type="submit" loading={looking.isPending}>
            See what would happen
          </Button>
          <Button
            variant="contained"
            disabled={!seen || seen.changed === 0}
            loading={changing.isPending}
            onClick={() => seen && changing.mutate(seen.matched)}
          >
            {seen ? `Change ${seen.changed}` : "Change"}
          </Button>
        </DialogActions>
      </form>
    </Dialog>
  );
}
