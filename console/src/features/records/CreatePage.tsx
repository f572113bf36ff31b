import Alert from "@mui/material/Alert";
import Link from "@mui/material/Link";
import Paper from "@mui/material/Paper";
import Typography from "@mui/material/Typography";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link as RouterLink, useNavigate, useParams, useSearchParams } from "react-router";
import { collectionInfo, createFormOf } from "../../api/collections";
import { createRecord, formOf, refreshCollection } from "../../api/records";
import { inSentence } from "../../lib/text";
import { settled } from "../../ui/LeaveGuard";
import { Trouble } from "../../ui/Trouble";
import { Waiting } from "../../ui/Waiting";
import { textOf } from "../../ui/fields";
import { copiedFrom, draftFrom, fieldsFrom, givenIn, type Draft } from "./model";
import { RecordForm } from "./RecordForm";
import { useUndo } from "./useUndo";

export function CreatePage() {
  const { collection = "" } = useParams();
  const [params] = useSearchParams();
  // A record that the new one is to be like.
  const like = params.get("like");
  const source = useQuery({ ...formOf(collection, like ?? ""), enabled: like !== null });
  const client = useQueryClient();
  const navigate = useNavigate();
  const undo = useUndo(collection);
  const form = useQuery(createFormOf(collection));
  const singular = inSentence(useQuery(collectionInfo(collection)).data?.singular ?? "record");
  const create = useMutation({
    mutationFn: (draft: Draft) => createRecord(collection, form.data ? fieldsFrom(form.data, draft) : {}),
    onSuccess: async ({ saved: row, request }) => {
      const key = textOf(row[form.data?.schema["x-key"] ?? "id"]);
      const seen = row.version !== undefined;
      const told = `Created ${key}.${seen ? "" : " You may not see it."}`;
      undo.one(told, key, request, `Undone: ${key} is not there any more.`);
      await refreshCollection(client, collection);
      const place = seen ? `/c/${collection}/r/${encodeURIComponent(key)}` : `/c/${collection}`;
      await navigate(place, { replace: true, state: settled });
    },
  });
  if (form.isPending || (like !== null && source.isPending)) return <Waiting what="the form" />;
  if (form.isError) return <Trouble title={`New ${singular}`} error={form.error} retry={form.refetch} />;
  const start = {
    ...draftFrom(form.data),
    ...(source.data ? copiedFrom(form.data, source.data) : {}),
    ...givenIn(form.data, params),
  };
  return (
    <>
      <title>{`New ${singular}`}</title>
      <Link component={RouterLink} to={`/c/${collection}`} underline="hover">
        ← {form.data.schema.title}
      </Link>
      <Typography variant="h1" sx={{ mt: 0.5, mb: 2 }}>
        New {singular}
      </Typography>
      {like !== null && (
        <Alert severity={source.error ? "warning" : "info"} sx={{ mb: 2, maxWidth: 720 }}>
          {source.error ? `${like} cannot be read: ${source.error.message}` : `Filled in from ${like}; nothing is saved yet.`}
        </Alert>
      )}
      <Paper variant="outlined" sx={{ p: 2.5, maxWidth: 720 }}>
        <RecordForm
          form={form.data}
          start={start}
          busy={create.isPending}
          error={create.error}
          submitLabel="Create"
          always
          onSubmit={(draft) => create.mutate(draft)}
          onCancel={() => void navigate(`/c/${collection}`)}
        />
      </Paper>
    </>
  );
}
