import Box from "@mui/material/Box";
import Link from "@mui/material/Link";
import Paper from "@mui/material/Paper";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";
import { Link as RouterLink, useParams, useSearchParams } from "react-router";
import { schemaOf } from "../../api/collections";
import { differenceOf } from "../../api/history";
import { formOf } from "../../api/records";
import type { CollectionSchema } from "../../api/types";
import type { Json } from "../../lib/json";
import { shown } from "../../lib/text";
import { Change } from "../../ui/Change";
import { Trouble } from "../../ui/Trouble";
import { Waiting } from "../../ui/Waiting";

/** Any two versions of a record side by side, and what differs. */
export function ComparePage() {
  const { collection = "", recordKey = "" } = useParams();
  const [query, setQuery] = useSearchParams();
  const schema = useQuery(schemaOf(collection));
  const now = useQuery(formOf(collection, recordKey));
  const newest = now.data?.version ?? Number(query.get("to") ?? 1);
  const to = Number(query.get("to") ?? newest);
  const from = Number(query.get("from") ?? Math.max(1, to - 1));
  const found = useQuery({ ...differenceOf(collection, recordKey, from, to), enabled: !now.isPending });
  const choose = (sides: { from: number; to: number }) =>
    setQuery({ from: String(sides.from), to: String(sides.to) }, { replace: true });
  return (
    <>
      <title>{`${recordKey} · versions ${from} and ${to}`}</title>
      <Link component={RouterLink} to={`/c/${collection}/r/${encodeURIComponent(recordKey)}`} underline="hover">
        ← {recordKey}
      </Link>
      <Typography variant="h1" sx={{ mt: 0.5, mb: 2 }}>
        {recordKey}: two versions side by side
      </Typography>
      <Box sx={{ display: "flex", gap: 2, mb: 2, maxWidth: 420 }}>
        <Version label="Version" value={from} onChange={(value) => choose({ from: value, to })} />
        <Version label="and version" value={to} onChange={(value) => choose({ from, to: value })} />
      </Box>
      {(found.isPending || schema.isPending) && <Waiting what="the two versions" />}
      {found.isError && <Trouble error={found.error} retry={found.refetch} />}
      {found.data && schema.data && <Sides found={found.data} schema={schema.data} />}
    </>
  );
}

function Version({ label, value, onChange }: { label: string; value: number; onChange: (value: number) => void }) {
  return (
    <TextField
      type="number"
      label={label}
      value={value}
      slotProps={{ htmlInput: { min: 1 } }}
      onChange={(event) => {
        const chosen = Number(event.target.value);
        if (Number.isInteger(chosen) && chosen > 0) onChange(chosen);
      }}
    />
  );
}

interface SidesProps {
  found: { from: number; to: number; changes: Record<string, object>; before: Record<string, Json>; after: Record<string, Json> };
  schema: CollectionSchema;
}

function Sides({ found, schema }: SidesProps) {
  const fields = Object.entries(schema.properties).filter(([name, one]) => !one["x-reserved"] && name in found.before);
  const heading = (version: number, side: Record<string, Json>) =>
    `Version ${version} · ${shown(side["updated_at"])} · ${shown(side["updated_by"])}`;
  const cell = { whiteSpace: "normal", overflowWrap: "anywhere", verticalAlign: "top" } as const;
  return (
    <Paper variant="outlined" sx={{ overflowX: "auto" }}>
      <Table size="small" aria-label="Two versions">
        <TableHead>
          <TableRow>
            <TableCell>Field</TableCell>
            <TableCell>{heading(found.from, found.before)}</TableCell>
            <TableCell>{heading(found.to, found.after)}</TableCell>
            <TableCell>What differs</TableCell>
          </TableRow>
        </TableHead>
        <TableBody>
          {fields.map(([name, one]) => {
            const change = found.changes[name];
            return (
              <TableRow key={name} selected={change !== undefined}>
                <TableCell sx={cell}>{one.title ?? name}</TableCell>
                <TableCell sx={cell}>{shown(found.before[name])}</TableCell>
                <TableCell sx={cell}>{shown(found.after[name])}</TableCell>
                <TableCell sx={cell}>{change && <Change change={change} />}</TableCell>
              </TableRow>
            );
          })}
        </TableBody>
      </Table>
    </Paper>
  );
}
