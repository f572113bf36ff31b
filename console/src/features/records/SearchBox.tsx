import SearchIcon from "@mui/icons-material/Search";
import InputAdornment from "@mui/material/InputAdornment";
import TextField from "@mui/material/TextField";
import { useEffect, useState } from "react";

const PAUSE_MS = 250;

/** A search field that waits for a pause in typing; Enter searches at once. */
export function SearchBox({ value, onChange }: { value: string; onChange: (text: string) => void }) {
  const [text, setText] = useState(value);
  useEffect(() => {
    if (text === value) return undefined;
    const timer = setTimeout(() => onChange(text), PAUSE_MS);
    return () => clearTimeout(timer);
  }, [text, value, onChange]);
  return (
    <TextField
      label="Search"
      type="search"
      value={text}
      onChange={(event) => setText(event.target.value)}
      onKeyDown={(event) => event.key === "Enter" && onChange(text)}
      sx={{ width: 260 }}
      slotProps={{
        input: {
          startAdornment: (
            <InputAdornment position="start">
              <SearchIcon fontSize="small" />
            </InputAdornment>
          ),
        },
      }}
    />
  );
}
