import { expect, test } from "vitest";
import { comparisonsOf, conditionsOf, conditionWords, joined, literal } from "./filter";

const written = (schema: Parameters<typeof literal>[0], id: string, value: string) =>
  comparisonsOf(schema)
    .find((one) => one.id === id)
    ?.write("f", literal(schema, value));

test.each([
  [{ type: "string" }, "==", 'a "b"', 'f == "a \\"b\\""'],
  [{ type: ["string", "null"] }, "contains", "x", 'f.contains("x")'],
  [{ type: "integer" }, ">=", " 3 ", "f >= 3"],
  [{ type: "string", format: "date" }, "<", "2031-04-09", 'f < date("2031-04-09")'],
  [{ type: "string", format: "date-time" }, ">", "2031-04-09T14:30:00Z", 'f > timestamp("2031-04-09T14:30:00.000Z")'],
  [{ type: "array" }, "in", "diesel", '"diesel" in f'],
])("%j %s %s", (schema, id, value, expected) => {
  expect(written(schema, id, value)).toBe(expected);
});

test("what needs no value takes none", () => {
  expect(comparisonsOf({ type: "boolean" }).map((one) => one.write("f", ""))).toEqual(["f", "!f", "f == null", "f != null"]);
});

test("conditions are joined so that each must hold", () => {
  expect(joined("", "a")).toBe("a");
  expect(joined("a", "b")).toBe("a && b");
  expect(joined("a || b", "c")).toBe("(a || b) && c");
});

test.each([
  ["", []],
  ["a && b", ["a", "b"]],
  ['a == "x && y" && (b && c) ', ['a == "x && y"', "(b && c)"]],
  ['a == """x " && y""" && b', ['a == """x " && y""" && b']],
  [String.raw`a == r"\" && b`, [String.raw`a == r"\" && b`]],
  ["a && b || c", ["a && b || c"]],
  ["a ? b : c && d", ["a ? b : c && d"]],
  [String.raw`a == "\" && " && d`, [String.raw`a == "\" && "`, "d"]],
])("the conditions of %s", (expression, expected) => expect(conditionsOf(expression)).toEqual(expected));

test.each([
  ['state != "done"', "State is not done"],
  ["state != 'done'", "State is not done"],
  ["pumps >= 3", "Pumps is at least 3"],
  ['due < date("2031-04-09")', "due is before Apr 9, 2031"],
  ["pumps == null", "Pumps is empty"],
  ["!ready", "ready: no"],
  ['state.startsWith("d")', "State begins with d"],
  ["pumps + 1 > 3", "pumps + 1 > 3"],
  ["nothing > 3", "nothing > 3"],
])("%s in words", (condition, words) => {
  const fields = {
    state: { type: "string", title: "State" },
    pumps: { type: ["integer", "null"], title: "Pumps" },
    due: { type: "string", format: "date" },
    ready: { type: "boolean" },
  };
  expect(conditionWords(fields, condition)).toBe(words);
});
