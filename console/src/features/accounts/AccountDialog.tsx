import Alert from "@mui/material/Alert";
import Autocomplete from "@mui/material/Autocomplete";
import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import FormControlLabel from "@mui/material/FormControlLabel";
import Switch from "@mui/material/Switch";
import TextField from "@mui/material/TextField";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState, type SyntheticEvent } from "react";
import { addAccount, changeAccount, type Account, type Members } from "../../api/accounts";
import { isObject, parseJson } from "../../lib/json";
import { useTell } from "../../ui/messages";

interface Props {
  /** The account to change; null for one to add. */
  account: Account | null;
  roles: string[];
  onClose: () => void;
}

export function AccountDialog({ account, roles, onClose }: Props) {
  const client = useQueryClient();
  const tell = useTell();
  const [name, setName] = useState("");
  const [title, setTitle] = useState(account?.title ?? "");
  const [chosen, setChosen] = useState<string[]>(account?.roles ?? []);
  const [attributes, setAttributes] = useState(JSON.stringify(account?.attributes ?? {}, null, 1));
  const [password, setPassword] = useState("");
  const [disabled, setDisabled] = useState(account?.disabled ?? false);
  const read = readAttributes(attributes);
  const saving = useMutation({
    mutationFn: () => {
      const members: Members = { title, roles: chosen, attributes: withRemoved(account, read ?? {}) };
      if (password) members["password"] = password;
      return account === null
        ? addAccount(client, { name, ...members })
        : changeAccount(client, account.name, { ...members, disabled });
    },
    onSuccess: () => {
      tell(account === null ? `${name} is added.` : `${account.name} is changed.`);
      onClose();
    },
  });
  const wrong = (pointer: string) => saving.error?.errors.find((one) => one.pointer === pointer)?.detail;
  const submit = (event: SyntheticEvent) => {
    event.preventDefault();
    if (read !== null) saving.mutate();
  };
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth="sm">
      <form onSubmit={submit}>
        <DialogTitle>{account === null ? "New account" : `Change ${account.name}`}</DialogTitle>
        <DialogContent sx={{ display: "grid", gap: 2, "&&": { pt: 1 } }}>
          {account === null && (
            <TextField
              label="Name"
              required
              autoFocus
              value={name}
              onChange={(event) => setName(event.target.value)}
              error={wrong("/name") !== undefined}
              helperText={wrong("/name") ?? "What they sign in with, such as ada.marsh; it stays."}
            />
          )}
          <TextField
            label="Title"
            value={title}
            onChange={(event) => setTitle(event.target.value)}
            helperText={wrong("/title")}
          />
          <Autocomplete
            multiple
            options={roles}
            value={chosen}
            onChange={(_, picked) => setChosen(picked)}
            renderInput={(given) => <TextField {...given} label="Roles" helperText={wrong("/roles")} />}
          />
          <TextField
            label="Attributes"
            multiline
            value={attributes}
            onChange={(event) => setAttributes(event.target.value)}
            error={read === null || wrong("/attributes") !== undefined}
            helperText={
              read === null
                ? 'This is no JSON object, such as {"area": "north"}.'
                : (wrong("/attributes") ?? "What rules can use, as JSON.")
            }
            slotProps={{ htmlInput: { spellCheck: false, style: { fontFamily: "monospace" } } }}
          />
          <TextField
            label={account === null ? "Password" : "New password"}
            type="password"
            autoComplete="new-password"
            value={password}
            onChange={(event) => setPassword(event.target.value)}
            error={wrong("/password") !== undefined}
            helperText={
              wrong("/password") ??
              (account === null ? "For signing in here; may be left out." : "Leave it empty to keep the one there is.")
            }
          />
          {account !== null && (
            <FormControlLabel
              control={<Switch checked={disabled} onChange={(event) => setDisabled(event.target.checked)} />}
              label="Disabled: may do nothing, and is signed out"
            />
          )}
          {saving.isError && <Alert severity="error">{saving.error.message}</Alert>}
        </DialogContent>
        <DialogActions>
          <Button onClick={onClose}>Cancel</Button>
          <Button type="submit" variant="contained" loading={saving.isPending}>
            Save
          </Button>
        </DialogActions>
      </form>
    </Dialog>
  );
}

function readAttributes(text: string): Members | null {
  try {
    const found = parseJson(text.trim() || "{}");
    return isObject(found) ? found : null;
  } catch {
    return null;
  }
}

/** Attributes merge at the service, so that one that was taken out is sent as null. */
function withRemoved(account: Account | null, wanted: Members): Members {
  const gone = Object.keys(account?.attributes ?? {}).filter((name) => !(name in wanted));
  return { ...wanted, ...Object.fromEntries(gone.map((name) => [name, null])) };
}
