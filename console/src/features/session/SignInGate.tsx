import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import Typography from "@mui/material/Typography";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Fragment, type ReactNode } from "react";
import { forget, session, type Session } from "../../api/session";
import { Trouble } from "../../ui/Trouble";
import { Waiting } from "../../ui/Waiting";
import { SignInForm } from "./SignInForm";
import { SignInPage } from "./SignInPage";

/**
 * Shows the console to who is signed in, and the sign-in page to who is not. A session that ends under somebody's
 * hands is renewed over the page, so that nothing they typed is lost.
 */
export function SignInGate({ children }: { children: ReactNode }) {
  const found = useQuery(session);
  if (found.isPending) return <Waiting what="your session" />;
  if (found.isError && !found.data) return <Trouble error={found.error} retry={found.refetch} />;
  if (!found.data) return <SignInPage />;
  return (
    <>
      {/* Another person finds nothing of what the one before had on their screen. */}
      <Fragment key={found.data.account}>{children}</Fragment>
      {found.data.ended && <Renewal held={found.data} />}
    </>
  );
}

function Renewal({ held }: { held: Session }) {
  const client = useQueryClient();
  return (
    <Dialog open fullWidth maxWidth="xs" aria-labelledby="renewal">
      <DialogTitle id="renewal">Your session has ended</DialogTitle>
      <DialogContent>
        <Typography sx={{ mb: 2.5 }}>
          Sign in again to go on, {held.title}. What you typed is still here, and what you were about to save is saved then.
        </Typography>
        <SignInForm name={held.account} />
        <Button fullWidth color="inherit" onClick={() => forget(client)}>
          Leave it, and sign in as somebody else
        </Button>
      </DialogContent>
    </Dialog>
  );
}
