import Button from "@mui/material/Button";
import LinearProgress from "@mui/material/LinearProgress";
import Paper from "@mui/material/Paper";
import Typography from "@mui/material/Typography";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { Link } from "react-router";
import { createFormOf } from "../../api/collections";
import { createRecord, refreshCollection } from "../../api/records";
import type { CollectionInfo, Form } from "../../api/types";
import { inSentence } from "../../lib/text";
import { textOf } from "../../ui/fields";
import { Trouble } from "../../ui/Trouble";
import { draftFrom, fieldsFrom, newAddress, type Draft } from "./model";
import { RecordForm } from "./RecordForm";
import { useUndo } from "./useUndo";

interface Props {
  info: CollectionInfo;
  /** The columns of the list. */
  columns: string[];
  /** What is filled in already. */
  given?: Draft;
  onClose: () => void;
}

/** A row to fill in above a list: its columns, and what else must be given. It stays, for the next one. */
export function NewRow({ info, columns, given = {}, onClose }: Props) {
  const collection = info.name;
  const client = useQueryClient();
  const undo = useUndo(collection);
  const box = useRef<HTMLDivElement>(null);
  const [made, setMade] = useState(0);
  const found = useQuery(createFormOf(collection));
  const form = found.data && narrowed(found.data, columns);
  const ready = form !== undefined;
  useEffect(() => box.current?.querySelector<HTMLInputElement>("form input")?.focus(), [ready, made]);
  const create = useMutation({
    mutationFn: (draft: Draft) => createRecord(collection, form ? fieldsFrom(form, draft) : {}),
    onSuccess: async ({ saved: row, request }) => {
      const key = textOf(row[info.key]);
      const seen = row.version !== undefined;
      const told = `Created ${key}.${seen ? "" : " You may not see it."}`;
      undo.one(told, key, request, `Undone: ${key} is not there any more.`);
      // What is proposed for the next one, such as its number, may be another.
      await found.refetch();
      setMade((count) => count + 1);
      await refreshCollection(client, collection);
    },
  });
  if (found.isError) return <Trouble title="No row can be added" error={found.error} retry={found.refetch} />;
  return (
    <Paper
      ref={box}
      variant="outlined"
      component="section"
      aria-label={`New ${inSentence(info.singular)}`}
      sx={{ p: 2.5, mb: 2, "& form": { gridTemplateColumns: { md: "1fr 1fr 1fr", lg: "repeat(4, 1fr)" } } }}
    >
      <Typography variant="h2" sx={{ mb: 2 }}>
        New {inSentence(info.singular)}
      </Typography>
      {form ? (
        <RecordForm
          key={made}
          form={form}
          start={{ ...draftFrom(form), ...given }}
          busy={create.isPending}
          error={create.error}
          submitLabel="Create"
          label={`New ${inSentence(info.singular)}`}
          always
          within
          onSubmit={(draft) => create.mutate(draft)}
          onCancel={onClose}
        >
          <Button component={Link} to={newAddress(collection, given)}>
            All fields
          </Button>
        </RecordForm>
      ) : (
        <LinearProgress aria-label="Opening the row" />
      )}
    </Paper>
  );
}

/** Of a form, the columns and what must be given. */
function narrowed(form: Form, columns: string[]): Form {
  const shown = ([name]: [string, unknown]) => columns.includes(name) || form.schema.required.includes(name);
  const properties = Object.fromEntries(
    Object.entries(form.schema.properties)
      .filter(shown)
      .filter(([name]) => form.writable.includes(name)),
  );
  return { ...form, schema: { ...form.schema, properties }, writable: form.writable.filter((name) => name in properties) };
}
