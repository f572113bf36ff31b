import Alert from "@mui/material/Alert";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Link from "@mui/material/Link";
import Paper from "@mui/material/Paper";
import Typography from "@mui/material/Typography";
import { useInfiniteQuery, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useLayoutEffect, useMemo, useRef, useState, type ComponentType } from "react";
import { Link as RouterLink, useLocation, useNavigate, useParams } from "react-router";
import { collectionInfo, schemaOf } from "../../api/collections";
import { onTold } from "../../api/following";
import { historyOf } from "../../api/history";
import { previewRecord, updateRecord, formOf, refreshCollection, wouldBe } from "../../api/records";
import type { Fields, Form } from "../../api/types";
import { shown } from "../../lib/text";
import { textOf } from "../../ui/fields";
import { settled } from "../../ui/LeaveGuard";
import { useTell } from "../../ui/messages";
import { Trouble } from "../../ui/Trouble";
import { Waiting } from "../../ui/Waiting";
import { AccessPanel } from "./AccessPanel";
import { Neighbours } from "./around/Neighbours";
import { RelatedLists } from "./around/RelatedLists";
import type { CameFrom } from "./around/useNeighbours";
import { ConflictPanel } from "./ConflictPanel";
import { DeleteButton } from "./DeleteButton";
import { EraseButton } from "./EraseButton";
import { HistoryPanel } from "./HistoryPanel";
import { Others } from "./Others";
import { draftFrom, isFigure, patchFrom, tagOf, type Draft } from "./model";
import { PreviewDialog } from "./PreviewDialog";
import { RecordForm } from "./RecordForm";
import { RestoreButton } from "./RestoreButton";
import { useUndo } from "./useUndo";
import { usePresence } from "./usePresence";

/** What stands beside a record, above and below its history. */
export interface Panels {
  above?: ComponentType<Opened>;
  below?: ComponentType<Opened>;
}

export function RecordPage(panels: Panels) {
  const { collection = "", recordKey = "" } = useParams();
  return <Opened key={`${collection}/${recordKey}`} collection={collection} recordKey={recordKey} panels={panels} />;
}

interface Opened {
  collection: string;
  recordKey: string;
}

function Opened({ collection, recordKey, panels }: Opened & { panels: Panels }) {
  const form = useQuery(formOf(collection, recordKey));
  // The list as it was left, where somebody came from there.
  const state = useLocation().state as Partial<CameFrom> | null;
  const from = state?.list === undefined ? null : { ...state, list: state.list };
  const list = `/c/${collection}${from?.list ?? ""}`;
  if (form.isPending) return <Waiting what="the record" />;
  if (form.isError && !form.data) {
    const gone = form.error.status === 404;
    return (
      <Trouble
        title={gone ? `There is no ${recordKey} here` : `${recordKey} cannot be shown`}
        error={form.error}
        {...(gone ? {} : { retry: form.refetch })}
      >
        <Link component={RouterLink} to={list}>
          Back to the list
        </Link>
        {gone && <Gone collection={collection} recordKey={recordKey} />}
      </Trouble>
    );
  }
  return (
    <Shown
      form={form.data}
      reload={form.refetch}
      list={list}
      from={from}
      collection={collection}
      recordKey={recordKey}
      panels={panels}
    />
  );
}

interface ShownProps extends EditorProps {
  /** The list that one came from. */
  list: string;
  from: CameFrom | null;
  panels: Panels;
}

function Shown({ collection, recordKey, form, reload, list, from, panels: { above: Above, below: Below } }: ShownProps) {
  const [editing, setEditing] = useState(false);
  const others = usePresence(collection, recordKey, editing);
  const naming = form.values[form.schema["x-naming"]];
  return (
    <>
      <title>{`${recordKey} · ${form.schema.title}`}</title>
      <Box sx={{ display: "flex", alignItems: "center", gap: 2, minHeight: 32 }}>
        <Link component={RouterLink} to={list} underline="hover" sx={{ flex: 1 }}>
          ← {form.schema.title}
        </Link>
        <Neighbours collection={collection} keyName={form.schema["x-key"]} recordKey={recordKey} from={from} />
      </Box>
      <Typography variant="h1" sx={{ mt: 0.5, mb: 2 }}>
        {recordKey}
        {naming !== undefined && shown(naming) !== recordKey && ` · ${shown(naming)}`}
      </Typography>
      <Others others={others} />
      <Box
        sx={{
          display: "grid",
          gap: 3,
          gridTemplateColumns: { xs: "1fr", lg: "minmax(0, 3fr) minmax(0, 2fr)" },
          alignItems: "start",
        }}
      >
        <Paper tabIndex={-1} variant="outlined" sx={{ p: 2.5, "&:focus": { outline: "none" } }}>
          <Editor collection={collection} recordKey={recordKey} form={form} reload={reload} onEditing={setEditing} />
        </Paper>
        <Box>
          {Above && <Above collection={collection} recordKey={recordKey} />}
          <HistoryPanel collection={collection} recordKey={recordKey} schema={form.schema} />
          {Below && <Below collection={collection} recordKey={recordKey} />}
          <AccessPanel collection={collection} recordKey={recordKey} schema={form.schema} />
        </Box>
      </Box>
      <RelatedLists
        collection={collection}
        recordKey={recordKey}
        numeric={isFigure(form.schema.properties[form.schema["x-key"]])}
      />
    </>
  );
}

/** Of a record that was there: what became of it, and the way back. */
function Gone({ collection, recordKey }: Opened) {
  const history = useInfiniteQuery({ ...historyOf(collection, recordKey, { field: "", actor: "" }), retry: false });
  const schema = useQuery(schemaOf(collection)).data;
  if (!history.data) return null;
  return (
    <Box sx={{ maxWidth: 720, mt: 2 }}>
      <Alert
        severity="info"
        action={<RestoreButton collection={collection} recordKey={recordKey} version={null} schema={schema} />}
        sx={{ mb: 2 }}
      >
        It was there, and was deleted.
      </Alert>
      <HistoryPanel collection={collection} recordKey={recordKey} schema={schema} />
    </Box>
  );
}

interface EditorProps extends Opened {
  form: Form;
  reload: () => Promise<unknown>;
  onEditing?: (editing: boolean) => void;
}

interface Change {
  fields: Fields;
  base: string | null;
}

/** The form and what happens to it: previewed, saved, refused, or in conflict with somebody else's change. */
function Editor({ collection, recordKey, form, reload, onEditing }: EditorProps) {
  const client = useQueryClient();
  const tell = useTell();
  const undo = useUndo(collection);
  const navigate = useNavigate();
  const creates = useQuery(collectionInfo(collection)).data?.may.create === true;
  const [draft, setDraft] = useState<Draft | null>(null);
  // What derived fields would hold, while one types.
  const [typed, setTyped] = useState<Fields | null>(null);
  const derives = Object.values(form.schema.properties).some((one) => one["x-derived"]);
  const would = useQuery(wouldBe(collection, recordKey, typed, form.etag)).data;
  const onTyped = useCallback(
    (one: Draft) => {
      const fields = patchFrom(form, one);
      setTyped(derives && Object.keys(fields).length > 0 ? fields : null);
    },
    [form, derives],
  );
  const save = useMutation({
    mutationFn: ({ fields, base }: Change) => updateRecord(collection, recordKey, fields, base),
    // What was saved before is not what is being saved now.
    onMutate: () => tell(null),
    onSuccess: async ({ saved: row, request }) => {
      if (row === null) {
        tell(`Saved. You may not see ${recordKey} any more.`);
        await navigate(`/c/${collection}`, { state: settled });
        await refreshCollection(client, collection);
        return;
      }
      const merged = form.version !== null && row.version > form.version + 1;
      await reload();
      setSeen(null);
      setSaves((count) => count + 1);
      const told = `Saved. ${recordKey} is at version ${row.version} now${merged ? ", with what others changed meanwhile" : ""}.`;
      undo.one(told, recordKey, request, `Undone: ${recordKey} is as it was before.`);
      await refreshCollection(client, collection);
    },
    onError: (error) => (error.isConflict ? refreshCollection(client, collection) : undefined),
  });
  const check = useMutation({
    mutationFn: (fields: Fields) => previewRecord(collection, recordKey, fields, base),
  });
  // What the form was filled with when others changed what is being changed here: to be asked about at saving.
  const [seen, setSeen] = useState<string | null>(null);
  const [saves, setSaves] = useState(0);
  const [gone, setGone] = useState(false);
  const id = form.values["id"];
  useEffect(
    () =>
      onTold((event) => {
        if (event.recordid !== id) return;
        if (event.type === "fenland.record.deleted" || event.type === "fenland.record.left") setGone(true);
        else if ((event.recordversion ?? 0) > (form.version ?? 0)) void reload();
      }),
    [id, form.version, reload],
  );
  const before = useRef(form.etag);
  const onBoth = useCallback(() => {
    // Taken now: by the time the state is set it is that of what others saved.
    const tag = before.current;
    setSeen((was) => was ?? tag);
  }, []);
  // Behind what the form itself does where it is given another version.
  useLayoutEffect(() => {
    if (seen === null) before.current = form.etag;
  }, [form.etag, seen]);
  const start = useMemo(() => draftFrom(form), [form]);
  const base = seen ?? form.etag;
  const conflict = save.error?.isConflict ? save.error : null;
  const change = save.variables;
  // What others wrote and is to stay is left out; the rest is sent again, over the version they made.
  const decide = async (keepTheirs: string[]) => {
    const fields = Object.entries(change?.fields ?? {}).filter(([name]) => !keepTheirs.includes(name));
    save.reset();
    if (fields.length > 0)
      save.mutate({ fields: Object.fromEntries(fields), base: conflict?.version ? tagOf(form, conflict.version) : null });
    else {
      setSeen(null);
      setSaves((count) => count + 1);
      await reload();
    }
  };
  return (
    <>
      {form.writable.length === 0 && (
        <Alert severity="info" sx={{ mb: 2 }}>
          You may read this record, and not change it.
        </Alert>
      )}
      {gone && (
        <Alert severity="warning" role="status" sx={{ mb: 2 }}>
          This record was deleted meanwhile, or is not yours to see any more. What you typed is still here and cannot be saved.
        </Alert>
      )}
      {conflict && <ConflictPanel form={form} conflicts={conflict.conflicts} onDecide={(names) => void decide(names)} />}
      <RecordForm
        // What was saved here begins the form anew; what others saved is taken into it.
        key={`${textOf(id)} ${saves}`}
        form={form}
        start={start}
        onBoth={onBoth}
        busy={save.isPending || check.isPending}
        error={conflict ? null : (save.error ?? check.error)}
        submitLabel="Save"
        onTyped={onTyped}
        {...(onEditing && { onEditing })}
        derived={typed === null ? undefined : would}
        onSubmit={(typed) => save.mutate({ fields: patchFrom(form, typed), base })}
        onPreview={(typed) => {
          setDraft(typed);
          check.mutate(patchFrom(form, typed));
        }}
        onCancel={() => {
          setSeen(null);
          save.reset();
          check.reset();
        }}
      >
        {creates && (
          <Button component={RouterLink} to={`/c/${collection}/new?${new URLSearchParams({ like: recordKey })}`}>
            Duplicate
          </Button>
        )}
        {form.erasable.length > 0 && <EraseButton collection={collection} recordKey={recordKey} form={form} onErased={reload} />}
        {form.deletable && <DeleteButton collection={collection} recordKey={recordKey} etag={form.etag} />}
      </RecordForm>
      {check.data && draft && (
        <PreviewDialog
          form={form}
          preview={check.data}
          onClose={() => check.reset()}
          onSave={() => {
            check.reset();
            save.mutate({ fields: patchFrom(form, draft), base });
          }}
        />
      )}
    </>
  );
}
