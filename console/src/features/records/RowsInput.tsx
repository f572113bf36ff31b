import DeleteIcon from "@mui/icons-material/DeleteOutlined";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import FormHelperText from "@mui/material/FormHelperText";
import IconButton from "@mui/material/IconButton";
import Typography from "@mui/material/Typography";
import { useRef } from "react";
import { labelOf, type FieldInputProps } from "./field";
import { FieldInput } from "./FieldInput";
import { innerKind, isRows, withRow, type Control } from "./model";

/** A list of objects as a small table: a line for each, with an input for each of its properties. */
export function RowsInput(props: FieldInputProps) {
  const { control, schema, onChange, errors, pointer, disabled, required } = props;
  const rows = isRows(control) ? control["#rows"] : [];
  const inner = schema.items ?? { type: "object" };
  const fields = Object.entries(inner.properties ?? {});
  const box = useRef<HTMLFieldSetElement>(null);
  const title = labelOf(props);
  const own = errors[pointer];
  const put = (place: number, name: string, value: Control) =>
    onChange({
      "#rows": rows.map((row, index) => (index === place ? { ...row, group: { ...row.group, [name]: value } } : row)),
    });
  const add = () => {
    onChange(withRow({ "#rows": rows }, inner));
    // The new line is there once it is drawn.
    setTimeout(() =>
      [...(box.current?.querySelectorAll<HTMLElement>("[data-line]") ?? [])].at(-1)?.querySelector("input")?.focus(),
    );
  };
  return (
    <Box
      ref={box}
      component="fieldset"
      sx={{ border: 1, borderColor: own ? "error.main" : "divider", borderRadius: 1, p: 2, m: 0, minWidth: 0 }}
    >
      <Typography component="legend" variant="body2" color="textSecondary" sx={{ px: 0.5 }}>
        {required ? `${title} *` : title}
      </Typography>
      {own && <FormHelperText error>{own}</FormHelperText>}
      {schema.description && <FormHelperText>{schema.description}</FormHelperText>}
      {rows.map(({ id, group }, place) => (
        <Box
          key={id}
          data-line
          role="group"
          aria-label={`${title}, line ${place + 1}`}
          sx={{ display: "flex", gap: 1, alignItems: "flex-start", mt: 1.5, flexWrap: { xs: "wrap", sm: "nowrap" } }}
        >
          {fields.map(([name, field]) => (
            <Box key={name} sx={{ flex: "1 1 120px", minWidth: 0 }}>
              <FieldInput
                name={name}
                schema={field}
                kind={innerKind(field)}
                control={group[name] ?? ""}
                choices={undefined}
                errors={errors}
                pointer={`${pointer}/${place}/${name}`}
                disabled={disabled}
                required={inner.required?.includes(name) ?? false}
                onChange={(value) => put(place, name, value)}
              />
            </Box>
          ))}
          <IconButton
            aria-label={`Remove line ${place + 1} of ${title}`}
            disabled={disabled}
            onClick={() => onChange({ "#rows": rows.filter((one) => one.id !== id) })}
          >
            <DeleteIcon />
          </IconButton>
        </Box>
      ))}
      <Button size="small" disabled={disabled} onClick={add} sx={{ mt: 1 }}>
        Add a line
      </Button>
    </Box>
  );
}
