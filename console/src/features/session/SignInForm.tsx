import Alert from "@mui/material/Alert";
import Button from "@mui/material/Button";
import TextField from "@mui/material/TextField";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState, type SyntheticEvent } from "react";
import { signIn, signInWithToken } from "../../api/session";

/** Name and password, or a token where somebody has one. `name` is who is to sign in again. */
export function SignInForm({ name = "" }: { name?: string }) {
  const [byToken, setByToken] = useState(false);
  return (
    <>
      {byToken ? <TokenForm /> : <PasswordForm known={name} />}
      <Button fullWidth sx={{ mt: 1 }} onClick={() => setByToken(!byToken)}>
        {byToken ? "Use name and password" : "Use a token"}
      </Button>
    </>
  );
}

function PasswordForm({ known }: { known: string }) {
  const client = useQueryClient();
  const [name, setName] = useState(known);
  const [password, setPassword] = useState("");
  const entering = useMutation({ mutationFn: () => signIn(client, name.trim(), password) });
  const submit = (event: SyntheticEvent) => {
    event.preventDefault();
    if (name.trim() && password) entering.mutate();
  };
  return (
    <form onSubmit={submit}>
      <TextField
        label="Name"
        autoComplete="username"
        autoFocus={known === ""}
        required
        value={name}
        onChange={(event) => setName(event.target.value)}
        sx={{ mb: 2 }}
        slotProps={{ htmlInput: { autoCapitalize: "none", spellCheck: false } }}
      />
      <TextField
        label="Password"
        type="password"
        autoComplete="current-password"
        autoFocus={known !== ""}
        required
        value={password}
        onChange={(event) => setPassword(event.target.value)}
      />
      <Refused error={entering.error} />
      <Button type="submit" variant="contained" fullWidth loading={entering.isPending} sx={{ mt: 3 }}>
        Sign in
      </Button>
    </form>
  );
}

function TokenForm() {
  const client = useQueryClient();
  const [entered, setEntered] = useState("");
  const entering = useMutation({ mutationFn: (given: string) => signInWithToken(client, given) });
  const submit = (event: SyntheticEvent) => {
    event.preventDefault();
    if (entered.trim()) entering.mutate(entered.trim());
  };
  const known = entering.error?.isSignedOut
    ? new Error("This token is unknown, expired or revoked. Check it, or ask for a new one.")
    : entering.error;
  return (
    <form onSubmit={submit}>
      <TextField
        label="Token"
        type="password"
        autoComplete="off"
        autoFocus
        required
        value={entered}
        onChange={(event) => setEntered(event.target.value)}
      />
      <Refused error={known} />
      <Button type="submit" variant="contained" fullWidth loading={entering.isPending} sx={{ mt: 3 }}>
        Sign in
      </Button>
    </form>
  );
}

function Refused({ error }: { error: Error | null }) {
  if (error === null) return null;
  return (
    <Alert severity="error" sx={{ mt: 2 }}>
      {error.message}
    </Alert>
  );
}
