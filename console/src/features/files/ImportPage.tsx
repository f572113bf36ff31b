import Alert from "@mui/material/Alert";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import LinearProgress from "@mui/material/LinearProgress";
import Link from "@mui/material/Link";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState, type ChangeEvent } from "react";
import { Link as RouterLink, useParams } from "react-router";
import { collectionInfo, schemaOf } from "../../api/collections";
import { importRows, kindOf, type Blank, type Imported, type Mode } from "../../api/files";
import { refreshCollection } from "../../api/records";
import type { CollectionSchema } from "../../api/types";
import { saveAs } from "../../lib/save";
import { Trouble } from "../../ui/Trouble";
import { UndoDialog } from "../../ui/UndoDialog";
import { Waiting } from "../../ui/Waiting";
import { ColumnTable } from "./ColumnTable";
import { ProblemTable } from "./ProblemTable";
import { refusedFile } from "./refused";
import { countsIn, repeatsIn } from "./sentences";

/** Brings the rows of a file into a collection, once it was seen what would become of them. */
export function ImportPage() {
  const { collection = "" } = useParams();
  const info = useQuery(collectionInfo(collection));
  const schema = useQuery(schemaOf(collection));
  if (info.isPending || schema.isPending) return <Waiting what="the fields" />;
  const trouble = info.error ?? schema.error;
  if (trouble) return <Trouble title="Nothing can be imported here" error={trouble} retry={schema.refetch} />;
  if (!info.data || !schema.data) return null;
  return (
    <>
      <title>{`Import · ${info.data.title}`}</title>
      <Link component={RouterLink} to={`/c/${collection}`} underline="hover">
        ← {info.data.title}
      </Link>
      <Typography variant="h1" sx={{ mt: 0.5, mb: 1 }}>
        Import {info.data.title.toLowerCase()}
      </Typography>
      <Importing key={collection} collection={collection} schema={schema.data} />
    </>
  );
}

interface Asked {
  file: File;
  mode: Mode;
  blank: Blank;
  match: Record<string, string | null>;
}

function Importing({ collection, schema }: { collection: string; schema: CollectionSchema }) {
  const client = useQueryClient();
  const [asked, setAsked] = useState<Asked | null>(null);
  const run = ({ file, ...how }: Asked, preview: boolean): Promise<Imported> => {
    const kind = kindOf(file.name);
    if (kind === null) throw new Error("The file's name must end in .csv, .xlsx or .jsonl.");
    return importRows(collection, file, kind, { ...how, preview });
  };
  const looking = useMutation({ mutationFn: async (one: Asked) => run(one, true) });
  const importing = useMutation({
    mutationFn: async (one: Asked) => run(one, false),
    onSettled: () => refreshCollection(client, collection),
  });
  const look = (one: Asked) => {
    setAsked(one);
    importing.reset();
    looking.mutate(one);
  };
  const choose = (event: ChangeEvent<HTMLInputElement>) => {
    const file = event.target.files?.[0];
    // So that the same file, corrected, can be chosen again.
    event.target.value = "";
    if (file) look({ mode: "both", blank: "keep", ...asked, match: {}, file });
  };
  const seen = looking.data;
  return (
    <Box sx={{ display: "grid", gap: 2.5, maxWidth: 960 }}>
      <Box sx={{ display: "flex", flexWrap: "wrap", gap: 2, alignItems: "center" }}>
        <Button component="label" variant={asked ? "outlined" : "contained"}>
          {asked ? "Choose another file" : "Choose a file"}
          <input hidden type="file" accept=".csv,.xlsx,.jsonl" aria-label="File" onChange={choose} />
        </Button>
        <Typography color="textSecondary">
          {asked ? asked.file.name : "CSV with a header, a spreadsheet, or JSON Lines. Nothing is saved before you have seen it."}
        </Typography>
      </Box>
      {asked && <Choices asked={asked} onChange={look} />}
      <Box sx={{ height: 4 }}>
        {(looking.isPending || importing.isPending) && <LinearProgress aria-label="Reading the file" />}
      </Box>
      {looking.error && <Alert severity="error">{looking.error.message}</Alert>}
      {asked && seen && !importing.data && (
        <>
          <ColumnTable
            columns={seen.columns}
            unmatched={seen.unmatched}
            schema={schema}
            onChange={(column, field) => look({ ...asked, match: { ...asked.match, [column]: field } })}
          />
          <Typography role="status">
            Of {seen.rows} {seen.rows === 1 ? "row" : "rows"}, {countsIn(seen, true)}.
          </Typography>
          <Repeats found={seen} />
          <ProblemTable problems={seen.problems} schema={schema} />
          <Actions
            seen={seen}
            busy={importing.isPending || looking.isPending}
            onImport={() => importing.mutate(asked)}
            error={importing.error?.message}
          />
        </>
      )}
      {asked && importing.data && <Outcome found={importing.data} file={asked.file} schema={schema} />}
    </Box>
  );
}

const MODES: Record<Mode, string> = {
  both: "Create new records, and bring those there up to date",
  create: "Only create new records",
  update: "Only bring records up to date",
};
const BLANKS: Record<Blank, string> = {
  keep: "leave the field as it is",
  clear: "clear the field",
  reject: "refuse the row",
};

function Choices({ asked, onChange }: { asked: Asked; onChange: (asked: Asked) => void }) {
  return (
    <Box sx={{ display: "grid", gap: 2, gridTemplateColumns: { xs: "1fr", sm: "3fr 2fr" } }}>
      <TextField
        select
        label="What to do"
        value={asked.mode}
        onChange={(event) => onChange({ ...asked, mode: event.target.value as Mode })}
      >
        {Object.entries(MODES).map(([mode, words]) => (
          <MenuItem key={mode} value={mode}>
            {words}
          </MenuItem>
        ))}
      </TextField>
      <TextField
        select
        label="Empty cells"
        value={asked.blank}
        onChange={(event) => onChange({ ...asked, blank: event.target.value as Blank })}
      >
        {Object.entries(BLANKS).map(([blank, words]) => (
          <MenuItem key={blank} value={blank}>
            {words}
          </MenuItem>
        ))}
      </TextField>
    </Box>
  );
}

interface ActionsProps {
  seen: Imported;
  busy: boolean;
  onImport: () => void;
  error: string | undefined;
}

function Actions({ seen, busy, onImport, error }: ActionsProps) {
  const waiting = seen.unmatched.length > 0;
  return (
    <Box sx={{ display: "grid", gap: 1.5, justifyItems: "start" }}>
      {waiting && <Alert severity="warning">Say above what the columns stand for that match no field.</Alert>}
      {error && <Alert severity="error">{error}</Alert>}
      <Button variant="contained" disabled={waiting || seen.rows === 0} loading={busy} onClick={onImport}>
        Import the file
      </Button>
    </Box>
  );
}

function Repeats({ found }: { found: Imported }) {
  const told = repeatsIn(found);
  return told === "" ? null : <Alert severity="info">{told}</Alert>;
}

interface OutcomeProps {
  found: Imported;
  file: File;
  schema: CollectionSchema;
}

/** What became of the rows; what was refused can be had as a file, and all of it taken back. */
function Outcome({ found, file, schema }: OutcomeProps) {
  const told = useRef<HTMLDivElement>(null);
  useEffect(() => told.current?.focus(), [found]);
  const [undoing, setUndoing] = useState(false);
  const kind = kindOf(file.name) ?? "csv";
  const refused = refusedFile(found, kind);
  const name = `${file.name.replace(/(\.refused)?\.[^.]*$/, "")}.refused.${kind === "jsonl" ? "jsonl" : "csv"}`;
  return (
    <>
      <Alert ref={told} tabIndex={-1} severity={found.refused > 0 ? "warning" : "success"}>
        Of {found.rows} {found.rows === 1 ? "row" : "rows"}, {countsIn(found, false)}.
        {found.refused > 0 && " Correct the refused rows and import them again: the others stay as they are."}
        {found.batch !== null && (
          <div>
            In the history all of it is batch <code>{found.batch}</code>.
          </div>
        )}
      </Alert>
      <Repeats found={found} />
      <Box sx={{ display: "flex", gap: 1.5, flexWrap: "wrap" }}>
        {refused !== null && (
          <Button variant="outlined" onClick={() => saveAs(refused, name)}>
            Save the refused rows
          </Button>
        )}
        {found.batch !== null && found.created + found.updated > 0 && (
          <Button onClick={() => setUndoing(true)}>Undo this import…</Button>
        )}
      </Box>
      {undoing && found.batch !== null && (
        <UndoDialog what={{ batch: found.batch, each: true }} schema={schema} onClose={() => setUndoing(false)} />
      )}
      <ProblemTable problems={found.problems} schema={schema} />
    </>
  );
}
