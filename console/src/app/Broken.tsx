import Alert from "@mui/material/Alert";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import Box from "@mui/material/Box";

/** In place of a page that cannot be shown: a part of the console could not be loaded, or something in it broke. */
export function Broken() {
  return (
    <Box component="main" sx={{ p: 3, maxWidth: 720 }}>
      <title>This page cannot be shown</title>
      <Typography variant="h1">This page cannot be shown</Typography>
      <Alert
        severity="error"
        sx={{ my: 2 }}
        action={
          <Button color="inherit" size="small" onClick={() => window.location.reload()}>
            Load it again
          </Button>
        }
      >
        A part of it could not be loaded, or something in it went wrong. What you saved is kept.
      </Alert>
    </Box>
  );
}
