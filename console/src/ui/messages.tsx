import Alert from "@mui/material/Alert";
import Snackbar from "@mui/material/Snackbar";
import { createContext, useCallback, useContext, useEffect, useRef, useState, type ReactNode } from "react";

/** Shows a text; null takes away what is shown. */
type Tell = (text: string | null) => void;

const MessageContext = createContext<Tell | null>(null);

/** Shows one short message at a time, that something was saved, and moves the focus to it. */
export function MessageProvider({ children }: { children: ReactNode }) {
  const [told, setTold] = useState({ text: "", count: 0 });
  const [open, setOpen] = useState(false);
  const alert = useRef<HTMLDivElement>(null);
  const tell = useCallback((text: string | null) => {
    if (text !== null) setTold((old) => ({ text, count: old.count + 1 }));
    setOpen(text !== null);
  }, []);
  useEffect(() => {
    if (told.count > 0) alert.current?.focus({ preventScroll: true });
  }, [told]);
  return (
    <MessageContext value={tell}>
      {children}
      <Snackbar
        anchorOrigin={{ vertical: "top", horizontal: "right" }}
        open={open}
        autoHideDuration={6000}
        onClose={(_, why) => why !== "clickaway" && setOpen(false)}
      >
        <Alert ref={alert} tabIndex={-1} severity="success" variant="filled" role="status" onClose={() => setOpen(false)}>
          {told.text}
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
