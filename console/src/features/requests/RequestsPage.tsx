import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import MenuItem from "@mui/material/MenuItem";
import Paper from "@mui/material/Paper";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { forgetRequests, inspectRequests, ownRequests, type Requests } from "../../api/requests";
import { moment } from "../../lib/text";
import { Trouble } from "../../ui/Trouble";
import { Waiting } from "../../ui/Waiting";
import { RequestLine } from "./RequestLine";

const MINUTES: [number, string][] = [
  [15, "15 minutes"],
  [60, "An hour"],
  [480, "8 hours"],
];

/** What the own account's programs sent last, what each field meant, and what was refused and why. */
export function RequestsPage() {
  const found = useQuery(ownRequests);
  const [refused, setRefused] = useState(false);
  if (found.isPending) return <Waiting what="your requests" />;
  if (!found.data) return <Trouble title="Your requests cannot be shown" error={found.error} retry={found.refetch} />;
  const { until, items } = found.data;
  const shown = items.filter((one) => !refused || one.status >= 400);
  return (
    <>
      <title>Your requests</title>
      <Typography variant="h1" sx={{ mb: 1 }}>
        Your requests
      </Typography>
      <Typography color="textSecondary" sx={{ mb: 2, maxWidth: 720 }}>
        The last 200 that programs sent as you: what each field meant, and what was refused and why. They are noted only while you
        say so, and only you see them; no token, no password and no value of a secret field is kept.
      </Typography>
      <Switch requests={found.data} />
      {found.isError && <Trouble error={found.error} retry={found.refetch} />}
      {items.length > 0 && (
        <FormControlLabel
          control={<Checkbox checked={refused} onChange={(event) => setRefused(event.target.checked)} />}
          label="Only refused ones"
        />
      )}
      {shown.length === 0 && <Typography sx={{ py: 4 }}>{nothing(until, items.length)}</Typography>}
      <Box component="ul" aria-label="Requests" sx={{ m: 0, p: 0, listStyle: "none" }}>
        {shown.map((one) => (
          <RequestLine key={`${one.number} ${one.time}`} request={one} />
        ))}
      </Box>
    </>
  );
}

function nothing(until: string | null, all: number): string {
  if (all > 0) return "None was refused.";
  return until === null ? "None was noted." : "None came yet. Send one: it appears here within seconds.";
}

function Switch({ requests }: { requests: Requests }) {
  const client = useQueryClient();
  const [minutes, setMinutes] = useState(15);
  const [own, setOwn] = useState(requests.console);
  const begin = useMutation({ mutationFn: () => inspectRequests(client, minutes, own) });
  const end = useMutation({ mutationFn: () => forgetRequests(client) });
  const trouble = begin.error ?? end.error;
  const on = requests.until !== null;
  return (
    <Paper component="section" aria-label="Noting" variant="outlined" sx={{ p: 2, mb: 2 }}>
      <Box sx={{ display: "flex", flexWrap: "wrap", gap: 2, alignItems: "center" }}>
        <Typography role="status" sx={{ flex: "1 1 220px" }}>
          {requests.until === null ? "They are not noted now." : `They are noted until ${moment(requests.until)}.`}
        </Typography>
        <TextField
          select
          label="For"
          value={minutes}
          onChange={(event) => setMinutes(Number(event.target.value))}
          sx={{ width: 140 }}
        >
          {MINUTES.map(([value, words]) => (
            <MenuItem key={value} value={value}>
              {words}
            </MenuItem>
          ))}
        </TextField>
        <FormControlLabel
          control={<Checkbox checked={own} onChange={(event) => setOwn(event.target.checked)} />}
          label="What this console asks, too"
        />
        <Button variant={on ? "outlined" : "contained"} loading={begin.isPending} onClick={() => begin.mutate()}>
          {on ? "Prolong" : "Note them"}
        </Button>
        {(on || requests.items.length > 0) && (
          <Button color="error" loading={end.isPending} onClick={() => end.mutate()}>
            Stop and forget
          </Button>
        )}
      </Box>
      {trouble && <Trouble error={trouble} />}
    </Paper>
  );
}
