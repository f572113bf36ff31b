import Alert from "@mui/material/Alert";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import Chip from "@mui/material/Chip";
import Link from "@mui/material/Link";
import Paper from "@mui/material/Paper";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableContainer from "@mui/material/TableContainer";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import Typography from "@mui/material/Typography";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useEffectEvent, useState } from "react";
import { Link as RouterLink } from "react-router";
import { schemaOf } from "../../api/collections";
import { applyProposal, proposalOf, refuseProposal, type Proposal, type Proposed } from "../../api/proposals";
import { refreshCollection } from "../../api/records";
import type { CollectionSchema, FieldSchema } from "../../api/types";
import { isObject, writeJson, type Json } from "../../lib/json";
import { moment, shown } from "../../lib/text";
import { Change } from "../../ui/Change";
import { useTell } from "../../ui/messages";
import { Trouble } from "../../ui/Trouble";
import { Waiting } from "../../ui/Waiting";
import { RefuseDialog } from "./RefuseDialog";
import { fate, KINDS, STATES } from "./words";

interface Props {
  number: number;
  /** Called once nothing of it waits any more. */
  onSettled: () => void;
}

/** One proposal, side by side with what is there: applied or refused field by field. */
export function Review({ number, onSettled }: Props) {
  const found = useQuery(proposalOf(number));
  const schema = useQuery({ ...schemaOf(found.data?.collection ?? ""), enabled: found.data !== undefined });
  if (found.isPending) return <Waiting what="the proposal" />;
  if (found.isError) return <Trouble error={found.error} retry={found.refetch} />;
  if (schema.isPending) return <Waiting what="the proposal" />;
  return <Opened proposal={found.data} schema={schema.data} onSettled={onSettled} />;
}

/** On a phone the cells of a row stand below each other. */
const row = { display: { xs: "block", sm: "table-row" }, verticalAlign: "top", borderBottom: 1, borderColor: "divider" };
const cell = {
  display: { xs: "block", sm: "table-cell" },
  border: 0,
  maxWidth: "none",
  overflow: "visible",
  overflowWrap: "break-word",
  whiteSpace: "normal",
};

interface OpenedProps {
  proposal: Proposal;
  schema: CollectionSchema | undefined;
  onSettled: () => void;
}

function Opened({ proposal, schema, onSettled }: OpenedProps) {
  const client = useQueryClient();
  const tell = useTell();
  const fields = Object.entries(proposal.fields);
  const open = fields.filter(([, one]) => one.state === "waiting" && one.hidden !== true).map(([name]) => name);
  // What others changed meanwhile is taken only where somebody says so.
  const conflicting = () => new Set(fields.filter(([, one]) => one.conflict === true).map(([name]) => name));
  const [left, setLeft] = useState<ReadonlySet<string>>(conflicting);
  const [refusing, setRefusing] = useState(false);
  const chosen = open.filter((name) => !left.has(name));
  const whole = proposal.kind === "create" || fields.length === 0;
  const waits = proposal.state === "waiting";
  const named = whole ? null : chosen;
  const nothingLeft = whole || chosen.length === open.length;
  const after = async (what: string) => {
    tell(`Proposal ${proposal.number} ${what}.`);
    await refreshCollection(client, proposal.collection);
    if (nothingLeft) onSettled();
    // What was left out is what is decided about next.
    else setLeft(conflicting());
  };
  const apply = useMutation({
    // What others changed up to here one has seen, marked as such.
    mutationFn: () => applyProposal(client, proposal.number, named, proposal.version),
    onSuccess: () => after("is applied"),
  });
  const refuse = useMutation({
    mutationFn: (reason: string) => refuseProposal(client, proposal.number, named, reason),
    onSuccess: () => {
      setRefusing(false);
      return after("is refused");
    },
  });
  const possible = waits && (whole || chosen.length > 0);
  const busy = apply.isPending || refuse.isPending;
  const unlessNothing = (act: () => void) => () => {
    if (busy) return;
    if (possible) act();
    else if (waits) tell("Tick first what it is about.", { severity: "error" });
  };
  useKeys({ a: unlessNothing(apply.mutate), r: unlessNothing(() => setRefusing(true)) });
  const label = (name: string) => schema?.properties[name]?.title ?? name;
  const wrong = apply.error ?? refuse.error;
  return (
    <Paper component="section" aria-label={`Proposal ${proposal.number}`} variant="outlined" sx={{ p: 2.5 }}>
      <Box sx={{ display: "flex", gap: 1.5, alignItems: "baseline", flexWrap: "wrap" }}>
        <Typography variant="h2">
          {KINDS[proposal.kind]}:{" "}
          <Link component={RouterLink} to={`/c/${proposal.of}/r/${encodeURIComponent(String(proposal.key))}`}>
            {String(proposal.key)}
          </Link>
        </Typography>
        <Chip size="small" label={STATES[proposal.state]} color={waits ? "secondary" : "default"} />
      </Box>
      <Typography variant="body2" color="textSecondary" sx={{ mb: 1.5 }}>
        No. {proposal.number}, {moment(proposal.time)}, by pass {proposal.pass}
        {proposal.from && `, from ${proposal.from}`}
      </Typography>
      {proposal.note && (
        <Typography
          component="blockquote"
          sx={{ m: 0, mb: 2, pl: 1.5, borderLeft: 4, borderColor: "divider", whiteSpace: "pre-wrap" }}
        >
          {proposal.note}
        </Typography>
      )}
      {proposal.version === null && <Alert severity="warning">The record is gone meanwhile.</Alert>}
      {fields.length > 0 && (
        <TableContainer>
          <Table size="small">
            <TableHead sx={{ display: { xs: "none", sm: "table-header-group" } }}>
              <TableRow>
                {waits && !whole && <TableCell padding="checkbox">Take</TableCell>}
                <TableCell>Field</TableCell>
                {proposal.kind === "change" && <TableCell>Now</TableCell>}
                <TableCell>Proposed</TableCell>
                <TableCell>State</TableCell>
              </TableRow>
            </TableHead>
            <TableBody>
              {fields.map(([name, one]) => (
                <TableRow key={name} sx={row}>
                  {waits && !whole && (
                    <TableCell padding="checkbox" sx={cell}>
                      {open.includes(name) && (
                        <Checkbox
                          checked={chosen.includes(name)}
                          slotProps={{ input: { "aria-label": label(name) } }}
                          onChange={() => setLeft(toggled(left, name))}
                        />
                      )}
                    </TableCell>
                  )}
                  <TableCell component="th" scope="row" sx={{ ...cell, fontWeight: 700 }}>
                    {label(name)}
                  </TableCell>
                  {proposal.kind === "change" && <TableCell sx={cell}>{one.hidden ? "" : <Current field={one} />}</TableCell>}
                  <TableCell sx={cell}>
                    {one.hidden ? (
                      "Not shown to you"
                    ) : (
                      <Wished field={one} schema={schema?.properties[name]} changes={proposal.kind === "change"} />
                    )}
                  </TableCell>
                  <TableCell sx={cell}>{fate(one)}</TableCell>
                </TableRow>
              ))}
            </TableBody>
          </Table>
        </TableContainer>
      )}
      {proposal.created !== null && (
        <Typography sx={{ mt: 1 }}>
          It created{" "}
          <Link component={RouterLink} to={`/c/${proposal.collection}/r/${encodeURIComponent(String(proposal.created))}`}>
            {String(proposal.created)}
          </Link>
          .
        </Typography>
      )}
      {proposal.problems.length > 0 && (
        <Alert severity="warning" sx={{ mt: 2 }}>
          It cannot be applied as it is:
          <ul style={{ margin: 0 }}>
            {proposal.problems.map((one) => (
              <li key={one.pointer + one.code}>
                {one.pointer && `${label(one.pointer.slice(1).split("/")[0] ?? "")}: `}
                {one.detail}
              </li>
            ))}
          </ul>
        </Alert>
      )}
      {wrong && (
        <Alert severity="error" role="alert" sx={{ mt: 2 }}>
          {wrong.message}
          {wrong.errors.map((one) => (
            <div key={one.pointer + one.code}>{one.detail}</div>
          ))}
        </Alert>
      )}
      {waits && (
        <Box sx={{ display: "flex", gap: 1.5, mt: 2, alignItems: "center", flexWrap: "wrap" }}>
          <Button variant="contained" disabled={!possible} loading={apply.isPending} onClick={() => apply.mutate()}>
            {proposal.kind === "delete" ? "Delete the record" : nothingLeft ? "Apply" : "Apply what is ticked"}
          </Button>
          <Button disabled={!possible} onClick={() => setRefusing(true)}>
            {nothingLeft ? "Refuse…" : "Refuse what is ticked…"}
          </Button>
          <Typography variant="body2" color="textSecondary">
            Keys: A applies, R refuses.
          </Typography>
        </Box>
      )}
      {refusing && (
        <RefuseDialog busy={refuse.isPending} onRefuse={(reason) => refuse.mutate(reason)} onClose={() => setRefusing(false)} />
      )}
    </Paper>
  );
}

const toggled = (left: ReadonlySet<string>, name: string): ReadonlySet<string> =>
  left.has(name) ? new Set([...left].filter((one) => one !== name)) : new Set([...left, name]);

function Current({ field }: { field: Proposed }) {
  return (
    <>
      {shown(field.current)}
      {field.conflict && (
        <Alert severity="warning" sx={{ mt: 0.5, py: 0 }}>
          Changed since it was proposed. The sender saw: {shown(field.base)}
        </Alert>
      )}
    </>
  );
}

interface WishedProps {
  field: Proposed;
  schema: FieldSchema | undefined;
  changes: boolean;
}

/** What was proposed; of an object, the parts that differ from what is there. */
function Wished({ field, schema, changes }: WishedProps) {
  const before = field.current ?? null;
  const after = field.proposed ?? null;
  if (!changes || field.state !== "waiting") return <>{shown(after)}</>;
  if (!isObject(before) || !isObject(after)) return <Change change={{ before, after }} />;
  return partsOf(before, after).map((name) => (
    <div key={name}>
      {schema?.properties?.[name]?.title ?? name}:{" "}
      <Change change={{ before: before[name] ?? null, after: after[name] ?? null }} />
    </div>
  ));
}

const partsOf = (before: Record<string, Json>, after: Record<string, Json>): string[] =>
  [...new Set([...Object.keys(before), ...Object.keys(after)])].filter(
    (name) => writeJson(before[name] ?? null) !== writeJson(after[name] ?? null),
  );

/** Has single keys do something, while nothing is being typed and no dialog asks anything. */
function useKeys(keys: Record<string, () => void>): void {
  const onKey = useEffectEvent((event: KeyboardEvent) => {
    if (event.ctrlKey || event.metaKey || event.altKey || document.querySelector('[role="dialog"]')) return;
    const target = event.target instanceof HTMLElement ? event.target : null;
    if (target?.closest('textarea, select, [role="combobox"], input:not([type="checkbox"])')) return;
    const found = keys[event.key.toLowerCase()];
    if (found === undefined) return;
    event.preventDefault();
    found();
  });
  useEffect(() => {
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, []);
}
