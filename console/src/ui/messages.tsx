import Alert from "@mui/material/Alert";
import Snackbar from "@mui/material/Snackbar";
import { createContext, useCallback, useContext, useState, type ReactNode } from "react";

type Tell = (text: string) => void;

const MessageContext = createContext<Tell | null>(null);

/** Shows one short message at a time: that something was saved. */
export function MessageProvider({ children }: { children: ReactNode }) {
  const [text, setText] = useState("");
  const [open, setOpen] = useState(false);
  const tell = useCallback((message: string) => {
    setText(message);
    setOpen(true);
  }, []);
  return (
    <MessageContext value={tell}>
      {children}
      <Snackbar anchorOrigin={{ vertical: "top", horizontal: "right" }} open={open} autoHideDuration={6000} onClose={(_, why) => why !== "clickaway" && setOpen(false)}>
        <Alert severity="success" variant="filled" onClose={() => setOpen(false)}>
          {text}
        </Alert>
      </Snackbar>
    </MessageContext>
  );
}

export function useTell(): Tell {
  const tell = useContext(MessageContext);
  if (tell === null) throw new Error("useTell needs a MessageProvider above it.");
  return tell;
}
