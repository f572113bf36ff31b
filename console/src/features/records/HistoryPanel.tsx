import Alert from "@mui/material/Alert";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Link from "@mui/material/Link";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useInfiniteQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link as RouterLink } from "react-router";
import { historyOf } from "../../api/history";
import type { CollectionSchema, Entry } from "../../api/types";
import { EntryLine } from "../../ui/EntryLine";
import { EntryList } from "../../ui/EntryList";
import { folded } from "../../ui/folding";
import { Trouble } from "../../ui/Trouble";
import { UndoDialog } from "../../ui/UndoDialog";
import { Waiting } from "../../ui/Waiting";
import { measured } from "./around/steps";
import { ProofBadge } from "./ProofBadge";

/** Lines of a history that are shown before anybody asks for more. */
const FEW = 6;

interface Props {
  collection: string;
  recordKey: string;
  schema?: CollectionSchema | undefined;
}

/** Who changed what, newest first, and the ways back from there. */
export function HistoryPanel({ collection, recordKey, schema }: Props) {
  const [field, setField] = useState("");
  const [actor, setActor] = useState("");
  const [undoing, setUndoing] = useState<Entry | null>(null);
  const pages = useInfiniteQuery(historyOf(collection, recordKey, { field, actor }));
  const all = pages.data?.pages ?? [];
  const entries = all.flatMap((page) => page.items);
  const people = Object.assign({}, ...all.map((page) => page.people)) as Record<string, string>;
  const labels = Object.assign({}, ...all.map((page) => page.labels)) as Record<string, Record<string, string>>;
  const newest = entries[0];
  const here = `/c/${collection}/r/${encodeURIComponent(recordKey)}`;
  return (
    <Box component="section" aria-label="History">
      <Box sx={{ display: "flex", gap: 1, alignItems: "baseline", flexWrap: "wrap", mb: 1 }}>
        <Typography variant="h2" sx={{ flex: 1 }}>
          History
        </Typography>
        {schema && measured(schema).length > 0 && (
          <Link component={RouterLink} to={`${here}/over-time`}>
            Over time
          </Link>
        )}
        <Link component={RouterLink} to={`${here}/compare`}>
          Compare versions
        </Link>
        <Link component={RouterLink} to={`${here}/past`}>
          As it was on…
        </Link>
      </Box>
      <ProofBadge collection={collection} recordKey={recordKey} version={pages.isPending ? null : (newest?.version ?? 0)} />
      <Box sx={{ display: "grid", gridTemplateColumns: "1fr 1fr", gap: 1, my: 1.5 }}>
        <Chooser label="Field" value={field} onChange={setField} options={fieldsOf(schema)} every="Every field" />
        <Chooser label="By" value={actor} onChange={setActor} options={Object.entries(people)} every="Everybody" />
      </Box>
      {pages.isPending && <Waiting what="the history" />}
      {pages.isError && <Trouble error={pages.error} retry={pages.refetch} />}
      {pages.data && entries.length === 0 && <Typography color="textSecondary">No matching changes.</Typography>}
      <EntryList
        entries={entries}
        few={field === "" && actor === "" && all.length === 1 ? FEW : undefined}
        line={(entry) => (
          <EntryLine key={entry.sequence} entry={entry} people={people} labels={labels} schema={schema}>
            <Box sx={{ display: "flex", gap: 2 }}>
              {entry.action !== "delete" && entry !== newest && (
                <Link component={RouterLink} variant="body2" to={`${here}/past?version=${entry.version}`}>
                  As it was then
                </Link>
              )}
              {entry.action !== "erase" && entry.action !== "derive" && (
                <Link component="button" variant="body2" onClick={() => setUndoing(entry)}>
                  Undo…
                </Link>
              )}
            </Box>
          </EntryLine>
        )}
      />
      {pages.hasNextPage && (all.length > 1 || folded(entries).length <= FEW + 1) && (
        <Button onClick={() => void pages.fetchNextPage()} loading={pages.isFetchingNextPage}>
          Earlier changes
        </Button>
      )}
      {all.at(-1)?.archived.map((file) => (
        <Alert key={file} severity="info" sx={{ mt: 1 }}>
          Earlier changes are in the archive {file}.
        </Alert>
      ))}
      {undoing && <UndoDialog what={{ sequence: undoing.sequence }} schema={schema} onClose={() => setUndoing(null)} />}
    </Box>
  );
}

function fieldsOf(schema: CollectionSchema | undefined): [string, string][] {
  const all = Object.entries(schema?.properties ?? {});
  return all.filter(([, one]) => !one["x-reserved"]).map(([name, one]) => [name, one.title ?? name]);
}

interface ChooserProps {
  label: string;
  value: string;
  onChange: (value: string) => void;
  options: [string, string][];
  every: string;
}

function Chooser({ label, value, onChange, options, every }: ChooserProps) {
  return (
    <TextField
      select
      label={label}
      value={value}
      onChange={(event) => onChange(event.target.value)}
      slotProps={{ select: { displayEmpty: true }, inputLabel: { shrink: true } }}
    >
      <MenuItem value="">{every}</MenuItem>
      {options.map(([name, title]) => (
        <MenuItem key={name} value={name}>
          {title}
        </MenuItem>
      ))}
    </TextField>
  );
}
