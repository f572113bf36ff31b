import Alert from "@mui/material/Alert";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate, useParams } from "react-router";
import { collections } from "../../api/collections";
import {
  changeSubscription,
  removeSubscription,
  rotateSecret,
  sendSince,
  sendTest,
  subscriptionOf,
  type Subscription,
} from "../../api/subscriptions";
import { moment } from "../../lib/text";
import { AskDialog } from "../../ui/AskDialog";
import { useTell } from "../../ui/messages";
import { Trouble } from "../../ui/Trouble";
import { Waiting } from "../../ui/Waiting";
import { Deliveries } from "./Deliveries";
import { SecretAlert } from "./SecretAlert";
import { SinceDialog } from "./SinceDialog";
import { SubscriptionDialog } from "./SubscriptionDialog";
import { SubscriptionState } from "./SubscriptionState";
import { DATA, followed } from "./words";

/** A subscription: what it is sent, what became of it, and what can be done. */
export function SubscriptionPage() {
  const { name = "" } = useParams();
  const found = useQuery(subscriptionOf(name));
  const known = useQuery(collections).data;
  if (found.isPending) return <Waiting what="the subscription" />;
  if (found.isError) return <Trouble title="The subscription cannot be shown" error={found.error} retry={found.refetch} />;
  const one = found.data;
  const titles = (collection: string) => known?.find((each) => each.name === collection)?.title ?? collection;
  return (
    <>
      <title>{one.name}</title>
      <Box sx={{ display: "flex", gap: 2, alignItems: "center", flexWrap: "wrap" }}>
        <Typography variant="h1">{one.name}</Typography>
        <SubscriptionState subscription={one} />
      </Box>
      <Typography sx={{ overflowWrap: "anywhere" }}>{one.url}</Typography>
      <Typography color="textSecondary" sx={{ mb: 2 }}>
        {followed(one, titles)} · {DATA[one.data]} · with the rights of {one.account}
      </Typography>
      {one.why !== null && (
        <Alert severity="warning" sx={{ mb: 2 }}>
          It was paused: {one.why}
        </Alert>
      )}
      {one.failing_since !== null && !one.paused && (
        <Alert severity="error" sx={{ mb: 2 }}>
          Nothing was taken since {moment(one.failing_since)}. What is not taken is sent again.
        </Alert>
      )}
      <Actions subscription={one} />
      <Deliveries subscription={one} />
    </>
  );
}

type Open = "change" | "remove" | "secret" | "since" | null;

function Actions({ subscription }: { subscription: Subscription }) {
  const client = useQueryClient();
  const tell = useTell();
  const navigate = useNavigate();
  const { name, paused } = subscription;
  const [open, setOpen] = useState<Open>(null);
  const close = () => setOpen(null);
  const failed = (error: Error) => tell(error.message);
  const testing = useMutation({
    mutationFn: () => sendTest(client, name),
    onSuccess: () => tell("A test is sent."),
    onError: failed,
  });
  const pausing = useMutation({ mutationFn: () => changeSubscription(client, name, { paused: !paused }), onError: failed });
  const rotating = useMutation({ mutationFn: () => rotateSecret(client, name), onError: failed });
  const again = useMutation({
    mutationFn: (since: string) => sendSince(client, name, since),
    onSuccess: () => tell("All since then is sent again."),
    onError: failed,
  });
  const removing = useMutation({
    mutationFn: () => removeSubscription(client, name),
    onSuccess: () => {
      tell(`Nothing is sent to ${name} any more.`);
      void navigate("/subscriptions");
    },
    onError: failed,
  });
  return (
    <>
      {rotating.data && <SecretAlert name={name} secret={rotating.data} onClose={rotating.reset} />}
      <Box sx={{ display: "flex", gap: 1, flexWrap: "wrap", mb: 3 }}>
        <Button variant="contained" loading={testing.isPending} disabled={paused} onClick={() => testing.mutate()}>
          Send a test
        </Button>
        <Button variant="outlined" onClick={() => setOpen("change")}>
          Change
        </Button>
        <Button variant="outlined" loading={pausing.isPending} onClick={() => pausing.mutate()}>
          {paused ? "Go on sending" : "Pause"}
        </Button>
        <Button onClick={() => setOpen("since")}>Send again since…</Button>
        <Button loading={rotating.isPending} onClick={() => setOpen("secret")}>
          New secret
        </Button>
        <Button color="error" loading={removing.isPending} onClick={() => setOpen("remove")}>
          Remove
        </Button>
      </Box>
      {open === "change" && <SubscriptionDialog subscription={subscription} onClose={close} />}
      {open === "since" && (
        <SinceDialog
          onClose={close}
          onChosen={(since) => {
            close();
            again.mutate(since);
          }}
        />
      )}
      <AskDialog
        open={open === "secret"}
        title="Sign with another secret?"
        yes="New secret"
        no="Keep this one"
        onYes={() => {
          close();
          rotating.mutate();
        }}
        onNo={close}
      >
        <Typography>For a day the last one signs as well, so that the receiver can be given the new one.</Typography>
      </AskDialog>
      <AskDialog
        open={open === "remove"}
        title={`Remove ${name}?`}
        yes="Remove"
        no="Keep it"
        onYes={() => {
          close();
          removing.mutate();
        }}
        onNo={close}
      >
        <Typography>Nothing is sent any more, and what was sent can be seen no longer.</Typography>
      </AskDialog>
    </>
  );
}
