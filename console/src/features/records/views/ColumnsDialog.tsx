import DownIcon from "@mui/icons-material/ArrowDownward";
import UpIcon from "@mui/icons-material/ArrowUpward";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import FormControlLabel from "@mui/material/FormControlLabel";
import IconButton from "@mui/material/IconButton";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import { useState } from "react";
import type { CollectionSchema } from "../../../api/types";
import { isReserved } from "../model";
import { stepped, WIDTHS, type Column } from "./columns";

interface Props {
  schema: CollectionSchema;
  columns: Column[];
  /** An empty list: as defined. */
  onChange: (columns: Column[]) => void;
  onClose: () => void;
}

interface Offered extends Column {
  shown: boolean;
}

/** Chooses the columns of a list, their order and their widths. */
export function ColumnsDialog({ schema, columns, onChange, onClose }: Props) {
  const [offered, setOffered] = useState<Offered[]>(() => [
    ...columns.map((one) => ({ ...one, shown: true })),
    ...Object.entries(schema.properties)
      .filter(([name, field]) => !field.writeOnly && !columns.some((one) => one.name === name))
      // What the service keeps itself comes last.
      .sort(([, one], [, other]) => Number(isReserved(one)) - Number(isReserved(other)))
      .map(([name]) => ({ name, width: null, shown: false })),
  ]);
  const put = (place: number, what: Partial<Offered>) =>
    setOffered((old) => old.map((one, index) => (index === place ? { ...one, ...what } : one)));
  const chosen = offered.filter((one) => one.shown);
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth="sm" aria-labelledby="columns-title">
      <DialogTitle id="columns-title">Columns</DialogTitle>
      <DialogContent>
        <Box component="ol" sx={{ m: 0, p: 0, listStyle: "none" }}>
          {offered.map(({ name, width, shown }, place) => {
            const title = schema.properties[name]?.title ?? name;
            const move = (step: 1 | -1) => setOffered((old) => stepped(old, place, step));
            return (
              <Box component="li" key={name} sx={{ display: "flex", alignItems: "center", gap: 1, py: 0.25 }}>
                <FormControlLabel
                  label={title}
                  sx={{ flex: 1, minWidth: 0 }}
                  control={<Checkbox checked={shown} onChange={(event) => put(place, { shown: event.target.checked })} />}
                />
                <TextField
                  select
                  size="small"
                  value={String(width ?? "")}
                  disabled={!shown}
                  onChange={(event) => put(place, { width: Number(event.target.value) || null })}
                  slotProps={{ select: { displayEmpty: true, inputProps: { "aria-label": `Width of ${title}` } } }}
                  sx={{ width: 130 }}
                >
                  {Object.entries(WIDTHS).map(([words, pixels]) => (
                    <MenuItem key={words} value={String(pixels ?? "")}>
                      {words}
                    </MenuItem>
                  ))}
                  {width !== null && !Object.values(WIDTHS).includes(width) && (
                    <MenuItem value={String(width)}>{width} pixels</MenuItem>
                  )}
                </TextField>
                <IconButton aria-label={`${title} up`} disabled={place === 0} onClick={() => move(-1)}>
                  <UpIcon fontSize="small" />
                </IconButton>
                <IconButton aria-label={`${title} down`} disabled={place === offered.length - 1} onClick={() => move(1)}>
                  <DownIcon fontSize="small" />
                </IconButton>
              </Box>
            );
          })}
        </Box>
      </DialogContent>
      <DialogActions>
        <Button onClick={() => onChange([])}>As defined</Button>
        <Button onClick={onClose}>Cancel</Button>
        <Button variant="contained" disabled={chosen.length === 0} onClick={() => onChange(chosen)}>
          Show these
        </Button>
      </DialogActions>
    </Dialog>
  );
}
