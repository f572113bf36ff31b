import Checkbox from "@mui/material/Checkbox";
import Paper from "@mui/material/Paper";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableContainer from "@mui/material/TableContainer";
import TableRow from "@mui/material/TableRow";
import { useRef, useState, type ClipboardEvent } from "react";
import type { CollectionSchema, Page, Row } from "../../api/types";
import { textOf } from "../../ui/fields";
import { freshMark } from "../../ui/fresh";
import { CellEditor } from "./grid/CellEditor";
import { GridCell } from "./grid/GridCell";
import { GridHead } from "./grid/GridHead";
import { nameOf, type Cells } from "./grid/useCells";
import type { Chosen } from "./grid/useChosen";
import { cellsOf, pastedAt, textOfCells, type Pasted } from "./grid/paste";
import { PasteDialog } from "./grid/PasteDialog";
import { takesTyping, useEditing } from "./grid/useEditing";
import { useFits } from "./grid/useFits";
import { placeIn, useGrid } from "./grid/useGrid";
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
  /** Which of the list the first row is, from 1; and how many there are, where that is known. */
  first: number;
  count: number | undefined;
}

/** A page of records as a grid: cells are edited in place, and the first one of a row leads to its record. */
export function RecordTable(props: RecordsProps) {
  const { collection, schema, widths, page, writable, cells, chosen, changed, sort, onSort, first, count } = props;
  // What the record's page leads back to.
  const state = useWayBack(collection);
  const key = schema["x-key"];
  const columns = schema["x-columns"];
  const linked = columns.includes(key) ? key : columns[0];
  const ids = page.items.map((row) => row.id);
  // The first column is for choosing.
  const grid = useGrid({ rows: ids.length, columns: columns.length + 1 }, ids);
  const box = useRef<HTMLDivElement>(null);
  // Titles stay in sight where nothing has to be scrolled sideways: both at once cannot be.
  const fits = useFits(box, grid.grid);
  const editing = useEditing({ schema, rows: page.items, writable, cells, chosen, grid });
  // Whether the click that changes a box was made with Shift: the change itself does not say.
  const shifted = useRef(false);
  const [pasted, setPasted] = useState<Pasted | null>(null);
  const onPaste = (event: ClipboardEvent) => {
    const place = placeIn(event.target as Element);
    const text = event.clipboardData.getData("text/plain");
    if (place === null || text === "") return;
    event.preventDefault();
    const cells = cellsOf(text);
    const from = { ...place, column: Math.max(1, place.column) };
    const single = cells.length === 1 && cells[0]?.length === 1;
    if (single && takesTyping(schema, columns[from.column - 1] ?? "")) editing.edit(from, cells[0]?.[0] ?? "");
    else setPasted(pastedAt({ schema, page, writable }, cells, from));
  };
  const onCopy = (event: ClipboardEvent) => {
    const place = placeIn(event.target as Element);
    if (place === null || document.getSelection()?.isCollapsed === false) return;
    const rows = page.items.filter((row) => chosen.has(row.id));
    const one = page.items[place.row];
    const name = columns[place.column - 1];
    const texts = (names: string[]) => (row: Row) => names.map((each) => cellText(page, row, each, key));
    // What is chosen, row by row; else the cell that one is on.
    const cells = rows.length > 0 ? rows.map(texts(columns)) : one && name ? [texts([name])(one)] : [];
    if (cells.length === 0) return;
    event.preventDefault();
    event.clipboardData.setData("text/plain", textOfCells(cells));
  };
  return (
    <>
      <TableContainer ref={box} component={Paper} variant="outlined" sx={{ overflowX: fits ? "visible" : "auto" }}>
        <Table
          ref={grid.grid}
          size="small"
          stickyHeader={fits}
          role="grid"
          // Of a list of which a part is here.
          aria-rowcount={count === undefined ? -1 : count + 1}
          aria-label={schema.title}
          onKeyDown={grid.onKeyDown}
          onFocus={grid.onFocus}
          onPaste={onPaste}
          onCopy={onCopy}
          sx={{
            "& td, & th": { px: 1.25 },
            "& th": { bgcolor: "background.paper" },
            // So that keys lead to none that the titles cover.
            "& td": { scrollMarginTop: 48 },
            "& td:focus-visible, & td:focus-within": { outline: 2, outlineColor: "primary.main", outlineOffset: -2 },
          }}
        >
          <GridHead schema={schema} widths={widths} ids={ids} chosen={chosen} sort={sort} onSort={onSort} />
          <TableBody>
            {page.items.map((row, line) => (
              <TableRow
                key={row.id}
                data-id={row.id}
                hover
                selected={chosen.has(row.id)}
                aria-selected={chosen.has(row.id)}
                aria-rowindex={first + line + 1}
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
                      text={unsaved ? controlText(unsaved.control) : cellText(page, row, name, key)}
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
      {pasted && (
        <PasteDialog collection={collection} schema={schema} page={page} pasted={pasted} onClose={() => setPasted(null)} />
      )}
      <CellEditor collection={collection} cells={cells} onDone={editing.onDone} />
    </>
  );
}
