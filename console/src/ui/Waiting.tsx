import Box from "@mui/material/Box";
import CircularProgress from "@mui/material/CircularProgress";

export function Waiting({ what }: { what: string }) {
  return (
    <Box
      role="status"
      aria-label={`Loading ${what}`}
      sx={{ display: "flex", gap: 2, alignItems: "center", p: 4, color: "text.secondary" }}
    >
      <CircularProgress size={22} /> Loading {what}…
    </Box>
  );
}
