import type { Delivery, State, Subscription } from "../../api/subscriptions";

/** What may stand beside each event. */
export const DATA = {
  none: "Nothing: what changed is read by who is told",
  changes: "The fields that changed, before and after",
  record: "The whole record, as it is then",
};

/** What becomes of a delivery. */
export const STATES: Record<State, string> = {
  waiting: "waiting",
  sent: "sent",
  parked: "parked",
  void: "not sent",
};

/** What a subscription is sent, in a few words. */
export function followed(one: Subscription, titles: (name: string) => string): string {
  const names = one.collections.map((name) => (name === "*" ? "all collections" : titles(name)));
  const where = one.where === "" ? "" : ` where ${one.where}`;
  const changes = names.length === 0 ? [] : [`${names.join(", ")}${where}`];
  const notices = one.notices.includes("*") ? ["all notices of effects"] : one.notices.map((name) => `notice ${name}`);
  return [...changes, ...notices].join("; ");
}

/** What an event is called, without what all of them begin with. */
export const called = (type: string): string => type.replace(/^fenland\.(record\.)?/, "");

/** What came of an attempt, in a line. */
export function answered(attempt: Delivery["last"]): string {
  if (attempt === null) return "";
  return [attempt.status, attempt.why, attempt.answer.slice(0, 200)].filter((one) => one !== null && one !== "").join(" · ");
}
