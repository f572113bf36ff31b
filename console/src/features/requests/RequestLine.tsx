import Accordion from "@mui/material/Accordion";
import AccordionDetails from "@mui/material/AccordionDetails";
import AccordionSummary from "@mui/material/AccordionSummary";
import Alert from "@mui/material/Alert";
import Box from "@mui/material/Box";
import Chip from "@mui/material/Chip";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableContainer from "@mui/material/TableContainer";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import Typography from "@mui/material/Typography";
import ExpandMoreIcon from "@mui/icons-material/ExpandMore";
import type { NotedField, NotedRequest } from "../../api/requests";
import { timeOfDay } from "../../lib/text";
import { addressOf, meantBy, OUTCOMES, sentAs } from "./model";

/** One request in a line; opened, all that is told of it. */
export function RequestLine({ request }: { request: NotedRequest }) {
  const refused = request.status >= 400;
  return (
    <li>
      <Accordion
        disableGutters
        variant="outlined"
        slotProps={{ heading: { component: "h2" }, transition: { unmountOnExit: true } }}
        sx={{ mb: 0.5 }}
      >
        <AccordionSummary expandIcon={<ExpandMoreIcon />}>
          <Box sx={{ display: "flex", flexWrap: "wrap", columnGap: 2, alignItems: "baseline", width: "100%", minWidth: 0 }}>
            <Typography component="span" variant="body2" color="textSecondary">
              {timeOfDay(request.time)}
            </Typography>
            <Chip
              size="small"
              variant={refused ? "filled" : "outlined"}
              color={refused ? "error" : "success"}
              label={request.status}
            />
            <Typography component="span" sx={{ fontFamily: "monospace", fontSize: "0.875rem", overflowWrap: "anywhere" }}>
              <strong>{request.method}</strong> {addressOf(request)}
            </Typography>
            <Typography component="span" variant="body2" sx={{ flex: "1 1 160px" }}>
              {meantBy(request)}
            </Typography>
            <Typography component="span" variant="body2" color="textSecondary">
              {(request.microseconds / 1000).toFixed(1)} ms
            </Typography>
          </Box>
        </AccordionSummary>
        <AccordionDetails>
          <Details request={request} />
        </AccordionDetails>
      </Accordion>
    </li>
  );
}

function Details({ request }: { request: NotedRequest }) {
  const { problem, fields, items, counts } = request;
  const headers = Object.entries(request.headers ?? {});
  return (
    <>
      {problem && (
        <Alert severity="error" sx={{ mb: 1.5 }}>
          {problem.detail ?? problem.title}
          {problem.errors?.map((one) => (
            <div key={`${one.pointer} ${one.code}`}>
              {one.pointer || "The record"}: {one.detail}
            </div>
          ))}
        </Alert>
      )}
      {request.repeated && (
        <Alert severity="info" sx={{ mb: 1.5 }}>
          The same Idempotency-Key had come before: this is the outcome that was kept, and nothing was done again.
        </Alert>
      )}
      {fields && <Fields fields={fields} />}
      {items?.map((one, place) => (
        <Box key={place} sx={{ mt: 1 }}>
          <Typography sx={{ fontFamily: "monospace", fontSize: "0.875rem" }}>
            {[one.status, one.action, one.collection, sentAs(one.key)].filter((part) => part !== "").join(" ")}
          </Typography>
          {one.problem && <Typography color="error">{one.problem.detail ?? one.problem.title}</Typography>}
          {one.fields && <Fields fields={one.fields} />}
        </Box>
      ))}
      {counts && (
        <Typography sx={{ my: 1 }}>
          {Object.entries(counts)
            .map(([name, count]) => `${count} ${name}`)
            .join(", ")}
        </Typography>
      )}
      {request.left_out && <Typography color="textSecondary">There was more than is kept.</Typography>}
      <Box component="pre" tabIndex={0} sx={{ m: 0, mt: 1.5, fontSize: "0.8125rem", overflowX: "auto", color: "text.secondary" }}>
        {[...headers.map(([name, value]) => `${name}: ${value}`), `Request: ${request.request_id}`].join("\n")}
      </Box>
    </>
  );
}

function Fields({ fields }: { fields: NotedField[] }) {
  return (
    <TableContainer tabIndex={0}>
      <Table size="small" aria-label="Fields">
        <TableHead>
          <TableRow>
            <TableCell>Field</TableCell>
            <TableCell>Sent</TableCell>
            <TableCell>What it meant</TableCell>
          </TableRow>
        </TableHead>
        <TableBody>
          {fields.map((one, place) => (
            <TableRow key={place}>
              <TableCell>{one.at ?? one.field}</TableCell>
              <TableCell sx={{ fontFamily: "monospace", overflowWrap: "anywhere" }}>{saidOf(one)}</TableCell>
              <TableCell sx={{ whiteSpace: "normal", color: one.outcome === "refused" ? "error.main" : undefined }}>
                {becameOf(one)}
              </TableCell>
            </TableRow>
          ))}
        </TableBody>
      </Table>
    </TableContainer>
  );
}

function saidOf(one: NotedField): string {
  if (one.withheld) return "(not kept)";
  const value = "sent" in one ? sentAs(one.sent) : "–";
  return one.edit === undefined ? value : `${one.edit} ${value}`;
}

function becameOf(one: NotedField): string {
  const outcome = one.outcome === undefined ? "" : OUTCOMES[one.outcome];
  if (one.code !== undefined) return one.detail ?? `${outcome}: ${one.code}`;
  return "now" in one ? `${outcome}: ${sentAs(one.now)}` : outcome;
}
