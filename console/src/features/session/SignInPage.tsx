import Alert from "@mui/material/Alert";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Paper from "@mui/material/Paper";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState, type SyntheticEvent } from "react";
import { health } from "../../api/health";
import { signIn, signInWithToken } from "../../api/session";
import { WaterMark } from "../../ui/WaterMark";

/** Asks for name and password, or for a token where somebody has one. */
export function SignInPage() {
  const service = useQuery(health);
  const [byToken, setByToken] = useState(false);
  return (
    <Box
      component="main"
      sx={{ minHeight: "100vh", display: "grid", gridTemplateColumns: "minmax(0, 420px)", placeContent: "center", p: 2 }}
    >
      <Paper variant="outlined" sx={{ p: { xs: 2.5, sm: 4 } }}>
        <WaterMark />
        <Typography variant="h1" sx={{ mt: 2 }}>
          {service.data?.title ?? "Fenland"}
        </Typography>
        <Typography color="textSecondary" sx={{ mb: 3 }}>
          Sign in to see and change records.
        </Typography>
        {byToken ? <TokenForm /> : <PasswordForm />}
        <Button fullWidth sx={{ mt: 1 }} onClick={() => setByToken(!byToken)}>
          {byToken ? "Use name and password" : "Use a token"}
        </Button>
      </Paper>
    </Box>
  );
}

function PasswordForm() {
  const client = useQueryClient();
  const [name, setName] = useState("");
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
        autoFocus
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
