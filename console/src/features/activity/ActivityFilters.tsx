import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import { useState } from "react";
import type { Search } from "../../api/history";
import type { CollectionInfo } from "../../api/types";

interface Props {
  search: Search;
  collections: CollectionInfo[];
  onChange: (parts: Partial<Search>) => void;
}

const ACTIONS: [string, string][] = [
  ["", "Anything"],
  ["create", "Created"],
  ["update", "Changed"],
  ["delete", "Deleted"],
  ["restore", "Brought back"],
  ["erase", "Erased"],
  ["derive", "Derived"],
  ["sign_in", "Signed in"],
  ["sign_in_refused", "Refused at sign-in"],
];

const EMPTY = { select: { displayEmpty: true }, inputLabel: { shrink: true } };

/** What the page is narrowed down by; typed ones count once the form is sent. */
export function ActivityFilters({ search, collections, onChange }: Props) {
  const [typed, setTyped] = useState(search);
  const type = (name: keyof Search) => (event: { target: { value: string } }) =>
    setTyped({ ...typed, [name]: event.target.value });
  const day = (name: "from" | "to", label: string) => (
    <TextField
      type="date"
      label={label}
      value={typed[name]}
      onChange={(event) => onChange({ ...typed, [name]: event.target.value })}
      slotProps={{ inputLabel: { shrink: true } }}
    />
  );
  const asked = Object.values(search).some((value) => value !== "");
  return (
    <Box
      component="form"
      role="search"
      aria-label="Activity"
      onSubmit={(event) => {
        event.preventDefault();
        onChange(typed);
      }}
      sx={{ display: "grid", gap: 1.5, gridTemplateColumns: { xs: "1fr 1fr", md: "repeat(4, 1fr)" }, mb: 2 }}
    >
      <TextField
        select
        label="In"
        slotProps={EMPTY}
        value={search.collection}
        onChange={(event) => onChange({ ...typed, collection: event.target.value })}
      >
        <MenuItem value="">Everything</MenuItem>
        {collections
          .filter((one) => one.may.read)
          .map((one) => (
            <MenuItem key={one.name} value={one.name}>
              {one.title}
            </MenuItem>
          ))}
      </TextField>
      <TextField
        select
        label="What"
        slotProps={EMPTY}
        value={search.action}
        onChange={(event) => onChange({ ...typed, action: event.target.value })}
      >
        {ACTIONS.map(([action, words]) => (
          <MenuItem key={action} value={action}>
            {words}
          </MenuItem>
        ))}
      </TextField>
      {day("from", "From")}
      {day("to", "To")}
      <TextField label="By (account)" value={typed.actor} onChange={type("actor")} />
      <TextField label="Field" value={typed.field} onChange={type("field")} />
      <TextField label="Reason holds" value={typed.reason} onChange={type("reason")} />
      <TextField
        label="Condition"
        placeholder='after.state == "done"'
        value={typed.where}
        onChange={type("where")}
        slotProps={{ htmlInput: { spellCheck: false } }}
      />
      <Box sx={{ display: "flex", gap: 1, gridColumn: "1 / -1" }}>
        <Button type="submit" variant="outlined">
          Search
        </Button>
        {asked && (
          <Button
            onClick={() =>
              onChange({ collection: "", actor: "", action: "", field: "", reason: "", where: "", from: "", to: "" })
            }
          >
            Show everything
          </Button>
        )}
      </Box>
    </Box>
  );
}
