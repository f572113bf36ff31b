import Box from "@mui/material/Box";
import Link from "@mui/material/Link";
import type { ReactNode } from "react";
import { useState } from "react";
import type { Entry } from "../api/types";
import { folded } from "./folding";

interface Props {
  entries: Entry[];
  line: (entry: Entry) => ReactNode;
}

/** Entries one below the other; those that are merely derived and stand together are one line until asked for. */
export function EntryList({ entries, line }: Props) {
  return (
    <Box component="ol" sx={{ listStyle: "none", m: 0, p: 0, borderLeft: 2, borderColor: "divider" }}>
      {folded(entries).map((run) => (run.length > 1 ? <Run key={run[0].sequence} entries={run} line={line} /> : line(run[0])))}
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
