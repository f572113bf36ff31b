import Alert from "@mui/material/Alert";
import Autocomplete from "@mui/material/Autocomplete";
import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState, type SyntheticEvent } from "react";
import type { Members } from "../../api/accounts";
import { collections } from "../../api/collections";
import { session } from "../../api/session";
import { addSubscription, changeSubscription, type Subscription } from "../../api/subscriptions";
import { DATA } from "./words";

interface Props {
  /** The one to change; null for one to add. */
  subscription: Subscription | null;
  onClose: () => void;
  /** Called with what signs the notices of a new one. */
  onAdded?: (name: string, secret: string) => void;
}

/** Adds a subscription, or changes what it is sent. */
export function SubscriptionDialog({ subscription, onClose, onAdded }: Props) {
  const client = useQueryClient();
  const known = useQuery(collections).data?.filter((one) => one.may.read) ?? [];
  const account = useQuery(session).data;
  const [name, setName] = useState("");
  const [url, setUrl] = useState(subscription?.url ?? "https://");
  const [chosen, setChosen] = useState<string[]>(subscription?.collections.filter((one) => one !== "*") ?? []);
  const [where, setWhere] = useState(subscription?.where ?? "");
  const [data, setData] = useState<string>(subscription?.data ?? "changes");
  const [notices, setNotices] = useState<string[]>(subscription?.notices ?? []);
  const [acting, setActing] = useState(subscription?.account ?? account?.account ?? "");
  const manages = account?.manages_accounts ?? false;
  const saving = useMutation({
    mutationFn: async () => {
      const followed = chosen.length > 0 ? chosen : notices.length > 0 && subscription?.collections.length === 0 ? [] : ["*"];
      const members: Members = { url, collections: followed, where, data, notices, account: acting };
      if (subscription !== null) await changeSubscription(client, subscription.name, members);
      else onAdded?.(name, await addSubscription(client, { name, ...members }));
    },
    onSuccess: onClose,
  });
  const wrong = (pointer: string) => saving.error?.errors.find((one) => one.pointer === pointer)?.detail;
  const submit = (event: SyntheticEvent) => {
    event.preventDefault();
    saving.mutate();
  };
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth="sm">
      <form onSubmit={submit} noValidate>
        <DialogTitle>{subscription === null ? "New subscription" : `Change ${subscription.name}`}</DialogTitle>
        <DialogContent sx={{ display: "grid", gap: 2, "&&": { pt: 1 } }}>
          {subscription === null && (
            <TextField
              label="Name"
              required
              autoFocus
              value={name}
              onChange={(event) => setName(event.target.value)}
              error={wrong("/name") !== undefined}
              helperText={wrong("/name") ?? "Such as board-map; it stays."}
            />
          )}
          <TextField
            label="Address"
            required
            value={url}
            onChange={(event) => setUrl(event.target.value)}
            error={wrong("/url") !== undefined}
            helperText={wrong("/url") ?? "Where notices are sent, by https."}
          />
          <Autocomplete
            multiple
            options={known.map((one) => one.name)}
            getOptionLabel={(one) => known.find((each) => each.name === one)?.title ?? one}
            value={chosen}
            onChange={(_, picked) => setChosen(picked)}
            renderInput={(given) => (
              <TextField
                {...given}
                label="Collections"
                error={wrong("/collections") !== undefined}
                helperText={wrong("/collections") ?? "Whose changes are sent; all of them if left empty."}
              />
            )}
          />
          <TextField
            label="Only where"
            value={where}
            onChange={(event) => setWhere(event.target.value)}
            error={wrong("/where") !== undefined}
            helperText={wrong("/where") ?? 'A condition over records of the one collection, such as status == "open".'}
            slotProps={{ htmlInput: { spellCheck: false, style: { fontFamily: "monospace" } } }}
          />
          <TextField select label="With each event" value={data} onChange={(event) => setData(event.target.value)}>
            {Object.entries(DATA).map(([value, words]) => (
              <MenuItem key={value} value={value}>
                {words}
              </MenuItem>
            ))}
          </TextField>
          {manages && (
            <Autocomplete
              multiple
              freeSolo
              options={["*"]}
              value={notices}
              onChange={(_, picked) => setNotices(picked)}
              renderInput={(given) => (
                <TextField
                  {...given}
                  label="Notices of effects"
                  error={wrong("/notices") !== undefined}
                  helperText={wrong("/notices") ?? "By name, * for all. Whoever gets them sees all that they say."}
                />
              )}
            />
          )}
          {manages && (
            <TextField
              label="With the rights of"
              required
              value={acting}
              onChange={(event) => setActing(event.target.value)}
              error={wrong("/account") !== undefined}
              helperText={wrong("/account") ?? "The account that may see what is sent."}
            />
          )}
          {saving.isError && saving.error.errors.length === 0 && <Alert severity="error">{saving.error.message}</Alert>}
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
