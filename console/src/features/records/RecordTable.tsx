import Box from "@mui/material/Box";
import Checkbox from "@mui/material/Checkbox";
import Paper from "@mui/material/Paper";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableContainer from "@mui/material/TableContainer";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import TableSortLabel from "@mui/material/TableSortLabel";
import type { KeyboardEvent } from "react";
import { Link, useLocation } from "react-router";
import type { CollectionSchema, Page, Row } from "../../api/types";
import { textOf } from "../../ui/fields";
import { freshMark } from "../../ui/fresh";
import { useTell } from "../../ui/messages";
import { CellEditor, type Onward } from "./grid/CellEditor";
import { closedBy } from "./grid/editing";
import { across, within, type Place } from "./grid/moves";
import { nameOf, type Cells } from "./grid/useCells";
import type { Chosen } from "./grid/useChosen";
import { useGrid } from "./grid/useGrid";
import { addressOf, cellText, controlText, isFigure } from "./model";

export interface RecordsProps {
  collection: string;
  schema: CollectionSchema;
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
export function RecordTable({ collection, schema, page, writable, cells, chosen, changed, sort, onSort }: RecordsProps) {
  const tell = useTell();
  // What the record's page leads back to.
  const state = { list: useLocation().search };
  const key = schema["x-key"];
  const columns = schema["x-columns"];
  const linked = columns.includes(key) ? key : columns[0];
  // The first column is for choosing.
  const size = { rows: page.items.length, columns: columns.length + 1 };
  const { grid, at, go, onKeyDown, onFocus } = useGrid(size);
  const all = page.items.every((row) => chosen.has(row.id));
  const some = page.items.some((row) => chosen.has(row.id));
  const descending = sort.startsWith("-");
  const sorted = sort.replace(/^-/, "");
  const align = (name: string) => (isFigure(schema.properties[name]) ? "right" : "left");
  const cellAt = ({ row, column }: Place) => {
    const record = page.items[row];
    const name = columns[column - 1];
    return record === undefined || name === undefined ? null : { id: record.id, recordKey: textOf(record[key]), name };
  };
  const closed = (row: Row, name: string) => closedBy(schema, name, writable.get(row.id) ?? []);
  const edit = (place: Place, typed = "") => {
    const cell = cellAt(place);
    const row = page.items[place.row];
    if (cell === null || row === undefined) return;
    const why = closed(row, cell.name);
    if (why === null) cells.open(cell, typed);
    else tell(why, { severity: "error" });
  };
  const choose = (from: number, to: number) => {
    const [first, last] = [Math.min(from, to), Math.max(from, to)];
    chosen.put(
      page.items.slice(first, last + 1).map((row) => row.id),
      true,
    );
  };
  const onCellKey = (event: KeyboardEvent, place: Place) => {
    const { key: pressed } = event;
    const step = pressed === "ArrowDown" ? 1 : pressed === "ArrowUp" ? -1 : 0;
    const one = page.items[place.row];
    if (pressed === " " && one) {
      event.preventDefault();
      chosen.toggle(one.id);
    } else if (event.shiftKey && step !== 0) {
      event.preventDefault();
      const to = within({ ...place, row: place.row + step }, size);
      choose(place.row, to.row);
      go(to);
    } else if (event.ctrlKey && pressed.toLowerCase() === "a") {
      event.preventDefault();
      choose(0, size.rows - 1);
    }
    if (pressed === "F2" || (pressed === "Enter" && event.target === event.currentTarget)) {
      event.preventDefault();
      edit(place);
    }
    const name = columns[place.column - 1] ?? "";
    const types = pressed.length === 1 && pressed !== " " && !event.ctrlKey && !event.altKey && !event.metaKey;
    const row = page.items[place.row];
    if (types && row && closed(row, name) === null && takesTyping(schema, name)) {
      event.preventDefault();
      edit(place, pressed);
    }
  };
  const onDone = (onward: Onward) => {
    if (onward === null) return;
    const opened = cells.opened;
    const row = page.items.findIndex((one) => one.id === opened?.id);
    const column = columns.findIndex((name) => name === opened?.name);
    const from = row < 0 || column < 0 ? at : { row, column: column + 1 };
    const steps: Record<NonNullable<Onward>, Place> = {
      down: within({ ...from, row: from.row + 1 }, size),
      next: across(from, size, 1),
      previous: across(from, size, -1),
      stay: from,
    };
    go({ ...steps[onward] });
  };
  return (
    <>
      <TableContainer component={Paper} variant="outlined">
        <Table
          ref={grid}
          size="small"
          role="grid"
          aria-label={schema.title}
          onKeyDown={onKeyDown}
          onFocus={onFocus}
          sx={{
            "& td, & th": { px: 1.25 },
            "& td:focus-visible, & td:focus-within": { outline: 2, outlineColor: "primary.main", outlineOffset: -2 },
          }}
        >
          <TableHead>
            <TableRow>
              <TableCell padding="checkbox">
                <Checkbox
                  size="small"
                  checked={all}
                  indeterminate={!all && some}
                  onChange={(event) =>
                    chosen.put(
                      page.items.map((row) => row.id),
                      event.target.checked,
                    )
                  }
                  slotProps={{ input: { "aria-label": "Choose all on this page" } }}
                />
              </TableCell>
              {columns.map((name) => (
                <TableCell
                  key={name}
                  role="columnheader"
                  align={align(name)}
                  sortDirection={sorted === name ? (descending ? "desc" : "asc") : false}
                >
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
                  onKeyDown={(event) => onCellKey(event, { row: line, column: 0 })}
                >
                  <Checkbox
                    size="small"
                    checked={chosen.has(row.id)}
                    tabIndex={at.row === line && at.column === 0 ? 0 : -1}
                    onClick={(event) => {
                      if (event.shiftKey) choose(at.row, line);
                    }}
                    onChange={() => chosen.toggle(row.id)}
                    slotProps={{ input: { "aria-label": `Choose ${textOf(row[key])}` } }}
                  />
                </TableCell>
                {columns.map((name, index) => {
                  const column = index + 1;
                  const place = { row: line, column };
                  const here = at.row === line && at.column === column;
                  const unsaved = cells.unsaved.get(nameOf({ id: row.id, name }));
                  const text = unsaved ? controlText(unsaved.control) : cellText(page, row, name);
                  const open = closed(row, name) === null;
                  return (
                    <TableCell
                      key={name}
                      role="gridcell"
                      data-row={line}
                      data-column={column}
                      data-cell={nameOf({ id: row.id, name })}
                      tabIndex={here && name !== linked ? 0 : -1}
                      align={align(name)}
                      aria-readonly={!open}
                      aria-invalid={unsaved?.wrong ? true : undefined}
                      title={unsaved?.wrong ?? (text.length > 40 ? text : undefined)}
                      onClick={() => go(place)}
                      onDoubleClick={() => edit(place)}
                      onKeyDown={(event) => onCellKey(event, place)}
                      sx={lookOf(open, unsaved?.wrong)}
                    >
                      {name === linked ? (
                        <Box
                          component={Link}
                          to={addressOf(collection, row[key])}
                          state={state}
                          tabIndex={here ? 0 : -1}
                          onClick={(event) => event.stopPropagation()}
                          sx={{ color: "primary.main", fontWeight: 700 }}
                        >
                          {text}
                        </Box>
                      ) : (
                        text
                      )}
                    </TableCell>
                  );
                })}
              </TableRow>
            ))}
          </TableBody>
        </Table>
      </TableContainer>
      <CellEditor collection={collection} cells={cells} onDone={onDone} />
    </>
  );
}

/** Whether a key begins to edit: where a text or a number is typed, and nothing is chosen. */
function takesTyping(schema: CollectionSchema, name: string): boolean {
  const field = schema.properties[name];
  if (field === undefined || field.enum !== undefined || field["x-references"] !== undefined || name === schema["x-owner"])
    return false;
  const type = Array.isArray(field.type) ? field.type[0] : field.type;
  return type === "integer" || type === "number" || (type === "string" && !(field.format ?? "").startsWith("date"));
}

/** What can be edited looks like it, and so does what was refused. */
const lookOf = (open: boolean, wrong: string | null | undefined) => ({
  cursor: open ? "text" : "default",
  color: open ? "text.primary" : "text.secondary",
  ...(open ? { "&:hover": { boxShadow: "inset 0 0 0 1px var(--mui-palette-divider)" } } : {}),
  ...(wrong === undefined ? {} : { fontStyle: "italic" }),
  ...(wrong ? { color: "error.main", textDecoration: "underline wavy" } : {}),
});
