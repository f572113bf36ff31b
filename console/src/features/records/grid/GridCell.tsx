import Box from "@mui/material/Box";
import TableCell from "@mui/material/TableCell";
import type { ReactNode } from "react";
import { Link } from "react-router";
import { widthLook } from "./GridHead";
import type { Place } from "./moves";
import { nameOf, type Unsaved } from "./useCells";
import type { Editing } from "./useEditing";
import type { Grid } from "./useGrid";

/** Texts of so many characters may be cut off, and are told whole. */
const LONG = 40;

interface Props {
  id: string;
  name: string;
  place: Place;
  width: number | null;
  text: string;
  align: "left" | "right";
  open: boolean;
  unsaved: Unsaved | undefined;
  /** Where it leads, if it is the one of its row that leads to the record; and what is kept of the way. */
  to?: string | undefined;
  state?: unknown;
  grid: Grid;
  editing: Editing;
}

/** A cell of a grid: a value, which may be edited where it stands. */
export function GridCell({ id, name, place, width, text, align, open, unsaved, to, state, grid, editing }: Props) {
  const here = grid.at.row === place.row && grid.at.column === place.column;
  const wrong = unsaved?.wrong;
  let content: ReactNode = text;
  if (to !== undefined)
    content = (
      <Box
        component={Link}
        to={to}
        state={state}
        tabIndex={here ? 0 : -1}
        onClick={(event) => event.stopPropagation()}
        sx={{ color: "primary.main", fontWeight: 700 }}
      >
        {text}
      </Box>
    );
  return (
    <TableCell
      role="gridcell"
      data-row={place.row}
      data-column={place.column}
      data-cell={nameOf({ id, name })}
      tabIndex={here && to === undefined ? 0 : -1}
      align={align}
      aria-readonly={!open}
      aria-invalid={wrong ? true : undefined}
      title={wrong ?? (text.length > LONG ? text : undefined)}
      onClick={() => grid.go(place)}
      onDoubleClick={() => editing.edit(place)}
      onKeyDown={(event) => editing.onCellKey(event, place)}
      sx={{ ...widthLook(width), ...lookOf(open, unsaved) }}
    >
      {content}
    </TableCell>
  );
}

/** What can be edited looks like it, and so does what is not stored. */
const lookOf = (open: boolean, unsaved: Unsaved | undefined) => ({
  cursor: open ? "text" : "default",
  color: unsaved?.wrong ? "error.main" : open ? "text.primary" : "text.secondary",
  textDecoration: unsaved?.wrong ? "underline wavy" : "none",
  fontStyle: unsaved ? "italic" : "normal",
  ...(open ? { "&:hover": { boxShadow: "inset 0 0 0 1px var(--mui-palette-divider)" } } : {}),
});
