import Box from "@mui/material/Box";
import Checkbox from "@mui/material/Checkbox";
import MenuItem from "@mui/material/MenuItem";
import Paper from "@mui/material/Paper";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { Link } from "react-router";
import { textOf } from "../../ui/fields";
import { freshMark } from "../../ui/fresh";
import { useWayBack } from "./around/useNeighbours";
import { CellEditor, elementOf, type Onward } from "./grid/CellEditor";
import { closedBy } from "./grid/editing";
import { nameOf } from "./grid/useCells";
import { addressOf, cellText, controlText } from "./model";
import type { RecordsProps } from "./RecordTable";

/** A page of records where there is no room for a table: each a card, whose values are edited where they stand. */
export function RecordCards({ collection, schema, page, writable, cells, chosen, changed, sort, onSort }: RecordsProps) {
  const from = useWayBack(collection);
  const key = schema["x-key"];
  const naming = schema["x-naming"];
  const titleOf = (name: string) => schema.properties[name]?.title ?? name;
  const columns = schema["x-columns"];
  const told = columns.filter((name) => name !== key);
  const opened = cells.opened;
  const onDone = (onward: Onward) => {
    if (onward !== null && opened !== null) elementOf(nameOf(opened))?.focus();
  };
  return (
    <>
      <TextField
        select
        label="Sort by"
        value={columns.some((name) => [name, `-${name}`].includes(sort)) ? sort : ""}
        onChange={(event) => onSort(event.target.value)}
        sx={{ mb: 1.5 }}
      >
        <MenuItem value="">As created</MenuItem>
        {columns.flatMap((name) => [
          <MenuItem key={name} value={name}>
            {titleOf(name)}
          </MenuItem>,
          <MenuItem key={`-${name}`} value={`-${name}`}>
            {titleOf(name)}, descending
          </MenuItem>,
        ])}
      </TextField>
      <Paper component="ul" variant="outlined" aria-label="Records" sx={{ m: 0, p: 0, listStyle: "none" }}>
        {page.items.map((row) => (
          <Box
            component="li"
            key={row.id}
            data-id={row.id}
            sx={{
              px: 2,
              py: 1,
              borderTop: 1,
              borderColor: "divider",
              "&:first-of-type": { border: 0 },
              ...(changed.has(row.id) ? freshMark(row.version) : {}),
            }}
          >
            <Checkbox
              checked={chosen.has(row.id)}
              disabled={chosen.all}
              onChange={() => chosen.toggle(row.id)}
              slotProps={{ input: { "aria-label": `Choose ${textOf(row[key])}` } }}
              sx={{ float: "right", mt: -0.5, mr: -1.5 }}
            />
            <Box
              component={Link}
              to={addressOf(collection, row[key])}
              state={from}
              sx={{ display: "block", py: 0.5, color: "text.primary", textDecoration: "none", fontWeight: 700 }}
            >
              <Box component="span" sx={{ color: "primary.main" }}>
                {cellText(page, row, key, key)}
              </Box>
              {naming !== key && ` · ${cellText(page, row, naming)}`}
            </Box>
            {told.map((name) => {
              const cell = { id: row.id, recordKey: textOf(row[key]), name };
              const unsaved = cells.unsaved.get(nameOf(cell));
              const text = unsaved ? controlText(unsaved.control) : cellText(page, row, name, key);
              const content = (
                <>
                  {titleOf(name)}:{" "}
                  <Box component="span" sx={{ color: unsaved ? "error.main" : "text.primary" }}>
                    {text}
                  </Box>
                </>
              );
              return closedBy(schema, name, writable.get(row.id) ?? []) === null ? (
                <Typography
                  key={name}
                  component="button"
                  variant="body2"
                  data-cell={nameOf(cell)}
                  aria-label={`${titleOf(name)}: ${text}. Edit`}
                  onClick={() => cells.open(cell)}
                  sx={openLook}
                >
                  {content}
                </Typography>
              ) : (
                <Typography key={name} variant="body2" color="textSecondary" sx={{ py: 0.5, overflowWrap: "anywhere" }}>
                  {content}
                </Typography>
              );
            })}
          </Box>
        ))}
      </Paper>
      <CellEditor collection={collection} cells={cells} onDone={onDone} />
    </>
  );
}

/** A value that a finger finds, and that looks as if it could be changed. */
const openLook = {
  display: "block",
  width: "100%",
  py: 0.5,
  px: 0,
  border: 0,
  borderBottom: "1px dotted",
  borderColor: "divider",
  background: "none",
  color: "text.secondary",
  textAlign: "left",
  font: "inherit",
  fontSize: "0.875rem",
  cursor: "pointer",
  overflowWrap: "anywhere",
};
