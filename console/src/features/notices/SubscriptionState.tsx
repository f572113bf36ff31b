import Chip from "@mui/material/Chip";
import type { Subscription } from "../../api/subscriptions";

/** Whether a subscription is sent anything, and takes it. */
export function SubscriptionState({ subscription }: { subscription: Subscription }) {
  if (subscription.paused) return <Chip size="small" color="warning" label="paused" />;
  if (subscription.failing_since !== null) return <Chip size="small" color="error" label="failing" />;
  return <Chip size="small" color="success" variant="outlined" label="sending" />;
}
