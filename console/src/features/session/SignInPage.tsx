import Alert from "@mui/material/Alert";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Paper from "@mui/material/Paper";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState, type SyntheticEvent } from "react";
import { health } from "../../api/health";
import { signIn } from "../../api/session";
import { WaterMark } from "../../ui/WaterMark";

export function SignInPage() {
  const client = useQueryClient();
  const service = useQuery(health);
  const [entered, setEntered] = useState("");
  const entering = useMutation({ mutationFn: (given: string) => signIn(client, given) });
  const submit = (event: SyntheticEvent) => {
    event.preventDefault();
    if (entered.trim()) entering.mutate(entered.trim());
  };
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
          Sign in with your token to see and change records.
        </Typography>
        <form onSubmit={submit}>
          <TextField
            label="Token"
            type="password"
            autoComplete="current-password"
            autoFocus
            required
            value={entered}
            onChange={(event) => setEntered(event.target.value)}
          />
          {entering.isError && (
            <Alert severity="error" sx={{ mt: 2 }}>
              {entering.error.isSignedOut
                ? "This token is unknown, expired or revoked. Check it, or ask for a new one."
                : entering.error.message}
            </Alert>
          )}
          <Button type="submit" variant="contained" fullWidth loading={entering.isPending} sx={{ mt: 3 }}>
            Sign in
          </Button>
        </form>
      </Paper>
    </Box>
  );
}
