import Alert from "@mui/material/Alert";
import Button from "@mui/material/Button";
import { useState } from "react";

interface Props {
  link: string;
  onClose: () => void;
}

/** The link of a pass, shown this once. */
export function LinkAlert({ link, onClose }: Props) {
  const [copied, setCopied] = useState(false);
  const copy = async () => {
    await navigator.clipboard.writeText(link);
    setCopied(true);
  };
  return (
    <Alert severity="success" onClose={onClose} sx={{ my: 1 }}>
      Whoever has this link can use it. Copy it now, it is shown this once:{" "}
      <code style={{ overflowWrap: "anywhere" }}>{link}</code>{" "}
      <Button size="small" onClick={() => void copy()}>
        {copied ? "Copied" : "Copy"}
      </Button>
    </Alert>
  );
}
