import SearchIcon from "@mui/icons-material/Search";
import InputAdornment from "@mui/material/InputAdornment";
import TextField from "@mui/material/TextField";
import { useEffect, useState } from "react";

const PAUSE_MS = 250;

/** A search field that waits for a pause in typing; Enter searches immediately. */
export function SearchBox({ value, onChange }: { value: string; onChange: (text: string) => void }) {
  const [text, setText] = useState(value);
  const [known, setKnown] = useState(value);
  // Somebody else has set it: Back, or a link that clears the search.
  if (value !== known) {
    setKnown(value);
    setText(value);
  }
  const search = (wanted: string) => {
    setKnown(wanted);
    onChange(wanted);
  };
  useEffect(() => {
    if (text === known) return undefined;
    const timer = setTimeout(() => search(text), PAUSE_MS);
    return () => clearTimeout(timer);
  });
  return (
    <TextField
      label="Search"
      type="search"
      value={text}
      onChange={(event) => setText(event.target.value)}
      onKeyDown={(event) => {
        if (event.key === "Enter") search(text);
        if (event.key === "Escape" && text !== "") {
          setText("");
          search("");
        }
      }}
      sx={{ width: { xs: "100%", sm: 260 } }}
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
