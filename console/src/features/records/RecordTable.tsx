import Box from "@mui/material/Box";
import Paper from "@mui/material/Paper";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableContainer from "@mui/material/TableContainer";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import TableSortLabel from "@mui/material/TableSortLabel";
import { Link, useLocation, useNavigate } from "react-router";
import type { CollectionSchema, Page } from "../../api/types";
import { freshMark } from "../../ui/fresh";
import { addressOf, cellText, isFigure } from "./model";

export interface RecordsProps {
  collection: string;
  schema: CollectionSchema;
  page: Page;
  /** The ids of rows that others changed just now. */
  changed: ReadonlySet<string>;
  sort: string;
  onSort: (sort: string) => void;
}

/** A page of records as a table; a whole row leads to its record. */
export function RecordTable({ collection, schema, page, changed, sort, onSort }: RecordsProps) {
  const navigate = useNavigate();
  // What the record's page leads back to.
  const from = { list: useLocation().search };
  const key = schema["x-key"];
  const columns = schema["x-columns"];
  const linked = columns.includes(key) ? key : columns[0];
  const descending = sort.startsWith("-");
  const sorted = sort.replace(/^-/, "");
  const align = (name: string) => (isFigure(schema.properties[name]) ? "right" : "left");
  return (
    <TableContainer component={Paper} variant="outlined">
      <Table size="small">
        <TableHead>
          <TableRow>
            {columns.map((name) => (
              <TableCell key={name} align={align(name)} sortDirection={sorted === name ? (descending ? "desc" : "asc") : false}>
                <TableSortLabel
                  active={sorted === name}
                  direction={sorted === name && descending ? "desc" : "asc"}
                  onClick={() => onSort(sorted === name && !descending ? `-${name}` : name)}
                >
                  {schema.properties[name]?.title ?? name}
                </TableSortLabel>
              </TableCell>
            ))}
          </TableRow>
        </TableHead>
        <TableBody>
          {page.items.map((row) => (
            <TableRow
              key={row.id}
              hover
              sx={{ cursor: "pointer", ...(changed.has(row.id) ? freshMark(row.version) : {}) }}
              onClick={() => void navigate(addressOf(collection, row[key]), { state: from })}
            >
              {columns.map((name) => (
                <TableCell key={name} align={align(name)}>
                  {name === linked ? (
                    <Box
                      component={Link}
                      to={addressOf(collection, row[key])}
                      state={from}
                      onClick={(event) => event.stopPropagation()}
                      sx={{ color: "primary.main", fontWeight: 700 }}
                    >
                      {cellText(page, row, name)}
                    </Box>
                  ) : (
                    cellText(page, row, name)
                  )}
                </TableCell>
              ))}
            </TableRow>
          ))}
        </TableBody>
      </Table>
    </TableContainer>
  );
}
