import Box from "@mui/material/Box";
import Link from "@mui/material/Link";
import Typography from "@mui/material/Typography";
import type { ReactNode } from "react";
import { Link as RouterLink } from "react-router";
import type { CollectionSchema, Entry } from "../api/types";
import type { Json } from "../lib/json";
import { moment, shown } from "../lib/text";
import { Change } from "./Change";

export interface EntryNames {
  /** What accounts are called, by name. */
  people: Record<string, string>;
  /** What references and owners stand for, by field and value. */
  labels: Record<string, Record<string, string>>;
  schema?: CollectionSchema | undefined;
}

interface Props extends EntryNames {
  entry: Entry;
  /** What the entry is about, where that is not plain. */
  about?: ReactNode;
  children?: ReactNode;
}

const DEEDS: Record<string, string> = {
  create: "created it",
  update: "changed",
  delete: "deleted it",
  restore: "brought it back",
  erase: "erased for good",
  derive: "brought about",
  migrate: "changed the definitions",
  sign_in: "signed in",
  sign_in_refused: "was refused when signing in",
  issue_token: "was given a token",
  revoke_token: "had a token ended",
};
const VIAS: Record<string, string> = {
  api: "through the API",
  "command-line": "on the command line",
  client: "through the Python client",
  console: "in the console",
  effect: "as a consequence",
  seed: "from a seed",
  "sign-in": "",
};
/** Actions whose changes are all there is to tell. */
const TOLD = new Set(["update", "derive", "erase", "issue_token"]);

/** One entry of the history: who did what, value by value, when, through what and why. */
export function EntryLine({ entry, people, labels, schema, about, children }: Props) {
  const who = people[entry.behalf ?? entry.actor] ?? entry.behalf ?? entry.actor;
  const told = TOLD.has(entry.action) ? Object.entries(entry.changes) : [];
  return (
    <Box component="li" sx={{ position: "relative", pl: 2.25, pb: 2, "&::before": DOT }}>
      <Typography component="div" sx={{ overflowWrap: "anywhere" }}>
        {about}
        <b>{who}</b>
        {entry.behalf !== null && ` (through ${people[entry.actor] ?? entry.actor})`} {DEEDS[entry.action] ?? entry.action}
        {told.length === 1 && <> {told.map((one) => field(one, labels, schema))}</>}
      </Typography>
      {told.length > 1 && (
        <Box component="ul" sx={{ m: 0, pl: 2.5 }}>
          {told.map((one) => (
            <li key={one[0]}>{field(one, labels, schema)}</li>
          ))}
        </Box>
      )}
      <Typography variant="body2" color="textSecondary">
        {[
          about === undefined && `Version ${entry.version}`,
          moment(entry.time),
          VIAS[entry.via] ?? `through ${entry.via}`,
          entry.reason,
          origin(entry),
        ]
          .filter(Boolean)
          .join(" · ")}
        {entry.cause !== null && (
          <>
            {" · "}
            <Link component={RouterLink} to={`/activity?${chainOf(entry.cause, entry.time)}`} title={entry.rule ?? undefined}>
              follows from entry {entry.cause}
            </Link>
          </>
        )}
        {entry.causes && (
          <>
            {" · "}
            <Link component={RouterLink} to={`/activity?${chainOf(entry.sequence, entry.time)}`}>
              what followed
            </Link>
          </>
        )}
      </Typography>
      {children}
    </Box>
  );
}

const DOT = {
  content: '""',
  position: "absolute",
  left: -6,
  top: 9,
  width: 10,
  height: 10,
  borderRadius: "50%",
  bgcolor: "secondary.main",
};

/** A search for an entry and what followed from it: all of it happened at one time, so that one day is enough. */
function chainOf(sequence: number, time: string): string {
  const day = time.slice(0, 10);
  return new URLSearchParams({ from: day, to: day, where: `sequence == ${sequence} || cause == ${sequence}` }).toString();
}

function origin(entry: Entry): string {
  if (entry.undoes !== null) return `undoes entry ${entry.undoes}`;
  return entry.restores === null ? "" : `back to version ${entry.restores}`;
}

function field([name, change]: [string, Entry["changes"][string]], labels: EntryNames["labels"], schema?: CollectionSchema) {
  const described = schema?.properties[name];
  const labelOf = (value: Json) => labels[name]?.[shown(value)] ?? shown(value);
  const target = described?.["x-references"];
  const { after } = change;
  return (
    <span key={name}>
      {(described?.title ?? name).toLowerCase()}: <Change change={change} labelOf={labelOf} />
      {target !== undefined && typeof after === "string" && (
        <>
          {" "}
          <Link component={RouterLink} to={`/c/${target}/r/${encodeURIComponent(after)}`} aria-label={`Open ${labelOf(after)}`}>
            open
          </Link>
        </>
      )}
    </span>
  );
}
