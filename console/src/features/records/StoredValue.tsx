import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import type { Json } from "../../lib/json";
import { shown } from "../../lib/text";

/** A value that can be read and not changed here. */
export function StoredValue({ label, value, hidden }: { label: string; value: Json | undefined; hidden: boolean }) {
  return (
    <Box sx={{ px: 1.75 }}>
      <Typography variant="caption" color="textSecondary">
        {label}
      </Typography>
      <Typography sx={{ overflowWrap: "anywhere" }}>{hidden ? "Not shown" : shown(value)}</Typography>
    </Box>
  );
}
