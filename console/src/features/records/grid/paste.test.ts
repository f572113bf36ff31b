import { describe, expect, it } from "vitest";
import type { CollectionSchema, FieldSchema, Page } from "../../../api/types";
import { cellsOf, pastedAt, pastedValue, textOfCells } from "./paste";

describe("cells on the clipboard", () => {
  it.each<[string, string[][]]>([
    ["a", [["a"]]],
    ["a\tb\r\nc\td\r\n", [["a", "b"], ["c", "d"]]], // prettier-ignore
    ['"two\nlines"\t"a ""word"""\nx', [["two\nlines", 'a "word"'], ["x"]]], // prettier-ignore
    ['12" pipe\t"open', [['12" pipe', '"open']]],
    ["\t\n", [["", ""]]],
  ])("%j", (text, cells) => expect(cellsOf(text)).toEqual(cells));

  it("come back as they were copied", () => {
    const cells = [["a\tb", 'c"d', "e\nf"], ["", "g", '"']]; // prettier-ignore
    expect(cellsOf(textOfCells(cells))).toEqual(cells);
  });
});

describe("a text pasted into a field", () => {
  const labels = { "PS-1": "PS-1 · First", ada: "Ada Lund" };
  it.each<[string, FieldSchema, boolean, string, unknown]>([
    ["a text", { type: "string" }, false, " a b ", "a b"],
    ["nothing", { type: ["string", "null"] }, false, "–", null],
    ["a whole number", { type: "integer" }, false, "1,234", 1234],
    ["no number", { type: "integer" }, false, "many", "many"],
    ["a flag", { type: "boolean" }, false, "Yes", true],
    ["no flag", { type: "boolean" }, false, "perhaps", "perhaps"],
    ["a day", { type: ["string", "null"], format: "date" }, false, "Apr 9, 2031", "2031-04-09"],
    ["no day", { type: ["string", "null"], format: "date" }, false, "soon", "soon"],
    ["a choice", { type: "string", enum: ["in hand"] }, true, "In Hand", "in hand"],
    ["no choice", { type: "string", enum: ["in hand"] }, true, "lost", "lost"],
    ["what a reference stands for", { type: "string", "x-references": "stations" }, true, "PS-1 · First", "PS-1"],
    ["a key", { type: "string", "x-references": "stations" }, true, "PS-2", "PS-2"],
    ["a list", { type: "array", items: { type: "string" } }, false, "a, b\nc", ["a", "b", "c"]],
  ])("%s", (_, field, picked, text, value) => {
    const found = pastedValue(field, picked, text, labels);
    expect(typeof value === "number" ? Number(found) : found).toEqual(value);
  });
});

it("goes from a place on, as far as the list does, and into nothing that is closed", () => {
  const schema: CollectionSchema = {
    title: "Things",
    properties: { code: { type: "string", "x-fixed": true }, name: { type: "string" }, count: { type: "integer" } },
    required: [],
    "x-key": "code",
    "x-naming": "name",
    "x-columns": ["code", "name", "count"],
  };
  const row = (id: string, name: string) => ({ id, version: 1, code: id, name, count: 1 }) as unknown as Page["items"][number];
  const page = { items: [row("a", "A"), row("b", "B")], next: null } as Page;
  const writable = new Map([["a", ["name", "count"]], ["b", ["name"]]]); // prettier-ignore
  const cells = [["z", "A", "2"], ["b", "New", "3"], ["c", "C", "4", "more"]]; // prettier-ignore
  const found = pastedAt({ schema, page, writable }, cells, { row: 0, column: 1 });
  expect(found.rows.map((one) => [one.row.id, Object.keys(one.fields), Object.keys(one.closed)])).toEqual([
    ["a", ["count"], ["code"]],
    ["b", ["name"], ["count"]],
  ]);
  expect([found.rowsLeft, found.columnsLeft]).toEqual([1, 1]);
});
