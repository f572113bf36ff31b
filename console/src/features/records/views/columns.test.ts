import { describe, expect, it } from "vitest";
import type { CollectionSchema } from "../../../api/types";
import { columnsOf, stepped, writtenOf } from "./columns";

const text = { type: "string" };
const schema: CollectionSchema = {
  title: "Tickets",
  properties: { number: text, title: text, cost: { type: "number" } },
  required: [],
  "x-key": "number",
  "x-naming": "title",
  "x-columns": ["number", "title"],
};

describe("columns of a list", () => {
  it.each([
    ["none said", [], ["number", "title"]],
    ["order and widths", ["cost:120", "number"], ["cost:120", "number"]],
    ["no field, and one twice", ["nothing", "cost", "cost:90"], ["cost:90"]],
    ["a width that is none", ["cost:0", "title:wide"], ["cost", "title"]],
    ["nothing that there is", ["nothing"], ["number", "title"]],
  ])("%s", (_, said, shown) => expect(writtenOf(columnsOf(schema, said))).toEqual(shown));

  it.each([
    [0, 1, ["b", "a", "c"]],
    [2, -1, ["a", "c", "b"]],
    [0, -1, ["a", "b", "c"]],
    [2, 1, ["a", "b", "c"]],
  ] as const)("moves %s by %s", (from, step, moved) => expect(stepped(["a", "b", "c"], from, step)).toEqual(moved));
});
