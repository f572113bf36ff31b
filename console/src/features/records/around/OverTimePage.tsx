import Alert from "@mui/material/Alert";
import Link from "@mui/material/Link";
import MenuItem from "@mui/material/MenuItem";
import Paper from "@mui/material/Paper";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableContainer from "@mui/material/TableContainer";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useTheme } from "@mui/material/styles";
import { LineChart } from "@mui/x-charts/LineChart";
import { useQuery } from "@tanstack/react-query";
import { Link as RouterLink, useParams, useSearchParams } from "react-router";
import { schemaOf } from "../../../api/collections";
import { changesOf } from "../../../api/history";
import { moment, shown } from "../../../lib/text";
import { Trouble } from "../../../ui/Trouble";
import { Waiting } from "../../../ui/Waiting";
import { addressOf } from "../model";
import { measured, stepsOf } from "./steps";

/** A number of a record over time, as its history knows it: a line, and the same as a table. */
export function OverTimePage() {
  const { collection = "", recordKey = "" } = useParams();
  const [params, setParams] = useSearchParams();
  const { palette } = useTheme();
  const schema = useQuery(schemaOf(collection));
  const fields = schema.data ? measured(schema.data) : [];
  const asked = params.get("field") ?? "";
  const field = fields.includes(asked) ? asked : (fields[0] ?? "");
  const found = useQuery(changesOf(collection, recordKey, field));
  if (schema.isPending) return <Waiting what="the record" />;
  if (schema.isError) return <Trouble title="This cannot be shown" error={schema.error} />;
  const titleOf = (name: string) => schema.data.properties[name]?.title ?? name;
  const steps = stepsOf(found.data?.entries ?? [], field);
  const drawn = steps.filter((one) => one.value !== null);
  return (
    <>
      <title>{`${recordKey} over time`}</title>
      <Link component={RouterLink} to={addressOf(collection, recordKey)} underline="hover">
        ← {recordKey}
      </Link>
      <Typography variant="h1" sx={{ mt: 0.5, mb: 2 }}>
        {recordKey} over time
      </Typography>
      {fields.length === 0 ? (
        <Typography color="textSecondary">No field of {schema.data.title} holds a number.</Typography>
      ) : (
        <TextField
          select
          label="Field"
          value={field}
          onChange={(event) => setParams({ field: event.target.value }, { replace: true })}
          sx={{ mb: 2, maxWidth: 320 }}
        >
          {fields.map((name) => (
            <MenuItem key={name} value={name}>
              {titleOf(name)}
            </MenuItem>
          ))}
        </TextField>
      )}
      {found.isPending && field !== "" && <Waiting what="the history" />}
      {found.isError && <Trouble error={found.error} retry={found.refetch} />}
      {found.data && !found.data.whole && (
        <Alert severity="info" sx={{ mb: 2 }}>
          Only the last {found.data.entries.length} changes of it are shown.
        </Alert>
      )}
      {found.data && steps.length === 0 && <Typography color="textSecondary">It has never been changed.</Typography>}
      {drawn.length > 0 && (
        <Paper variant="outlined" sx={{ p: 2, mb: 2 }}>
          <LineChart
            height={300}
            xAxis={[{ data: steps.map((one) => new Date(one.time)), scaleType: "time", tickLabelMinGap: 16 }]}
            yAxis={[{ width: 56 }]}
            series={[
              {
                data: steps.map((one) => one.value),
                label: titleOf(field),
                curve: "stepAfter",
                color: palette.primary.main,
                showMark: steps.length < 60,
              },
            ]}
            hideLegend
            margin={{ left: 0, right: 16, top: 12, bottom: 0 }}
          />
        </Paper>
      )}
      {steps.length > 0 && (
        <TableContainer component={Paper} variant="outlined" tabIndex={0} aria-label="Values" sx={{ maxHeight: 360 }}>
          <Table size="small" stickyHeader>
            <TableHead>
              <TableRow>
                <TableCell>Since</TableCell>
                <TableCell align="right">{titleOf(field)}</TableCell>
                <TableCell>By</TableCell>
                <TableCell>Version</TableCell>
              </TableRow>
            </TableHead>
            <TableBody>
              {[...steps].reverse().map((one) => (
                <TableRow key={one.version}>
                  <TableCell>{moment(one.time)}</TableCell>
                  <TableCell align="right">{shown(one.stored)}</TableCell>
                  <TableCell>{found.data?.people[one.actor] ?? one.actor}</TableCell>
                  <TableCell>{one.version}</TableCell>
                </TableRow>
              ))}
            </TableBody>
          </Table>
        </TableContainer>
      )}
    </>
  );
}
