import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableContainer from "@mui/material/TableContainer";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import Typography from "@mui/material/Typography";
import type { Imported } from "../../api/files";
import type { CollectionSchema } from "../../api/types";
import { schemaAt, sentenceFor } from "../../ui/sentences";

/** Refused rows that are shown; what is wrong is mostly the same again. */
const SHOWN = 50;

function titleOf(schema: CollectionSchema, pointer: string): string {
  const name = pointer.split("/")[1] ?? "";
  return schema.properties[name]?.title ?? name;
}

/** What is wrong with refused rows, by row and cell. */
export function ProblemTable({ problems, schema }: { problems: Imported["problems"]; schema: CollectionSchema }) {
  if (problems.length === 0) return null;
  const cells = problems.slice(0, SHOWN).flatMap((one) =>
    one.errors.length > 0
      ? one.errors.map((error) => ({
          row: one.row,
          // Of a field that has no column in the file, what people call it.
          column: error.column ?? titleOf(schema, error.pointer),
          detail: sentenceFor(error, schemaAt(schema, error.pointer)),
          key: `${one.row} ${error.pointer} ${error.code}`,
        }))
      : [{ row: one.row, column: "", detail: one.detail, key: String(one.row) }],
  );
  return (
    <TableContainer>
      <Table size="small" aria-label="Refused rows">
        <TableHead>
          <TableRow>
            <TableCell>Row</TableCell>
            <TableCell>Column</TableCell>
            <TableCell>What is wrong</TableCell>
          </TableRow>
        </TableHead>
        <TableBody>
          {cells.map((one) => (
            <TableRow key={one.key}>
              <TableCell>{one.row}</TableCell>
              <TableCell sx={{ overflowWrap: "anywhere" }}>{one.column}</TableCell>
              <TableCell sx={{ overflowWrap: "anywhere" }}>{one.detail}</TableCell>
            </TableRow>
          ))}
        </TableBody>
      </Table>
      {problems.length > SHOWN && (
        <Typography color="textSecondary" sx={{ mt: 1 }}>
          {problems.length - SHOWN} more rows are refused.
        </Typography>
      )}
    </TableContainer>
  );
}
