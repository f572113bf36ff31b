import Box from "@mui/material/Box";
import Chip from "@mui/material/Chip";
import type { Other } from "../../api/presence";

/** Who else has the record open, and who edits it. */
export function Others({ others }: { others: Other[] }) {
  if (others.length === 0) return null;
  return (
    <Box role="status" aria-label="Also here" sx={{ display: "flex", gap: 1, flexWrap: "wrap", mb: 2 }}>
      {others.map((one) => (
        <Chip
          key={one.account}
          size="small"
          variant="outlined"
          color={one.editing ? "warning" : "default"}
          label={one.editing ? `${one.title} is editing this` : `${one.title} has this open`}
        />
      ))}
    </Box>
  );
}
