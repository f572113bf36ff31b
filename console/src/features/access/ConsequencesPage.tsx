import Box from "@mui/material/Box";
import Link from "@mui/material/Link";
import Paper from "@mui/material/Paper";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";
import { Link as RouterLink, useParams } from "react-router";
import { consequencesOf, type Consequence } from "../../api/access";
import { collectionInfo, collections } from "../../api/collections";
import { Trouble } from "../../ui/Trouble";
import { Waiting } from "../../ui/Waiting";

const WORDS: Record<Consequence["kind"], string> = {
  derived: "is derived from",
  default: "begins as",
  series: "gets",
  effect: "is set to",
  create: "of a new record is",
  delete: "is deleted",
  deletion: "",
  call: "brings what is said by",
  notice: "leaves the notice",
  pass: "makes a pass",
};

/** What follows from changes of a collection, and what its fields follow from, for people who write no rules. */
export function ConsequencesPage() {
  const { collection = "" } = useParams();
  const info = useQuery(collectionInfo(collection));
  const found = useQuery(consequencesOf(collection));
  const known = useQuery(collections).data ?? [];
  if (found.isPending || info.isPending) return <Waiting what="what follows" />;
  const trouble = found.error ?? info.error;
  if (trouble) return <Trouble title="What follows cannot be shown" error={trouble} retry={found.refetch} />;
  if (!found.data || !info.data) return null;
  const titleOf = (name: string) => known.find((one) => one.name === name)?.title ?? name;
  const { items, unseen } = found.data;
  return (
    <>
      <title>{`What follows · ${info.data.title}`}</title>
      <Link component={RouterLink} to={`/c/${collection}`} underline="hover">
        ← {info.data.title}
      </Link>
      <Typography variant="h1" sx={{ mt: 0.5, mb: 2 }}>
        What follows in {info.data.title.toLowerCase()}, and from them
      </Typography>
      {items.length + unseen === 0 && <Typography color="textSecondary">Nothing follows from changes here.</Typography>}
      {byCollection(items).map(([name, ones]) => (
        <Paper key={name} component="section" aria-label={titleOf(name)} variant="outlined" sx={{ p: 2, mb: 2 }}>
          <Typography variant="h2" sx={{ mb: 1 }}>
            {titleOf(name)}
          </Typography>
          {ones.map((one, place) => (
            <Box key={place} sx={{ mb: 1.5, overflowWrap: "anywhere" }}>
              <Typography>
                <b>{one.place.split(".")[1] ?? "the record"}</b> {WORDS[one.kind]}{" "}
                {one.kind === "deletion" || one.kind === "series" ? one.does : <code>{one.does}</code>}
              </Typography>
              <Typography variant="body2" color="textSecondary">
                {[when(one, titleOf), one.found, one.file && `${one.file}:${one.line}`].filter(Boolean).join(" · ")}
              </Typography>
            </Box>
          ))}
        </Paper>
      ))}
      {unseen > 0 && <Typography color="textSecondary">{unseen} more are about fields that are not yours to read.</Typography>}
    </>
  );
}

function when(one: Consequence, titleOf: (name: string) => string): string {
  if (one.kind === "deletion") return "when the record that it refers to is deleted";
  const on = one.on.length > 0 ? `on ${new Intl.ListFormat("en-GB").format(one.on)}` : "";
  const of = one.by === null ? on : `${on} of ${titleOf(one.by).toLowerCase()}`;
  return one.if === null ? of : `${of}, if ${one.if}`;
}

function byCollection(items: Consequence[]): [string, Consequence[]][] {
  const found = new Map<string, Consequence[]>();
  for (const one of items) {
    const name = one.place.split(".")[0] ?? "";
    found.set(name, [...(found.get(name) ?? []), one]);
  }
  return [...found];
}
