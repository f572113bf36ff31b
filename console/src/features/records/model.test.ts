import { describe, expect, it } from "vitest";
import type { FieldSchema, Form } from "../../api/types";
import { parseJson, writeJson, type Json } from "../../lib/json";
import { changedNames, draftFrom, fieldsFrom, patchFrom, valueOf, type Control, type Draft } from "./model";

const properties: Record<string, FieldSchema> = {
  name: { type: "string" },
  note: { type: ["string", "null"] },
  pumps: { type: ["integer", "null"] },
  flow: { type: ["number", "null"], "x-decimals": 2 },
  automatic: { type: "boolean" },
  tags: { type: ["array", "null"], items: { type: "string" } },
  contact: { type: ["object", "null"], properties: { name: { type: ["string", "null"] }, phone: { type: ["string", "null"] } } },
  station: { type: "string", "x-references": "stations" },
};

function formWith(values: { [name: string]: Json }): Form {
  return {
    values,
    version: 3,
    etag: '"x.3"',
    schema: { title: "Things", properties, required: [], "x-key": "name", "x-naming": "name", "x-columns": ["name"] },
    choices: { station: { options: [{ value: "PS-1", label: "One" }], more: false } },
    writable: Object.keys(properties),
    deletable: false,
    erasable: [],
  };
}

const stored = parseJson(
  '{"name":"A","note":"old","pumps":0,"flow":2.50,"automatic":false,"tags":["x"],"contact":{"name":"Ada","phone":"1"},"station":"PS-1"}',
) as { [name: string]: Json };

describe("what is sent of a form", () => {
  it("is nothing when nothing was changed, whatever the values", () => {
    const form = formWith(stored);
    expect(changedNames(form, draftFrom(form))).toEqual([]);
    expect(patchFrom(form, draftFrom(form))).toEqual({});
  });

  const cases: [string, Draft, string][] = [
    ["a text", { name: "B" }, '{"name":"B"}'],
    ["an emptied optional text is cleared", { note: "" }, '{"note":null}'],
    ["an emptied required text is sent empty, for the service to judge", { name: "" }, '{"name":""}'],
    ["an emptied number is cleared", { pumps: "" }, '{"pumps":null}'],
    ["a decimal keeps its digits", { flow: "12345678901234567.80" }, '{"flow":12345678901234567.80}'],
    ["what is no number goes as typed", { pumps: "many" }, '{"pumps":"many"}'],
    ["a ticked box", { automatic: true }, '{"automatic":true}'],
    ["an emptied list is cleared", { tags: [] }, '{"tags":null}'],
    ["a list is sent whole", { tags: ["x", "y"] }, '{"tags":["x","y"]}'],
    ["one member of a group", { contact: { name: "Ada", phone: "2" } }, '{"contact":{"phone":"2"}}'],
    ["a cleared member of a group", { contact: { name: "Ada", phone: "" } }, '{"contact":{"phone":null}}'],
    ["an emptied group is cleared", { contact: { name: "", phone: "" } }, '{"contact":null}'],
  ];
  it.each(cases)("%s", (_, typed, expected) => {
    const form = formWith(stored);
    expect(writeJson(patchFrom(form, { ...draftFrom(form), ...typed }))).toBe(expected);
  });

  it("leaves out what was left empty when creating", () => {
    const form = formWith({ automatic: true });
    expect(fieldsFrom(form, { ...draftFrom(form), name: "B" })).toEqual({ name: "B", automatic: true });
  });
});

describe("a value read from an input", () => {
  const cases: [FieldSchema, Control, Json][] = [
    [{ type: ["boolean", "null"] }, "false", false],
    [{ type: ["boolean", "null"] }, "", null],
    [{ type: "boolean" }, false, false],
    [{ type: ["string", "null"] }, "0", "0"],
  ];
  it.each(cases)("%j from %j is %j", (schema, control, expected) => {
    expect(valueOf(schema, "pick", control)).toEqual(expected);
  });
});
