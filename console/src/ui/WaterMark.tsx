import Box from "@mui/material/Box";

/** The product's mark: two lines of water. */
export function WaterMark({ size = 40 }: { size?: number }) {
  return (
    <Box component="svg" viewBox="0 0 32 32" aria-hidden sx={{ width: size, height: size, display: "block", flexShrink: 0 }}>
      <Box
        component="rect"
        width="32"
        height="32"
        rx="7"
        sx={{ fill: "primary.main", color: "primary.main" }}
        fill="currentColor"
      />
      <path
        d="M5 12c4-4 7 4 11 0s7 4 11 0M5 21c4-4 7 4 11 0s7 4 11 0"
        fill="none"
        stroke="#f3e3b5"
        strokeWidth="3"
        strokeLinecap="round"
      />
    </Box>
  );
}
