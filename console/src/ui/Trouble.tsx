import Alert from "@mui/material/Alert";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import type { ReactNode } from "react";

interface Props {
  error: Error;
  retry?: () => unknown;
  /** The heading, where it stands for a whole page. */
  title?: string;
  children?: ReactNode;
}

/** What went wrong, and a way to try again where that can help. */
export function Trouble({ error, retry, title, children }: Props) {
  const again = retry && (
    <Button color="inherit" size="small" onClick={() => void retry()}>
      Try again
    </Button>
  );
  return (
    <>
      {title !== undefined && <Typography variant="h1">{title}</Typography>}
      <Alert severity="error" action={again} sx={{ my: 2 }}>
        {error.message}
      </Alert>
      {children}
    </>
  );
}
