import { expect, test } from "vitest";
import type { Entry } from "../../api/types";
import { busiest, grouped } from "./model";

const entry = (sequence: number, parts: Partial<Entry> = {}) => ({ sequence, batch: null, cause: null, ...parts }) as Entry;

test("what was saved together stands together", () => {
  const entries = [
    entry(9),
    entry(8, { cause: 7 }),
    entry(7, { cause: 6 }),
    entry(6),
    entry(5, { batch: "b" }),
    entry(4, { batch: "b" }),
    entry(3, { batch: "a" }),
    entry(2),
  ];
  expect(grouped(entries).map((group) => group.entries.map((one) => one.sequence))).toEqual([[9], [8, 7, 6], [5, 4], [3], [2]]);
});

test("the busiest come first, and the rest are shown as one", () => {
  const series = Array.from({ length: 10 }, (_, place) => ({ name: `s${place}`, counts: [place, 1] }));
  const found = busiest(series);
  expect(found.map((one) => one.name)).toEqual(["s9", "s8", "s7", "s6", "s5", "s4", "s3", "others"]);
  expect(found.at(-1)?.counts).toEqual([0 + 1 + 2, 3]);
});
