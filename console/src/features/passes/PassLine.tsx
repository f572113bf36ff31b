import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Chip from "@mui/material/Chip";
import Typography from "@mui/material/Typography";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { renewPass, revokePass, unlockPass, type Pass } from "../../api/passes";
import { moment } from "../../lib/text";
import { AskDialog } from "../../ui/AskDialog";
import { useTell } from "../../ui/messages";
import { became } from "./words";

interface Props {
  pass: Pass;
  /** What its template is called. */
  title: string;
  /** Given the link, where it was made anew. */
  onLink: (link: string) => void;
}

/** A pass: what it is for, how it stands, and what can be done with it. */
export function PassLine({ pass, title, onLink }: Props) {
  const client = useQueryClient();
  const tell = useTell();
  const [asking, setAsking] = useState(false);
  const number = pass.number;
  const fail = (error: Error) => tell(error.message);
  const renew = useMutation({
    mutationFn: () => renewPass(client, number),
    onSuccess: (made) => onLink(made.link),
    onError: fail,
  });
  const unlock = useMutation({ mutationFn: () => unlockPass(client, number), onError: fail });
  const revoke = useMutation({
    mutationFn: () => revokePass(client, number),
    onSuccess: () => tell(`Pass ${number} is good no more.`),
    onError: fail,
  });
  const over = pass.state === "revoked";
  const until = pass.state === "no link" ? "" : `, good until ${moment(pass.expires_at)}`;
  return (
    <Box component="li" sx={{ py: 1, borderBottom: 1, borderColor: "divider", listStyle: "none" }}>
      <Box sx={{ display: "flex", gap: 1, alignItems: "baseline", flexWrap: "wrap" }}>
        <Typography sx={{ fontWeight: 700 }}>{title}</Typography>
        <Chip size="small" label={pass.state} color={pass.state === "good" ? "success" : "default"} variant="outlined" />
        <Typography variant="body2" color="textSecondary">
          No. {number}, {became(pass)}
          {until}
        </Typography>
      </Box>
      <Typography variant="body2" color="textSecondary">
        Made {moment(pass.made_at)} by {pass.maker ?? `the rule at ${pass.rule}`}
      </Typography>
      {!over && (
        <Box sx={{ display: "flex", gap: 1, ml: -1 }}>
          <Button size="small" loading={renew.isPending} onClick={() => renew.mutate()}>
            {pass.state === "no link" ? "Give it a link" : "Another link"}
          </Button>
          {pass.state === "locked" && (
            <Button size="small" loading={unlock.isPending} onClick={() => unlock.mutate()}>
              Unlock
            </Button>
          )}
          <Button size="small" color="error" onClick={() => setAsking(true)}>
            Revoke…
          </Button>
        </Box>
      )}
      <AskDialog
        open={asking}
        title="Revoke this pass?"
        yes="Revoke"
        no="Keep it"
        onYes={() => {
          setAsking(false);
          revoke.mutate();
        }}
        onNo={() => setAsking(false)}
      >
        Its link is good no more, at once and for good.
      </AskDialog>
    </Box>
  );
}
