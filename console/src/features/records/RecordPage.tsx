import Alert from "@mui/material/Alert";
import Box from "@mui/material/Box";
import Link from "@mui/material/Link";
import Paper from "@mui/material/Paper";
import Typography from "@mui/material/Typography";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link as RouterLink, useParams } from "react-router";
import { updateRecord } from "../../api/records";
import type { Form } from "../../api/types";
import { shown } from "../../lib/text";
import { useTell } from "../../ui/messages";
import { Trouble } from "../../ui/Trouble";
import { Waiting } from "../../ui/Waiting";
import { DeleteButton } from "./DeleteButton";
import { HistoryPanel } from "./HistoryPanel";
import { changedNames, draftFrom, patchFrom, type Draft } from "./model";
import { formOf, refreshCollection } from "./queries";
import { RecordForm } from "./RecordForm";

export function RecordPage() {
  const { collection = "", recordKey = "" } = useParams();
  return <Opened key={`${collection}/${recordKey}`} collection={collection} recordKey={recordKey} />;
}

interface Opened { collection: string; recordKey: string }

function Opened({ collection, recordKey }: Opened) {
  const form = useQuery(formOf(collection, recordKey));
  if (form.isPending) return <Waiting what="the record" />;
  if (form.isError) return <Trouble error={form.error} retry={form.refetch} />;
  const naming = form.data.values[form.data.schema["x-naming"]];
  return (
    <>
      <Link component={RouterLink} to={`/c/${collection}`} underline="hover">
        ← {form.data.schema.title}
      </Link>
      <Typography variant="h1" sx={{ mt: 0.5, mb: 2 }}>
        {recordKey}
        {naming !== undefined && shown(naming) !== recordKey && ` · ${shown(naming)}`}
      </Typography>
      <Box sx={{ display: "grid", gap: 3, gridTemplateColumns: { xs: "1fr", lg: "minmax(0, 3fr) minmax(0, 2fr)" }, alignItems: "start" }}>
        <Paper variant="outlined" sx={{ p: 2.5 }}>
          <Editor collection={collection} recordKey={recordKey} form={form.data} reload={async () => (await form.refetch()).data} />
        </Paper>
        <HistoryPanel collection={collection} recordKey={recordKey} />
      </Box>
    </>
  );
}

interface EditorProps extends Opened { form: Form; reload: () => Promise<Form | undefined> }

/** The form and what happens to it: saved, refused, or overtaken by somebody else's change. */
function Editor({ collection, recordKey, form, reload }: EditorProps) {
  const client = useQueryClient();
  const tell = useTell();
  // What somebody else's change left of the typed values, to begin the newer form with.
  const [carried, setCarried] = useState<Draft | null>(null);
  const save = useMutation({
    mutationFn: (draft: Draft) => updateRecord(collection, recordKey, patchFrom(form, draft), form.etag),
    onSuccess: async (row) => {
      await reload();
      setCarried(null);
      tell(`Saved. ${recordKey} is at version ${row.version} now.`);
      await refreshCollection(client, collection);
    },
    onError: async (error, draft) => {
      if (!error.isStale) return;
      const newer = await reload();
      if (newer) setCarried({ ...draftFrom(newer), ...pick(draft, changedNames(form, draft)) });
      await refreshCollection(client, collection);
    },
  });
  const stale = save.error?.isStale === true;
  return (
    <>
      {stale && (
        <Alert severity="warning" sx={{ mb: 2 }}>
          Somebody changed this record while you were editing. What you typed is kept below, over the newest values; look it through and save again.
        </Alert>
      )}
      {form.writable.length === 0 && (
        <Alert severity="info" sx={{ mb: 2 }}>
          You may read this record, and not change it.
        </Alert>
      )}
      <RecordForm
        // A newer version, or a return to the stored values, begins the form anew.
        key={`${form.etag} ${carried === null}`}
        form={form}
        start={carried ?? draftFrom(form)}
        busy={save.isPending}
        error={stale ? null : save.error}
        submitLabel="Save"
        onSubmit={(draft) => save.mutate(draft)}
        onCancel={() => {
          setCarried(null);
          save.reset();
        }}
      >
        {form.deletable && <DeleteButton collection={collection} recordKey={recordKey} etag={form.etag} />}
      </RecordForm>
    </>
  );
}

function pick(draft: Draft, names: string[]): Draft {
  return Object.fromEntries(Object.entries(draft).filter(([name]) => names.includes(name)));
}
