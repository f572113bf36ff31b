import FilterIcon from "@mui/icons-material/FilterListOutlined";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import Paper from "@mui/material/Paper";
import TextField from "@mui/material/TextField";
import { useState, type SyntheticEvent } from "react";
import type { CollectionSchema, FieldSchema } from "../../api/types";
import { comparisonsOf, joined, literal } from "./filter";
import { ValueInput } from "./ValueInput";

interface Props {
  schema: CollectionSchema;
  value: string;
  error: Error | null;
  open: boolean;
  onOpen: (open: boolean) => void;
  onChange: (where: string) => void;
}

/** Chooses records by a condition: put together from field, comparison and value, or typed as an expression. */
export function FilterBar({ schema, value, error, open, onOpen, onChange }: Props) {
  const [text, setText] = useState(value);
  if (!open && error === null)
    return (
      <Button startIcon={<FilterIcon />} onClick={() => onOpen(true)} sx={{ mb: 1 }}>
        Filter
      </Button>
    );
  const submit = (event: SyntheticEvent) => {
    event.preventDefault();
    onChange(text.trim());
  };
  const clear = () => {
    setText("");
    onOpen(false);
    onChange("");
  };
  return (
    <Paper component="section" aria-label="Filter" variant="outlined" sx={{ p: 2, mb: 2 }}>
      <Adding
        schema={schema}
        onAdd={(condition) => {
          const whole = joined(text, condition);
          setText(whole);
          onChange(whole);
        }}
      />
      <Box component="form" onSubmit={submit} sx={{ display: "flex", gap: 1, alignItems: "flex-start", mt: 2 }}>
        <TextField
          label="Expression"
          value={text}
          onChange={(event) => setText(event.target.value)}
          placeholder={'pumps > 2 && status == "running"'}
          multiline
          error={error !== null}
          helperText={error?.message ?? "Enter shows the records for which it holds."}
          onKeyDown={(event) => {
            if (event.key === "Enter" && !event.shiftKey) submit(event);
          }}
          slotProps={{ htmlInput: { spellCheck: false, style: { fontFamily: "monospace" } } }}
        />
        <Button type="submit" variant="contained" sx={{ mt: 0.5 }}>
          Apply
        </Button>
        <Button onClick={clear} sx={{ mt: 0.5 }}>
          Clear
        </Button>
      </Box>
    </Paper>
  );
}

function Adding({ schema, onAdd }: { schema: CollectionSchema; onAdd: (condition: string) => void }) {
  const fields = Object.entries(schema.properties).filter(([, one]) => !one.writeOnly);
  const first = fields.find(([, one]) => !one["x-reserved"])?.[0] ?? "";
  const [name, setName] = useState(first);
  const [chosen, setChosen] = useState("");
  const [typed, setTyped] = useState("");
  const field: FieldSchema = schema.properties[name] ?? { type: "string" };
  const comparisons = comparisonsOf(field);
  const comparison = comparisons.find((one) => one.id === chosen) ?? comparisons[0];
  if (comparison === undefined) return null;
  const ready = !comparison.takes || typed.trim() !== "";
  const add = (event: SyntheticEvent) => {
    event.preventDefault();
    if (!ready) return;
    onAdd(comparison.write(name, comparison.takes ? literal(field, typed) : ""));
    setTyped("");
  };
  return (
    <Box
      component="form"
      onSubmit={add}
      sx={{ display: "grid", gap: 1, gridTemplateColumns: { xs: "1fr", sm: "2fr 2fr 3fr auto" }, alignItems: "center" }}
    >
      <TextField
        select
        label="Field"
        value={name}
        onChange={(event) => {
          setName(event.target.value);
          setTyped("");
        }}
      >
        {fields.map(([one, { title }]) => (
          <MenuItem key={one} value={one}>
            {title ?? one}
          </MenuItem>
        ))}
      </TextField>
      <TextField select label="Comparison" value={comparison.id} onChange={(event) => setChosen(event.target.value)}>
        {comparisons.map((one) => (
          <MenuItem key={one.id} value={one.id}>
            {one.words}
          </MenuItem>
        ))}
      </TextField>
      <ValueInput field={field} value={typed} disabled={!comparison.takes} onChange={setTyped} />
      <Button type="submit" disabled={!ready}>
        Add
      </Button>
    </Box>
  );
}
