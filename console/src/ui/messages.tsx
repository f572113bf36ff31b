import Alert from "@mui/material/Alert";
import Snackbar from "@mui/material/Snackbar";
import { createContext, useCallback, useContext, useState, type ReactNode } from "react";

/** Shows a text; null takes away what is shown. */
type Tell = (text: string | null) => void;

const MessageContext = createContext<Tell | null>(null);

/** Shows one short message at a time, that something was saved; it is read out, and takes the focus from nobody. */
export function MessageProvider({ children }: { children: ReactNode }) {
  const [told, setTold] = useState("");
  const [open, setOpen] = useState(false);
  const tell = useCallback((text: string | null) => {
    if (text !== null) setTold(text);
    setOpen(text !== null);
  }, []);
  return (
    <MessageContext value={tell}>
      {children}
      <Snackbar
        anchorOrigin={{ vertical: "top", horizontal: "right" }}
        open={open}
        autoHideDuration={6000}
        onClose={(_, why) => why !== "clickaway" && setOpen(false)}
      >
        <Alert severity="success" variant="filled" role="status" onClose={() => setOpen(false)}>
          {told}
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
