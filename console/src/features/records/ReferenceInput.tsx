import Autocomplete from "@mui/material/Autocomplete";
import CircularProgress from "@mui/material/CircularProgress";
import TextField from "@mui/material/TextField";
import { useQuery } from "@tanstack/react-query";
import { useEffect, useMemo, useState } from "react";
import { offeredOf } from "../../api/records";
import { collectionInfo } from "../../api/collections";
import type { CollectionInfo, Row } from "../../api/types";
import { helpOf, isWrong, labelOf, type FieldInputProps } from "./field";
import { isNullable, textOf } from "../../ui/fields";

interface Option {
  text: string;
  label: string;
}

const PAUSE_MS = 200;

function optionOf(info: CollectionInfo, row: Row): Option {
  const key = textOf(row[info.key]);
  const name = textOf(row[info.naming]);
  return { text: key, label: name === "" || name === key ? key : `${key} · ${name}` };
}

/** A reference: offers the first records, and what the service finds for the words that are typed. */
export function ReferenceInput(props: FieldInputProps) {
  const { control, choices, schema, onChange, disabled, required } = props;
  const target = schema["x-references"] ?? "";
  const info = useQuery(collectionInfo(target));
  const [typed, setTyped] = useState("");
  const words = useSettled(typed.trim());
  const found = useQuery(offeredOf(info.data, words));
  const [picked, setPicked] = useState<Option | null>(null);

  const text = typeof control === "string" ? control : "";
  const first = useMemo(() => (choices?.options ?? []).map((one) => ({ text: textOf(one.value), label: one.label })), [choices]);
  // The same object as long as it means the same: another one would begin the input anew while somebody types.
  const current = useMemo(() => {
    const known = [...first, ...(picked ? [picked] : [])].find((one) => one.text === text);
    return text === "" ? null : (known ?? { text, label: text });
  }, [first, picked, text]);
  const searching = words !== "" && (choices?.more ?? false);
  const options = searching && info.data ? (found.data ?? []).map((row) => optionOf(info.data, row)) : first;
  return (
    <Autocomplete
      options={options}
      // What the service found is shown whole: it looks in more than the label.
      {...(searching ? { filterOptions: (all: Option[]) => all } : {})}
      value={current}
      disabled={disabled}
      openOnFocus={props.opens === true}
      autoHighlight={props.opens === true && typed !== ""}
      autoSelect={props.opens === true && typed !== ""}
      loading={searching && found.isFetching}
      noOptionsText={`Nothing matches “${typed}”.`}
      disableClearable={!isNullable(schema) && current !== null}
      getOptionKey={(one) => one.text}
      isOptionEqualToValue={(one, other) => one.text === other.text}
      onInputChange={(_, value, why) => setTyped(why === "input" ? value : "")}
      onChange={(_, option) => {
        setPicked(option);
        onChange(option?.text ?? "");
      }}
      renderInput={(input) => (
        <TextField
          {...input}
          label={labelOf(props)}
          required={required}
          error={isWrong(props)}
          helperText={helpOf(props) ?? (choices?.more ? "Type to search among all." : undefined)}
          slotProps={{
            ...input.slotProps,
            input: {
              ...input.slotProps.input,
              endAdornment: (
                <>
                  {searching && found.isFetching && <CircularProgress size={16} aria-label="Searching" />}
                  {input.slotProps.input.endAdornment}
                </>
              ),
            },
          }}
        />
      )}
    />
  );
}

/** A text once it has been left alone for a moment. */
function useSettled(text: string): string {
  const [settled, setSettled] = useState(text);
  useEffect(() => {
    const timer = setTimeout(() => setSettled(text), PAUSE_MS);
    return () => clearTimeout(timer);
  }, [text]);
  return settled;
}
