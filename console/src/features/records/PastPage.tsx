import Box from "@mui/material/Box";
import Link from "@mui/material/Link";
import Paper from "@mui/material/Paper";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";
import { Link as RouterLink, useParams, useSearchParams } from "react-router";
import { pastFormOf } from "../../api/history";
import { localMoment, moment, shown, utcMoment, zone } from "../../lib/text";
import { Trouble } from "../../ui/Trouble";
import { Waiting } from "../../ui/Waiting";
import { textOf } from "../../ui/fields";
import { labelIn } from "./model";
import { RestoreButton } from "./RestoreButton";
import { StoredValue } from "./StoredValue";

/** A record as it was at a version, or on a day and at a time; and the way back there. */
export function PastPage() {
  const { collection = "", recordKey = "" } = useParams();
  const [query, setQuery] = useSearchParams();
  const version = query.get("version");
  const at = query.get("at") ?? (version === null ? new Date().toISOString() : null);
  const found = useQuery(pastFormOf(collection, recordKey, version === null ? null : Number(version), at));
  const form = found.data;
  return (
    <>
      <title>{`${recordKey} as it was`}</title>
      <Link component={RouterLink} to={`/c/${collection}/r/${encodeURIComponent(recordKey)}`} underline="hover">
        ← {recordKey}
      </Link>
      <Typography variant="h1" sx={{ mt: 0.5, mb: 2 }}>
        {recordKey} as it was {version === null ? `on ${moment(at ?? "")}` : `at version ${version}`}
      </Typography>
      <TextField
        type="datetime-local"
        label={`As it was on (${zone})`}
        value={localMoment(at ?? (form ? textOf(form.values["updated_at"]) : ""))}
        onChange={(event) => {
          if (event.target.value !== "") setQuery({ at: utcMoment(event.target.value) }, { replace: true });
        }}
        slotProps={{ inputLabel: { shrink: true } }}
        sx={{ maxWidth: 320, mb: 2 }}
      />
      {found.isPending && <Waiting what="the record as it was" />}
      {found.isError && <Trouble error={found.error} retry={found.refetch} />}
      {form && (
        <Paper variant="outlined" sx={{ p: 2.5, maxWidth: 900 }}>
          <Typography color="textSecondary" sx={{ mb: 2 }}>
            Version {form.version}, changed {shown(form.values["updated_at"])} by {shown(form.values["updated_by"])}
          </Typography>
          <Box sx={{ display: "grid", gap: 2, gridTemplateColumns: { xs: "1fr", sm: "1fr 1fr" }, mb: 2.5 }}>
            {Object.entries(form.schema.properties)
              .filter(([, schema]) => !schema["x-reserved"])
              .map(([name, schema]) => (
                <StoredValue
                  key={name}
                  label={schema.title ?? name}
                  value={labelIn(form, name)}
                  hidden={!(name in form.values)}
                />
              ))}
          </Box>
          <RestoreButton collection={collection} recordKey={recordKey} version={form.version} schema={form.schema} />
        </Paper>
      )}
    </>
  );
}
