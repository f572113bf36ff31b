import Checkbox from "@mui/material/Checkbox";
import Paper from "@mui/material/Paper";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableContainer from "@mui/material/TableContainer";
import TableRow from "@mui/material/TableRow";
import { useRef } from "react";
import type { CollectionSchema, Page } from "../../api/types";
import { textOf } from "../../ui/fields";
import { freshMark } from "../../ui/fresh";
import { CellEditor } from "./grid/CellEditor";
import { GridCell } from "./grid/GridCell";
import { GridHead } from "./grid/GridHead";
import { nameOf, type Cells } from "./grid/useCells";
import type { Chosen } from "./grid/useChosen";
import { useEditing } from "./grid/useEditing";
import { useGrid } from "./grid/useGrid";
import { useWayBack } from "./around/useNeighbours";
import { addressOf, cellText, controlText, isFigure } from "./model";

export interface RecordsProps {
  collection: string;
  schema: CollectionSchema;
  /** Of each column, how wide it is, in pixels, if anybody said. */
  widths: (number | null)[];
  page: Page;
  /** By the id of a row, its fields that can be changed. */
  writable: ReadonlyMap<string, readonly string[]>;
  cells: Cells;
  chosen: Chosen;
  /** The ids of rows that others changed just now. */
  changed: ReadonlySet<string>;
  sort: string;
  onSort: (sort: string) => void;
}

/** A page of records as a grid: cells are edited in place, and the first one of a row leads to its record. */
export function RecordTable({ collection, schema, widths, page, writable, cells, chosen, changed, sort, onSort }: RecordsProps) {
  // What the record's page leads back to.
  const state = useWayBack(collection);
  const key = schema["x-key"];
  const columns = schema["x-columns"];
  const linked = columns.includes(key) ? key : columns[0];
  const ids = page.items.map((row) => row.id);
  // The first column is for choosing.
  const grid = useGrid({ rows: ids.length, columns: columns.length + 1 });
  const editing = useEditing({ schema, rows: page.items, writable, cells, chosen, grid });
  // Whether the click that changes a box was made with Shift: the change itself does not say.
  const shifted = useRef(false);
  return (
    <>
      <TableContainer component={Paper} variant="outlined">
        <Table
          ref={grid.grid}
          size="small"
          role="grid"
          aria-label={schema.title}
          onKeyDown={grid.onKeyDown}
          onFocus={grid.onFocus}
          sx={{
            "& td, & th": { px: 1.25 },
            "& td:focus-visible, & td:focus-within": { outline: 2, outlineColor: "primary.main", outlineOffset: -2 },
          }}
        >
          <GridHead schema={schema} widths={widths} ids={ids} chosen={chosen} sort={sort} onSort={onSort} />
          <TableBody>
            {page.items.map((row, line) => (
              <TableRow
                key={row.id}
                hover
                selected={chosen.has(row.id)}
                aria-selected={chosen.has(row.id)}
                sx={changed.has(row.id) ? freshMark(row.version) : {}}
              >
                <TableCell
                  padding="checkbox"
                  role="gridcell"
                  data-row={line}
                  data-column={0}
                  onKeyDown={(event) => editing.onCellKey(event, { row: line, column: 0 })}
                >
                  <Checkbox
                    size="small"
                    checked={chosen.has(row.id)}
                    disabled={chosen.all}
                    tabIndex={grid.at.row === line && grid.at.column === 0 ? 0 : -1}
                    onClickCapture={(event) => (shifted.current = event.shiftKey)}
                    onChange={() => chosen.toggle(row.id, shifted.current ? ids : [])}
                    slotProps={{ input: { "aria-label": `Choose ${textOf(row[key])}` } }}
                  />
                </TableCell>
                {columns.map((name, index) => {
                  const unsaved = cells.unsaved.get(nameOf({ id: row.id, name }));
                  return (
                    <GridCell
                      key={name}
                      id={row.id}
                      name={name}
                      place={{ row: line, column: index + 1 }}
                      width={widths[index] ?? null}
                      text={unsaved ? controlText(unsaved.control) : cellText(page, row, name)}
                      align={isFigure(schema.properties[name]) ? "right" : "left"}
                      open={editing.isOpen(row, name)}
                      unsaved={unsaved}
                      to={name === linked ? addressOf(collection, row[key]) : undefined}
                      state={state}
                      grid={grid}
                      editing={editing}
                    />
                  );
                })}
              </TableRow>
            ))}
          </TableBody>
        </Table>
      </TableContainer>
      <CellEditor collection={collection} cells={cells} onDone={editing.onDone} />
    </>
  );
}
