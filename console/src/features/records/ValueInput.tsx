import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import type { FieldSchema } from "../../api/types";
import { textOf, typeOf } from "../../ui/fields";

interface ValueProps {
  field: FieldSchema;
  value: string;
  disabled: boolean;
  onChange: (typed: string) => void;
}

const INPUTS: Record<string, string> = { date: "date", "date-time": "datetime-local" };

/** One value of a field, as text: picked where there are choices. */
export function ValueInput({ field, value, disabled, onChange }: ValueProps) {
  const listed = typeOf(field) === "boolean" ? [true, false] : field.enum?.filter((one) => one !== null);
  const numeric = typeOf(field) === "integer" || typeOf(field) === "number";
  const kind = INPUTS[field.format ?? ""] ?? "text";
  return (
    <TextField
      select={listed !== undefined}
      type={listed === undefined ? kind : undefined}
      label="Value"
      value={value}
      disabled={disabled}
      onChange={(event) => onChange(event.target.value)}
      slotProps={{
        inputLabel: kind.startsWith("date") ? { shrink: true } : {},
        htmlInput: numeric ? { inputMode: "decimal" } : { step: "any" },
      }}
    >
      {listed?.map((one) => (
        <MenuItem key={textOf(one)} value={textOf(one)}>
          {one === true ? "yes" : one === false ? "no" : textOf(one)}
        </MenuItem>
      ))}
    </TextField>
  );
}
