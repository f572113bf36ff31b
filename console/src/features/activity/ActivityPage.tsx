import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Link from "@mui/material/Link";
import Paper from "@mui/material/Paper";
import Typography from "@mui/material/Typography";
import { useInfiniteQuery, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link as RouterLink } from "react-router";
import { collections } from "../../api/collections";
import { entriesOf } from "../../api/history";
import type { CollectionInfo, Entry } from "../../api/types";
import { EntryLine } from "../../ui/EntryLine";
import { EntryList } from "../../ui/EntryList";
import { Trouble } from "../../ui/Trouble";
import { UndoDialog } from "../../ui/UndoDialog";
import { Waiting } from "../../ui/Waiting";
import { ActivityChart } from "./ActivityChart";
import { ActivityFilters } from "./ActivityFilters";
import { grouped } from "./model";
import { useSearch } from "./useSearch";

/** What happened anywhere, newest first, narrowed down; and how much of it on which day. */
export function ActivityPage() {
  const { search, change } = useSearch();
  const pages = useInfiniteQuery(entriesOf(search));
  const known = useQuery(collections).data ?? [];
  const [batch, setBatch] = useState<string | null>(null);
  const all = pages.data?.pages ?? [];
  const people = Object.assign({}, ...all.map((page) => page.people)) as Record<string, string>;
  const labels = Object.assign({}, ...all.map((page) => page.labels)) as Record<string, Record<string, Record<string, string>>>;
  const groups = grouped(all.flatMap((page) => page.items));
  return (
    <>
      <title>Activity</title>
      <Typography variant="h1" sx={{ mb: 2 }}>
        Activity
      </Typography>
      <ActivityFilters key={JSON.stringify(search)} search={search} collections={known} onChange={change} />
      <ActivityChart search={search} collections={known} />
      {pages.isPending && <Waiting what="what happened" />}
      {pages.isError && <Trouble error={pages.error} retry={pages.refetch} />}
      {pages.data && groups.length === 0 && (
        <Typography color="textSecondary" sx={{ py: 4 }}>
          {pages.hasNextPage ? "Nothing like that lately. Look further back." : "Nothing like that ever happened."}
        </Typography>
      )}
      {groups.map((group) => (
        <Paper
          key={group.entries[0].sequence}
          variant="outlined"
          sx={{ px: { xs: 1.5, sm: 2 }, pt: { xs: 1.5, sm: 2 }, mb: 1.5 }}
        >
          {group.batch !== null && group.entries.length > 1 && (
            <Box sx={{ display: "flex", gap: 2, alignItems: "baseline", mb: 1 }}>
              <Typography sx={{ flex: 1, fontWeight: 700 }}>{group.entries.length} changes together</Typography>
              <Button size="small" onClick={() => setBatch(group.batch)}>
                Undo all…
              </Button>
            </Box>
          )}
          <EntryList
            entries={group.entries}
            line={(entry) => (
              <EntryLine
                key={entry.sequence}
                entry={entry}
                people={people}
                labels={labels[entry.collection] ?? {}}
                about={<About entry={entry} collections={known} />}
              />
            )}
          />
        </Paper>
      ))}
      {pages.hasNextPage && (
        <Button onClick={() => void pages.fetchNextPage()} loading={pages.isFetchingNextPage}>
          Earlier
        </Button>
      )}
      {all.at(-1)?.archived.map((file) => (
        <Typography key={file} color="textSecondary">
          Earlier entries are in the archive {file}.
        </Typography>
      ))}
      {batch !== null && <UndoDialog what={{ batch }} onClose={() => setBatch(null)} />}
    </>
  );
}

function About({ entry, collections }: { entry: Entry; collections: CollectionInfo[] }) {
  const collection = collections.find((one) => one.name === entry.collection);
  if (collection === undefined) return null;
  return (
    <>
      <Box component="span" sx={{ color: "text.secondary" }}>
        {collection.singular}{" "}
      </Box>
      <Link component={RouterLink} to={`/c/${collection.name}/r/${encodeURIComponent(String(entry.key))}`}>
        {String(entry.key)}
      </Link>
      {" · "}
    </>
  );
}
