import MenuItem from "@mui/material/MenuItem";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableContainer from "@mui/material/TableContainer";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import type { Imported } from "../../api/files";
import type { CollectionSchema } from "../../api/types";

interface Props {
  columns: Imported["columns"];
  /** Columns that match no field, and of which nobody has said yet that they stand for none. */
  unmatched: Imported["unmatched"];
  schema: CollectionSchema;
  onChange: (column: string, field: string | null) => void;
}

/** Stands for a choice that is yet to be made; no field can be called so. */
const OPEN = "?";

/** Which field each column of the file stands for. */
export function ColumnTable({ columns, unmatched, schema, onChange }: Props) {
  const fields = Object.entries(schema.properties).filter(([, one]) => !one["x-reserved"]);
  // What the service keeps itself comes with an export, and needs no word.
  const shown = columns.filter(({ column }) => !schema.properties[column]?.["x-reserved"] && !column.startsWith("_"));
  return (
    <TableContainer>
      <Table size="small" aria-label="Columns">
        <TableHead>
          <TableRow>
            <TableCell>Column in the file</TableCell>
            <TableCell>Field</TableCell>
          </TableRow>
        </TableHead>
        <TableBody>
          {shown.map(({ column, field }) => (
            <TableRow key={column}>
              <TableCell sx={{ overflowWrap: "anywhere" }}>{column}</TableCell>
              <TableCell>
                <TextField
                  select
                  variant="standard"
                  value={unmatched.includes(column) ? OPEN : (field ?? "")}
                  error={unmatched.includes(column)}
                  onChange={(event) => onChange(column, event.target.value || null)}
                  slotProps={{ select: { displayEmpty: true, "aria-label": `Field for ${column}` } }}
                  sx={{ minWidth: 220 }}
                >
                  {unmatched.includes(column) && (
                    <MenuItem value={OPEN} disabled>
                      Choose what it stands for
                    </MenuItem>
                  )}
                  <MenuItem value="">
                    <Typography component="span" color="textSecondary">
                      none: leave the column out
                    </Typography>
                  </MenuItem>
                  {fields.map(([name, { title }]) => (
                    <MenuItem key={name} value={name}>
                      {title ?? name}
                    </MenuItem>
                  ))}
                </TextField>
              </TableCell>
            </TableRow>
          ))}
        </TableBody>
      </Table>
    </TableContainer>
  );
}
