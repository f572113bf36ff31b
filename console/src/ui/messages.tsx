import Alert from "@mui/material/Alert";
import Button from "@mui/material/Button";
import Snackbar from "@mui/material/Snackbar";
import { createContext, useCallback, useContext, useState, type ReactNode } from "react";

interface More {
  severity?: "success" | "error";
  /** What can be done about it, while the message is there. */
  action?: { label: string; run: () => void };
}

/** Shows a text; null takes away what is shown. */
type Tell = (text: string | null, more?: More) => void;

const MessageContext = createContext<Tell | null>(null);

/** How long a message stays, and how long one that offers something or tells what went wrong. */
const STAYS_MS = 6_000;
const STAYS_LONGER_MS = 12_000;

/** Shows one short message at a time, that something was saved; it is read out, and takes the focus from nobody. */
export function MessageProvider({ children }: { children: ReactNode }) {
  const [told, setTold] = useState<More & { text: string }>({ text: "" });
  const [open, setOpen] = useState(false);
  const tell = useCallback((text: string | null, more: More = {}) => {
    if (text !== null) setTold({ text, ...more });
    setOpen(text !== null);
  }, []);
  const action = told.action;
  const close = () => setOpen(false);
  return (
    <MessageContext value={tell}>
      {children}
      <Snackbar
        key={told.text}
        anchorOrigin={{ vertical: "top", horizontal: "right" }}
        open={open}
        autoHideDuration={action || told.severity === "error" ? STAYS_LONGER_MS : STAYS_MS}
        onClose={(_, why) => why !== "clickaway" && close()}
      >
        <Alert
          severity={told.severity ?? "success"}
          variant="filled"
          role="status"
          onClose={close}
          {...(action && {
            action: (
              <Button
                color="inherit"
                size="small"
                onClick={() => {
                  close();
                  action.run();
                }}
              >
                {action.label}
              </Button>
            ),
          })}
        >
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
