import Alert from "@mui/material/Alert";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Link from "@mui/material/Link";
import Paper from "@mui/material/Paper";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState, type SyntheticEvent } from "react";
import { Link as RouterLink } from "react-router";
import { changePassword, issueToken, revokeToken, tokens, type Token } from "../../api/accounts";
import { forget, session } from "../../api/session";
import { moment } from "../../lib/text";
import { Trouble } from "../../ui/Trouble";
import { Waiting } from "../../ui/Waiting";

/** The own account: its tokens and sessions, and its password. */
export function OwnAccountPage() {
  const account = useQuery(session).data;
  return (
    <>
      <title>Your account</title>
      <Typography variant="h1">{account?.title}</Typography>
      <Typography color="textSecondary" sx={{ mb: 3 }}>
        {account?.account}
        {account && account.roles.length > 0 && ` · ${account.roles.join(", ")}`}
      </Typography>
      <Typography sx={{ mb: 3 }}>
        <Link component={RouterLink} to="/requests">
          Your requests
        </Link>
        : what your programs send, and what it means.
      </Typography>
      <Box
        sx={{
          display: "grid",
          gap: 3,
          gridTemplateColumns: { xs: "minmax(0, 1fr)", lg: "minmax(0, 3fr) minmax(0, 2fr)" },
          alignItems: "start",
        }}
      >
        <Tokens />
        <PasswordForm />
      </Box>
    </>
  );
}

function Tokens() {
  const found = useQuery(tokens);
  return (
    <Paper component="section" aria-label="Tokens and sessions" variant="outlined" sx={{ p: 2.5 }}>
      <Typography variant="h2">Tokens and sessions</Typography>
      <Typography color="textSecondary" sx={{ mb: 1 }}>
        Programs use tokens, browsers sessions. Revoke what you do not know.
      </Typography>
      {found.isPending && <Waiting what="tokens" />}
      {found.isError && <Trouble error={found.error} retry={found.refetch} />}
      {found.data?.map((one) => (
        <Line key={one.id} token={one} />
      ))}
      <NewToken />
    </Paper>
  );
}

function Line({ token }: { token: Token }) {
  const client = useQueryClient();
  const revoking = useMutation({ mutationFn: () => revokeToken(client, token.id) });
  return (
    <Box sx={{ display: "flex", gap: 1, alignItems: "center", py: 1, borderTop: 1, borderColor: "divider" }}>
      <Box sx={{ flex: 1, minWidth: 0 }}>
        <Typography noWrap title={token.label}>
          {token.kind === "session" ? "Session" : "Token"}
          {token.label && ` · ${token.label}`}
        </Typography>
        <Typography variant="body2" color="textSecondary">
          Made {moment(token.created_at)} · {token.used_at === null ? "never used" : `last used ${moment(token.used_at)}`} ·{" "}
          {token.expires_at === null ? "does not end" : `ends ${moment(token.expires_at)}`}
        </Typography>
      </Box>
      <Button size="small" color="error" loading={revoking.isPending} onClick={() => revoking.mutate()}>
        {token.kind === "session" ? "End" : "Revoke"}
      </Button>
    </Box>
  );
}

function NewToken() {
  const client = useQueryClient();
  const [label, setLabel] = useState("");
  const [days, setDays] = useState("90");
  const making = useMutation({
    mutationFn: () => issueToken(client, { label, days: days === "" ? null : Number(days), scope: null }),
    onSuccess: () => setLabel(""),
  });
  const submit = (event: SyntheticEvent) => {
    event.preventDefault();
    making.mutate();
  };
  return (
    <Box component="form" onSubmit={submit} sx={{ pt: 2, borderTop: 1, borderColor: "divider" }}>
      <Box sx={{ display: "flex", gap: 1, alignItems: "center" }}>
        <TextField label="What it is for" required value={label} onChange={(event) => setLabel(event.target.value)} />
        <TextField
          label="Days"
          type="number"
          value={days}
          onChange={(event) => setDays(event.target.value)}
          sx={{ maxWidth: 110 }}
        />
        <Button type="submit" variant="contained" loading={making.isPending} sx={{ whiteSpace: "nowrap", flexShrink: 0 }}>
          New token
        </Button>
      </Box>
      {making.isError && (
        <Alert severity="error" sx={{ mt: 1 }}>
          {making.error.message}
        </Alert>
      )}
      {making.data && (
        <Alert severity="success" sx={{ mt: 1 }}>
          Copy it now, it is shown this once: <code style={{ overflowWrap: "anywhere" }}>{making.data}</code>
        </Alert>
      )}
    </Box>
  );
}

function PasswordForm() {
  const client = useQueryClient();
  const [current, setCurrent] = useState("");
  const [wanted, setWanted] = useState("");
  const changing = useMutation({
    mutationFn: () => changePassword(current, wanted),
    // Every session is over now, this one too.
    onSuccess: () => forget(client),
  });
  const submit = (event: SyntheticEvent) => {
    event.preventDefault();
    changing.mutate();
  };
  const wrong = changing.error?.errors[0]?.detail;
  return (
    <Paper component="section" aria-label="Password" variant="outlined" sx={{ p: 2.5 }}>
      <Typography variant="h2" sx={{ mb: 2 }}>
        Password
      </Typography>
      <Box component="form" onSubmit={submit} sx={{ display: "grid", gap: 2 }}>
        <TextField
          label="Current password"
          type="password"
          required
          autoComplete="current-password"
          value={current}
          onChange={(event) => setCurrent(event.target.value)}
        />
        <TextField
          label="New password"
          type="password"
          required
          autoComplete="new-password"
          value={wanted}
          error={wrong !== undefined}
          helperText={wrong ?? "Ends all your sessions; sign in anew with it."}
          onChange={(event) => setWanted(event.target.value)}
        />
        {changing.isError && wrong === undefined && <Alert severity="error">{changing.error.message}</Alert>}
        <Button type="submit" variant="outlined" loading={changing.isPending}>
          Change password
        </Button>
      </Box>
    </Paper>
  );
}
