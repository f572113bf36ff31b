import Box from "@mui/material/Box";
import Link from "@mui/material/Link";
import type { ReactNode } from "react";
import { useState } from "react";
import type { Entry } from "../api/types";
import { folded } from "./folding";

interface Props {
  entries: Entry[];
  line: (entry: Entry) => ReactNode;
  /** Lines that are shown before the others are asked for; all where none is given. */
  few?: number | undefined;
}

/** Entries one below the other; those that are merely derived and stand together are one line until asked for. */
export function EntryList({ entries, line, few }: Props) {
  const [whole, setWhole] = useState(false);
  const runs = folded(entries);
  const first = whole || few === undefined || runs.length <= few + 1 ? runs : runs.slice(0, few);
  return (
    <Box component="ol" sx={{ listStyle: "none", m: 0, p: 0, borderLeft: 2, borderColor: "divider" }}>
      {first.map((run) => (run.length > 1 ? <Run key={run[0].sequence} entries={run} line={line} /> : line(run[0])))}
      {first.length < runs.length && (
        <Box component="li" sx={{ pl: 2.25, pb: 2 }}>
          <Link component="button" variant="body2" onClick={() => setWhole(true)}>
            {runs.length - first.length} more
          </Link>
        </Box>
      )}
    </Box>
  );
}

function Run({ entries, line }: Props) {
  const [open, setOpen] = useState(false);
  if (open) return <>{entries.map(line)}</>;
  return (
    <Box component="li" sx={{ pl: 2.25, pb: 2 }}>
      <Link component="button" variant="body2" onClick={() => setOpen(true)}>
        {entries.length} derived changes
      </Link>
    </Box>
  );
}
