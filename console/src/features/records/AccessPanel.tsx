import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { accessOf, type Judgement } from "../../api/access";
import { accounts } from "../../api/accounts";
import { session } from "../../api/session";
import type { CollectionSchema } from "../../api/types";
import { Trouble } from "../../ui/Trouble";
import { Waiting } from "../../ui/Waiting";

interface Props {
  collection: string;
  recordKey: string;
  schema: CollectionSchema;
}

/** What may be done with the record, and why; for others too, where somebody manages accounts. */
export function AccessPanel(props: Props) {
  const [open, setOpen] = useState(false);
  return (
    <Box component="section" aria-label="Access" sx={{ mt: 3 }}>
      <Typography variant="h2" sx={{ mb: 1 }}>
        Access
      </Typography>
      {open ? (
        <Shown {...props} />
      ) : (
        <Button variant="outlined" onClick={() => setOpen(true)}>
          Show who may do what here, and why
        </Button>
      )}
    </Box>
  );
}

function Shown({ collection, recordKey, schema }: Props) {
  const manages = useQuery(session).data?.manages_accounts ?? false;
  const [account, setAccount] = useState("");
  const found = useQuery(accessOf(collection, recordKey, account));
  return (
    <>
      {manages && <Chooser value={account} onChange={setAccount} />}
      {found.isPending && <Waiting what="the rules" />}
      {found.isError && <Trouble error={found.error} retry={found.refetch} />}
      {found.data && (
        <Box component="dl" sx={{ m: 0 }}>
          {Object.entries(found.data.rights).map(([right, told]) => (
            <Line key={right} what={WORDS[right] ?? right} told={told} />
          ))}
          {Object.entries(found.data.fields)
            .filter(([, rights]) => rights.read.rule !== undefined || rights.update.rule !== undefined)
            .flatMap(([name, rights]) => {
              const title = schema.properties[name]?.title ?? name;
              return [
                <Line key={`${name} read`} what={`Read ${title}`} told={rights.read} />,
                <Line key={`${name} update`} what={`Change ${title}`} told={rights.update} />,
              ];
            })}
        </Box>
      )}
    </>
  );
}

const WORDS: Record<string, string> = {
  read: "Read it",
  update: "Change it",
  delete: "Delete it",
  transfer: "Give it to another",
  erase: "Erase values for good",
  pass: "Hand out a link to it",
  review: "Apply or refuse what is proposed",
};

function Chooser({ value, onChange }: { value: string; onChange: (account: string) => void }) {
  const found = useQuery(accounts);
  return (
    <TextField select label="For" value={value} onChange={(event) => onChange(event.target.value)} sx={{ mb: 2 }}>
      <MenuItem value="">Yourself</MenuItem>
      {found.data?.items.map((one) => (
        <MenuItem key={one.name} value={one.name}>
          {one.title}
        </MenuItem>
      ))}
    </TextField>
  );
}

const SAID = { true: "holds", false: "does not hold", null: "cannot be told" };

function Line({ what, told }: { what: string; told: Judgement }) {
  return (
    <Box sx={{ display: "grid", gridTemplateColumns: "4.5em 1fr", gap: 1, py: 0.75, borderTop: 1, borderColor: "divider" }}>
      <Typography component="dt" sx={{ fontWeight: 700, color: told.allowed ? "success.main" : "error.main" }}>
        {told.allowed ? "May" : "May not"}
      </Typography>
      <Box component="dd" sx={{ m: 0, minWidth: 0 }}>
        <Typography>{what}</Typography>
        {told.because && (
          <Typography variant="body2" color="textSecondary">
            {told.because}
          </Typography>
        )}
        {told.parts?.map((one) => (
          <Typography key={one.part} variant="body2" color="textSecondary" sx={{ overflowWrap: "anywhere" }}>
            <code>{one.part}</code> {SAID[String(one.value) as keyof typeof SAID]}
            {one.why && `: ${one.why}`}
          </Typography>
        ))}
        {told.depends && (
          <Typography variant="body2" color="textSecondary">
            {told.depends}
          </Typography>
        )}
        {told.file && (
          <Typography variant="caption" color="textSecondary">
            {told.file}, line {told.line}
          </Typography>
        )}
      </Box>
    </Box>
  );
}
