import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { useInfiniteQuery } from "@tanstack/react-query";
import { historyOf } from "../../api/history";
import type { Entry } from "../../api/types";
import { moment } from "../../lib/text";
import { Trouble } from "../../ui/Trouble";
import { Waiting } from "../../ui/Waiting";

/** Who changed what, newest first, in plain sentences. */
export function HistoryPanel({ collection, recordKey }: { collection: string; recordKey: string }) {
  const pages = useInfiniteQuery(historyOf(collection, recordKey));
  return (
    <Box component="section" aria-label="History">
      <Typography variant="h2" sx={{ mb: 1 }}>
        History
      </Typography>
      {pages.isPending && <Waiting what="the history" />}
      {pages.isError && <Trouble error={pages.error} retry={pages.refetch} />}
      <Box component="ol" sx={{ listStyle: "none", m: 0, p: 0, borderLeft: 2, borderColor: "divider" }}>
        {pages.data?.pages
          .flatMap((page) => page.items)
          .map((entry) => (
            <Line key={entry.sequence} entry={entry} />
          ))}
      </Box>
      {pages.hasNextPage && (
        <Button onClick={() => void pages.fetchNextPage()} loading={pages.isFetchingNextPage}>
          Earlier changes
        </Button>
      )}
    </Box>
  );
}

function Line({ entry }: { entry: Entry }) {
  const dot = {
    content: '""',
    position: "absolute",
    left: -6,
    top: 9,
    width: 10,
    height: 10,
    borderRadius: "50%",
    bgcolor: "secondary.main",
  };
  return (
    <Box component="li" sx={{ position: "relative", pl: 2.25, pb: 2, "&::before": dot }}>
      <Typography sx={{ overflowWrap: "anywhere" }}>{entry.sentence}</Typography>
      <Typography variant="body2" color="textSecondary">
        Version {entry.version} · {moment(entry.time)} · through the {viaWords[entry.via] ?? entry.via}
        {entry.reason !== null && ` · ${entry.reason}`}
      </Typography>
    </Box>
  );
}

const viaWords: Record<string, string> = { api: "API", "command-line": "command line", client: "Python client" };
