import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import type { Many } from "../../api/records";
import { shown } from "../../lib/text";

interface Props {
  found: Many;
  /** What would be done with them: changed, or deleted. */
  done: string;
}

/** What doing something to many records comes to, those that are refused first. */
export function SeenMany({ found, done }: Props) {
  return (
    <Box role="status">
      <Typography>
        {found.changed} of {found.matched} would be {done}
        {found.refused > 0 && `, and ${found.refused} not`}.
      </Typography>
      <Box component="ul" sx={{ m: 0, pl: 2.5, maxHeight: 220, overflowY: "auto" }}>
        {found.records.map((one) => (
          <Typography component="li" variant="body2" key={shown(one.key)} sx={{ overflowWrap: "anywhere" }}>
            {[shown(one.key), told(one)].filter(Boolean).join(": ")}
          </Typography>
        ))}
      </Box>
    </Box>
  );
}

function told(one: Many["records"][number]): string {
  // The OpenAPI document leaves both open.
  const problem = one.problem as { detail: string; errors?: { detail: string }[] } | undefined;
  if (problem) return problem.errors?.[0]?.detail ?? problem.detail;
  const changes = (one.changes ?? {}) as Record<string, { before: never; after: never }>;
  return Object.values(changes)
    .map(({ before, after }) => `${shown(before)} → ${shown(after)}`)
    .join(", ");
}
