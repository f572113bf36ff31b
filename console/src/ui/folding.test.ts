import { expect, test } from "vitest";
import type { Entry } from "../api/types";
import { folded } from "./folding";

const entries = (...actions: string[]) => actions.map((action, place) => ({ sequence: 9 - place, action }) as Entry);

test("what is merely derived and stands together is one", () => {
  const found = folded(entries("derive", "derive", "update", "derive", "create", "derive", "derive"));
  expect(found.map((run) => run.map((one) => one.sequence))).toEqual([[9, 8], [7], [6], [5], [4, 3]]);
});
