import Box from "@mui/material/Box";
import MenuItem from "@mui/material/MenuItem";
import Paper from "@mui/material/Paper";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { Link, useLocation } from "react-router";
import { freshMark } from "../../ui/fresh";
import { addressOf, cellText } from "./model";
import type { RecordsProps } from "./RecordTable";

/** Columns told under a record's name. */
const TOLD = 3;

/** A page of records where there is no room for a table: of each what names it, and a little more. */
export function RecordCards({ collection, schema, page, changed, sort, onSort }: RecordsProps) {
  const from = { list: useLocation().search };
  const key = schema["x-key"];
  const naming = schema["x-naming"];
  const titleOf = (name: string) => schema.properties[name]?.title ?? name;
  const columns = schema["x-columns"];
  const told = columns.filter((name) => name !== key && name !== naming).slice(0, TOLD);
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
            sx={{
              borderTop: 1,
              borderColor: "divider",
              "&:first-of-type": { border: 0 },
              ...(changed.has(row.id) ? freshMark(row.version) : {}),
            }}
          >
            <Box
              component={Link}
              to={addressOf(collection, row[key])}
              state={from}
              sx={{ display: "block", px: 2, py: 1.25, color: "text.primary", textDecoration: "none" }}
            >
              <Typography sx={{ fontWeight: 700, overflowWrap: "anywhere" }}>
                <Box component="span" sx={{ color: "primary.main" }}>
                  {cellText(page, row, key)}
                </Box>
                {naming !== key && ` · ${cellText(page, row, naming)}`}
              </Typography>
              {told.map((name) => (
                <Typography key={name} variant="body2" color="textSecondary" noWrap>
                  {titleOf(name)}: {cellText(page, row, name)}
                </Typography>
              ))}
            </Box>
          </Box>
        ))}
      </Paper>
    </>
  );
}
