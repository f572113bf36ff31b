import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Link from "@mui/material/Link";
import MenuItem from "@mui/material/MenuItem";
import Paper from "@mui/material/Paper";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";
import { Link as RouterLink, useParams, useSearchParams } from "react-router";
import { callsOf, type CallToCopy } from "../../api/calls";
import { collectionInfo } from "../../api/collections";
import { useTell } from "../../ui/messages";
import { Trouble } from "../../ui/Trouble";
import { Waiting } from "../../ui/Waiting";

/** As what a tool sends, in its users' words. */
const WAYS: Record<string, string> = {
  form: "Inputs of a form, GET and POST alone",
  texts: "JSON in which all values are texts",
  json: "JSON with numbers, true and false, any method",
};

/** What to copy into another tool, so that it lists, adds, changes and deletes records here. */
export function CallsPage() {
  const { collection = "" } = useParams();
  const [params, setParams] = useSearchParams();
  const info = useQuery(collectionInfo(collection));
  const found = useQuery(callsOf(collection));
  if (found.isPending || info.isPending) return <Waiting what="the calls" />;
  const trouble = found.error ?? info.error;
  if (trouble) return <Trouble title="The calls cannot be shown" error={trouble} retry={found.refetch} />;
  if (!found.data || !info.data) return null;
  const asked = params.get("way") ?? "";
  const way = asked in WAYS ? asked : "form";
  const shown = found.data.items.filter((one) => one.way === "any" || one.way === way);
  return (
    <>
      <title>{`How to call it · ${info.data.title}`}</title>
      <Link component={RouterLink} to={`/c/${collection}`} underline="hover">
        ← {info.data.title}
      </Link>
      <Box sx={{ display: "flex", gap: 2, alignItems: "baseline", mt: 0.5, mb: 1 }}>
        <Typography variant="h1" sx={{ flex: 1 }}>
          How to call it
        </Typography>
        <Link component={RouterLink} to={`/reference?${new URLSearchParams({ collection })}`}>
          The whole API
        </Link>
        <Link component={RouterLink} to="/requests">
          What was sent
        </Link>
      </Box>
      <Typography color="textSecondary" sx={{ mb: 2, maxWidth: 720 }}>
        Copy these into another tool. What stands in braces is the tool&rsquo;s to fill in: the token of an account, a key, and
        what its inputs hold.
      </Typography>
      <TextField
        select
        label="The tool sends"
        value={way}
        onChange={(event) => setParams({ way: event.target.value }, { replace: true })}
        sx={{ maxWidth: 420, mb: 2 }}
      >
        {Object.entries(WAYS).map(([name, words]) => (
          <MenuItem key={name} value={name}>
            {words}
          </MenuItem>
        ))}
      </TextField>
      {shown.map((one) => (
        <Call key={`${one.action} ${one.way}`} call={one} />
      ))}
    </>
  );
}

function Call({ call }: { call: CallToCopy }) {
  const headers = Object.entries(call.headers).map(([name, value]) => `${name}: ${value}`);
  return (
    <Paper component="section" variant="outlined" aria-label={call.title} sx={{ p: 2, mb: 1.5 }}>
      <Typography variant="h2" sx={{ mb: 1 }}>
        {call.title}
      </Typography>
      <Copied what="address" shown={`${call.method} ${call.url}`} text={call.url} />
      <Copied what="headers" shown={headers.join("\n")} text={headers.join("\n")} />
      {call.body !== null && <Copied what="body" shown={call.body} text={call.body} />}
      {call.untouched !== "" && (
        <Typography variant="body2" color="textSecondary" sx={{ mt: 1 }}>
          {call.untouched}
        </Typography>
      )}
    </Paper>
  );
}

function Copied({ what, shown, text }: { what: string; shown: string; text: string }) {
  const tell = useTell();
  const copy = async () => {
    try {
      await navigator.clipboard.writeText(text);
      tell(`Copied: the ${what}.`);
    } catch {
      tell("This browser does not let pages copy. Mark the text and copy it.", { severity: "error" });
    }
  };
  return (
    <Box sx={{ display: "flex", gap: 1, alignItems: "flex-start" }}>
      <Box
        component="pre"
        tabIndex={0}
        sx={{ flex: 1, minWidth: 0, m: 0, my: 0.5, fontFamily: "monospace", fontSize: "0.8125rem", overflowX: "auto" }}
      >
        {shown}
      </Box>
      <Button size="small" aria-label={`Copy the ${what}`} onClick={() => void copy()}>
        Copy
      </Button>
    </Box>
  );
}
