import Autocomplete from "@mui/material/Autocomplete";
import Box from "@mui/material/Box";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import FormHelperText from "@mui/material/FormHelperText";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useMemo, useState } from "react";
import { shown, zone } from "../../lib/text";
import { helpOf, isWrong, labelOf, type FieldInputProps } from "./field";
import { isNullable, textOf } from "../../ui/fields";
import { innerKind, isRows } from "./model";
import { RowsInput } from "./RowsInput";
import { ReferenceInput } from "./ReferenceInput";

/** One input, chosen by the field's kind; each shows its own error. */
export function FieldInput(props: FieldInputProps) {
  switch (props.kind) {
    case "pick":
      return props.schema["x-references"] !== undefined ? <ReferenceInput {...props} /> : <PickInput {...props} />;
    case "flag":
      return <FlagInput {...props} />;
    case "list":
      return <ListInput {...props} />;
    case "rows":
      return <RowsInput {...props} />;
    case "group":
      return <GroupInput {...props} />;
    default:
      return <TextInput {...props} />;
  }
}

function TextInput(props: FieldInputProps) {
  const { kind, control, schema, onChange, disabled, required } = props;
  const many = kind === "long" || kind === "json";
  const example = schema.examples?.[0];
  return (
    <TextField
      label={labelOf(props)}
      required={required}
      type={kind === "day" ? "date" : kind === "moment" ? "datetime-local" : "text"}
      value={typeof control === "string" ? control : ""}
      onChange={(event) => onChange(event.target.value)}
      error={isWrong(props)}
      helperText={helpOf(props) ?? (kind === "moment" ? `In your time zone, ${zone}.` : undefined)}
      disabled={disabled}
      multiline={many}
      minRows={many ? 2 : 1}
      maxRows={10}
      placeholder={textOf(example)}
      slotProps={{
        htmlInput: kind === "number" ? { inputMode: "decimal" } : kind === "moment" ? { step: 1 } : {},
        ...(kind === "day" || kind === "moment" ? { inputLabel: { shrink: true } } : {}),
      }}
    />
  );
}

function PickInput(props: FieldInputProps) {
  const { control, choices, schema, onChange, disabled, required } = props;
  const listed = schema.enum;
  const options = useMemo(() => {
    const values = (listed ?? [true, false]).filter((one) => one !== null);
    const found = choices?.options ?? values.map((value) => ({ value, label: shown(value) }));
    return found.map((one) => ({ text: textOf(one.value), label: one.label }));
  }, [choices, listed]);
  const text = typeof control === "string" ? control : "";
  // A stored value that is not among the choices is still shown as what it is. The same object as long as it means
  // the same: another one would begin the input anew while somebody types.
  const current = useMemo(
    () => options.find((one) => one.text === text) ?? (text === "" ? null : { text, label: text }),
    [options, text],
  );
  const typing = useTyping(props.opens);
  return (
    <Autocomplete
      options={options}
      value={current}
      disabled={disabled}
      {...typing}
      disableClearable={!isNullable(schema) && current !== null}
      getOptionKey={(one) => one.text}
      isOptionEqualToValue={(one, other) => one.text === other.text}
      onChange={(_, picked) => onChange(picked === null ? "" : picked.text)}
      renderInput={(input) => (
        <TextField {...input} label={labelOf(props)} required={required} error={isWrong(props)} helperText={helpOf(props)} />
      )}
    />
  );
}

/** Of a list that opens at once: what was typed of a choice is meant, wherever one goes on to; nothing else is. */
function useTyping(opens = false) {
  const [typing, setTyping] = useState(false);
  return {
    openOnFocus: opens,
    autoHighlight: opens && typing,
    autoSelect: opens && typing,
    onInputChange: (_: unknown, value: string, why: string) => setTyping(why === "input" && value !== ""),
  };
}

function FlagInput(props: FieldInputProps) {
  const help = helpOf(props);
  return (
    <Box>
      <FormControlLabel
        label={labelOf(props)}
        disabled={props.disabled}
        control={
          <Checkbox
            checked={props.control === true}
            onChange={(event) => props.onChange(event.target.checked)}
            slotProps={{ input: { "aria-invalid": isWrong(props) } }}
          />
        }
      />
      {help && <FormHelperText error={isWrong(props)}>{help}</FormHelperText>}
    </Box>
  );
}

function ListInput(props: FieldInputProps) {
  const { control, onChange, disabled, required, schema } = props;
  const offered = schema.items?.enum?.filter((one) => one !== null).map(textOf);
  return (
    <Autocomplete
      multiple
      // What is one of a few is chosen; all else is typed.
      freeSolo={offered === undefined}
      autoSelect={offered === undefined}
      filterSelectedOptions
      disableCloseOnSelect={offered !== undefined}
      options={offered ?? []}
      value={Array.isArray(control) ? control : []}
      disabled={disabled}
      onChange={(_, list) => onChange(list)}
      renderInput={(input) => (
        // Marked by hand: the input itself is empty once its entries are taken in.
        <TextField
          {...input}
          label={required ? `${labelOf(props)} *` : labelOf(props)}
          error={isWrong(props)}
          helperText={helpOf(props) ?? (offered === undefined ? "Type an entry, then Enter." : undefined)}
        />
      )}
    />
  );
}

function GroupInput(props: FieldInputProps) {
  const { control, schema, onChange, errors, pointer, disabled } = props;
  const members = typeof control === "object" && !Array.isArray(control) && !isRows(control) ? control : {};
  const own = errors[pointer];
  return (
    <Box
      component="fieldset"
      sx={{
        border: 1,
        borderColor: own ? "error.main" : "divider",
        borderRadius: 1,
        p: 2,
        m: 0,
        display: "grid",
        gap: 2,
        gridTemplateColumns: { xs: "1fr", sm: "1fr 1fr" },
      }}
    >
      <Typography component="legend" variant="body2" color="textSecondary" sx={{ px: 0.5 }}>
        {labelOf(props)}
      </Typography>
      {own && <FormHelperText error>{own}</FormHelperText>}
      {Object.entries(schema.properties ?? {}).map(([name, one]) => (
        <FieldInput
          key={name}
          name={name}
          schema={one}
          kind={innerKind(one)}
          control={members[name] ?? ""}
          choices={undefined}
          errors={errors}
          pointer={`${pointer}/${name}`}
          disabled={disabled}
          required={schema.required?.includes(name) ?? false}
          onChange={(value) => onChange({ ...members, [name]: value })}
        />
      ))}
    </Box>
  );
}
