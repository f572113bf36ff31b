import { describe, expect, it } from "vitest";
import errors from "../../../docs/errors.md?raw";
import type { FieldError } from "../api/errors";
import type { FieldSchema } from "../api/types";
import { SENTENCES, schemaAt, sentenceFor } from "./sentences";

const documented = errors.split("## Codes of field errors")[1] ?? "";

describe("what people read of an error", () => {
  it("has a sentence for every documented code", () => {
    const codes = [...documented.matchAll(/^### `(.+)`$/gm)].map((one) => one[1] ?? "");
    expect(codes.length).toBeGreaterThan(25);
    expect(Object.keys(SENTENCES).sort()).toEqual(codes.sort());
  });

  const cases: [Partial<FieldError> & { code: string }, FieldSchema, string][] = [
    [{ code: "required" }, { type: "string" }, "Enter a text."],
    [{ code: "null" }, { type: "integer" }, "Enter a whole number."],
    [{ code: "required" }, { type: "string", "x-references": "stations" }, "Choose one."],
    [{ code: "type" }, { type: ["number", "null"] }, "Enter a number."],
    [{ code: "type" }, { type: "string", format: "email" }, "Enter an e-mail address, such as name@firm.example."],
    [{ code: "maximum", maximum: 12 }, { type: "integer" }, "Enter 12 or less."],
    [{ code: "min_length", min_length: 1 }, { type: "string" }, "Enter at least 1 character."],
    [{ code: "max_items", max_items: 3 }, { type: "array" }, "Enter at most 3 entries."],
    [{ code: "multiple_of" }, { type: "number", "x-decimals": 2 }, "Enter at most 2 digits after the point."],
    [{ code: "pattern" }, { type: "string", examples: ["T-0001"] }, "Write it like T-0001."],
    [{ code: "maximum" }, { type: "number", "x-derived": true }, "It is worked out, and cannot be so. In the service's words."],
    [{ code: "of_a_later_version" }, { type: "string" }, "In the service's words."],
  ];
  it.each(cases)("%o", (error, schema, sentence) => {
    expect(sentenceFor({ pointer: "/x", detail: "In the service's words.", ...error }, schema)).toBe(sentence);
  });

  it("looks inside objects and lists", () => {
    const contact = { type: "object", properties: { name: { type: "string", title: "Name" } } };
    const schema = {
      title: "",
      required: [],
      "x-key": "id",
      "x-naming": "id",
      "x-columns": ["id"],
      properties: { contact, tags: { type: "array", items: { type: "string" } } },
    };
    expect(schemaAt(schema, "/contact/name")?.title).toBe("Name");
    expect(schemaAt(schema, "/tags/2")?.type).toBe("string");
    expect(schemaAt(schema, "/nothing")).toBeUndefined();
  });
});
