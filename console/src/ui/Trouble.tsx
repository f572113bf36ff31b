import Alert from "@mui/material/Alert";
import Button from "@mui/material/Button";

/** What went wrong, and a way to try again where that can help. */
export function Trouble({ error, retry }: { error: Error; retry?: () => unknown }) {
  const again = retry && (
    <Button color="inherit" size="small" onClick={() => void retry()}>
      Try again
    </Button>
  );
  return (
    <Alert severity="error" action={again} sx={{ my: 2 }}>
      {error.message}
    </Alert>
  );
}
