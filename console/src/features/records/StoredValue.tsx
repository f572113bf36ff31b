import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import type { Json } from "../../lib/json";
import { shown } from "../../lib/text";

interface Props {
  label: string;
  value: Json | undefined;
  hidden: boolean;
  /** Whether the service works it out from other fields. */
  derived?: boolean;
}

/** A value that can be read and not changed here. */
export function StoredValue({ label, value, hidden, derived = false }: Props) {
  return (
    <Box sx={{ px: 1.75 }}>
      <Typography variant="caption" color="textSecondary">
        {label}
        {derived && " (worked out)"}
      </Typography>
      <Typography sx={{ overflowWrap: "anywhere" }} aria-live={derived ? "polite" : undefined}>
        {hidden ? "Not shown" : shown(value)}
      </Typography>
    </Box>
  );
}
