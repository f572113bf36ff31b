import Alert from "@mui/material/Alert";
import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import LinearProgress from "@mui/material/LinearProgress";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableContainer from "@mui/material/TableContainer";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import Typography from "@mui/material/Typography";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import type { FieldConflict, FieldError } from "../../../api/errors";
import { changeEach, changingEach, refreshCollection, type Results } from "../../../api/records";
import type { CollectionSchema, Page } from "../../../api/types";
import type { Json } from "../../../lib/json";
import { shown } from "../../../lib/text";
import { textOf } from "../../../ui/fields";
import { schemaAt, sentenceFor } from "../../../ui/sentences";
import { cellText } from "../model";
import { useUndo } from "../useUndo";
import type { Pasted, PastedRow } from "./paste";

interface Props {
  collection: string;
  schema: CollectionSchema;
  page: Page;
  pasted: Pasted;
  onClose: () => void;
}

type Result = Results["results"][number];

/** What pasted cells would come to, row by row, and saving them: all, or those that can be. */
export function PasteDialog({ collection, schema, page, pasted, onClose }: Props) {
  const client = useQueryClient();
  const undo = useUndo(collection);
  // What was saved goes; what was refused stays, with its reason.
  const [rows, setRows] = useState(pasted.rows);
  const key = schema["x-key"];
  const sent = rows.filter((one) => Object.keys(one.fields).length > 0);
  const items = sent.map(({ row, fields }) => ({ key: row[key] ?? null, fields, base: row.version }));
  const looked = useQuery({ ...changingEach(collection, items), enabled: items.length > 0 });
  const results = new Map(sent.map(({ row }, place) => [row.id, looked.data?.[place]]));
  const refused = sent.filter(({ row }) => (results.get(row.id)?.status ?? 200) >= 300);
  const able = sent.length - refused.length;
  const save = useMutation({
    mutationFn: () => changeEach(collection, items, refused.length === 0),
    onSuccess: async ({ results: done, batch }) => {
      const left = sent.filter((_, place) => (done[place]?.status ?? 0) >= 300);
      const saved = sent.length - left.length;
      if (saved > 0) undo.many(`${saved} ${saved === 1 ? "record is" : "records are"} changed.`, batch);
      await refreshCollection(client, collection);
      setRows(left);
      if (left.length === 0) onClose();
    },
    // Others were quicker: what it would come to now.
    onError: () => void looked.refetch(),
  });
  const names = schema["x-columns"].filter((name) => rows.some((one) => name in one.fields || name in one.closed));
  const beyond = [
    pasted.rowsLeft > 0 && `${pasted.rowsLeft} of the rows pasted have no place on this page.`,
    pasted.columnsLeft > 0 && `${pasted.columnsLeft} of the columns pasted have no place in this list.`,
  ].filter(Boolean);
  const error = looked.error ?? save.error;
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth="lg" aria-labelledby="paste-title">
      <DialogTitle id="paste-title">Paste into {rows.length === 1 ? "1 record" : `${rows.length} records`}</DialogTitle>
      <DialogContent>
        {looked.isFetching && <LinearProgress aria-label="Looking what would become of it" />}
        {beyond.length > 0 && (
          <Alert severity="info" sx={{ mb: 2 }}>
            {beyond.join(" ")} They are left out.
          </Alert>
        )}
        {error && (
          <Alert severity="error" sx={{ mb: 2 }}>
            {error.message}
          </Alert>
        )}
        {rows.length === 0 ? (
          <Typography>Nothing here would be another than it is.</Typography>
        ) : (
          <TableContainer
            tabIndex={0}
            aria-label="What would be changed"
            sx={{ "& td": { whiteSpace: "normal", maxWidth: "none", overflowWrap: "anywhere", minWidth: 80 } }}
          >
            <Table size="small">
              <TableHead>
                <TableRow>
                  <TableCell>{schema.properties[key]?.title ?? key}</TableCell>
                  {names.map((name) => (
                    <TableCell key={name}>{schema.properties[name]?.title ?? name}</TableCell>
                  ))}
                  <TableCell>What becomes of it</TableCell>
                </TableRow>
              </TableHead>
              <TableBody>
                {rows.map((one) => (
                  <TableRow key={one.row.id}>
                    <TableCell>{textOf(one.row[key])}</TableCell>
                    {names.map((name) => (
                      <TableCell key={name}>
                        <PastedCell one={one} name={name} page={page} />
                      </TableCell>
                    ))}
                    <TableCell>
                      <Told one={one} result={results.get(one.row.id)} schema={schema} />
                    </TableCell>
                  </TableRow>
                ))}
              </TableBody>
            </Table>
          </TableContainer>
        )}
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose}>Cancel</Button>
        {sent.length > 0 && (
          <Button
            variant="contained"
            loading={save.isPending}
            disabled={looked.data === undefined || able === 0}
            onClick={() => save.mutate()}
          >
            {refused.length === 0
              ? `Save all ${able}`
              : able === 0
                ? "Nothing can be saved"
                : `Save ${able}, leave ${refused.length}`}
          </Button>
        )}
      </DialogActions>
    </Dialog>
  );
}

function PastedCell({ one, name, page }: { one: PastedRow; name: string; page: Page }) {
  const before = cellText(page, one.row, name);
  if (name in one.closed)
    return (
      <Typography variant="body2" color="textSecondary">
        {before}, stays
      </Typography>
    );
  const after = one.fields[name];
  if (after === undefined) return <>{before}</>;
  const told = page.labels?.[name]?.[textOf(after)] ?? shown(after);
  return (
    <>
      {before} → <strong>{told}</strong>
    </>
  );
}

interface ToldProps {
  one: PastedRow;
  result: Result | undefined;
  schema: CollectionSchema;
}

function Told({ one, result, schema }: ToldProps) {
  const closed = [...new Set(Object.values(one.closed))].join(" ");
  if (Object.keys(one.fields).length === 0) return <>{closed}</>;
  if (result === undefined) return <>…</>;
  if (result.status < 300) return <>{["Can be saved.", closed].filter(Boolean).join(" ")}</>;
  return (
    <Typography variant="body2" color="error">
      {whyOf(result, schema)}
    </Typography>
  );
}

function whyOf(result: Result, schema: CollectionSchema): string {
  // What a problem holds the OpenAPI document leaves open here.
  const { errors = [], conflicts = [] } = result as { errors?: FieldError[]; conflicts?: FieldConflict[] };
  const titleOf = (pointer: string) => schemaAt(schema, pointer)?.title ?? pointer.slice(1);
  const told = [
    ...errors.map(
      (one) => `${one.pointer === "" ? "" : `${titleOf(one.pointer)}: `}${sentenceFor(one, schemaAt(schema, one.pointer))}`,
    ),
    ...conflicts.map((one) => `${titleOf(one.pointer)}: others changed it to ${shown(one.current as Json)} meanwhile.`),
  ];
  return told.length > 0 ? told.join(" ") : (result.detail ?? "This was refused.");
}
