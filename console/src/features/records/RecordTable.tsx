import Box from "@mui/material/Box";
import Paper from "@mui/material/Paper";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableContainer from "@mui/material/TableContainer";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import TableSortLabel from "@mui/material/TableSortLabel";
import { Link, useNavigate } from "react-router";
import type { CollectionSchema, Row } from "../../api/types";
import { shown } from "../../lib/text";
import { columnsOf, textOf, typeOf } from "./model";

interface Props {
  collection: string;
  schema: CollectionSchema;
  items: Row[];
  sort: string;
  onSort: (sort: string) => void;
}

export function RecordTable({ collection, schema, items, sort, onSort }: Props) {
  const navigate = useNavigate();
  const key = schema["x-key"];
  const columns = columnsOf(schema.properties, key, schema["x-naming"]);
  const falling = sort.startsWith("-");
  const sorted = sort.replace(/^-/, "");
  const align = (name: string) => {
    const type = typeOf(schema.properties[name] ?? { type: "string" });
    return type === "integer" || type === "number" ? "right" : "left";
  };
  const address = (row: Row) => `/c/${collection}/r/${encodeURIComponent(textOf(row[key]))}`;
  return (
    <TableContainer component={Paper} variant="outlined">
      <Table size="small">
        <TableHead>
          <TableRow>
            {columns.map((name) => (
              <TableCell key={name} align={align(name)} sortDirection={sorted === name ? (falling ? "desc" : "asc") : false}>
                <TableSortLabel
                  active={sorted === name}
                  direction={sorted === name && falling ? "desc" : "asc"}
                  onClick={() => onSort(sorted === name && !falling ? `-${name}` : name)}
                >
                  {schema.properties[name]?.title ?? name}
                </TableSortLabel>
              </TableCell>
            ))}
          </TableRow>
        </TableHead>
        <TableBody>
          {items.map((row) => (
            <TableRow key={row.id} hover sx={{ cursor: "pointer" }} onClick={() => void navigate(address(row))}>
              {columns.map((name) => (
                <TableCell key={name} align={align(name)}>
                  {name === key ? (
                    <Box component={Link} to={address(row)} onClick={(event) => event.stopPropagation()} sx={{ color: "primary.main", fontWeight: 700 }}>
                      {shown(row[name])}
                    </Box>
                  ) : (
                    shown(row[name])
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
