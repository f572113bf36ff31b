import type { Pass } from "../../api/passes";
import type { Listed, Proposed, State } from "../../api/proposals";
import { moment } from "../../lib/text";

/** What a proposal wishes for. */
export const KINDS: Record<Listed["kind"], string> = {
  change: "Change",
  create: "New record",
  confirm: "All is right",
  delete: "Deletion",
};

/** What has become of a proposal. */
export const STATES: Record<State, string> = {
  waiting: "waits",
  applied: "applied",
  partly: "applied in part",
  refused: "refused",
  withdrawn: "withdrawn",
  overtaken: "overtaken",
};

/** What has become of one of its fields, and who decided that. */
export function fate(field: Proposed): string {
  const by = field.by === null || field.by.startsWith("pass:") ? "" : ` by ${field.by}`;
  const reason = field.reason === null ? "" : `: ${field.reason}`;
  return `${field.state === "waiting" ? "waits" : field.state}${field.state === "waiting" ? "" : by}${reason}`;
}

/** What has become of a pass. */
export function became(pass: Pass): string {
  if (pass.sent > 0 && pass.sent_at !== null)
    return `sent ${pass.sent === 1 ? "once" : `${pass.sent} times`}, last ${moment(pass.sent_at)}`;
  return pass.opened_at === null ? "never opened" : `opened ${moment(pass.opened_at)}`;
}
