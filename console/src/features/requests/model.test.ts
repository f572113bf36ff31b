import { describe, expect, it, vi } from "vitest";
import { joined } from "../../api/requests";
import { addressOf, meantBy } from "./model";

vi.mock("../../api/base", () => ({ basePath: "" }));

const numbered = (...numbers: number[]) => numbers.map((number) => ({ number }));

describe("requests that came", () => {
  it("stand before those that were there", () => {
    expect(joined(numbered(2, 1), numbered(4, 3))).toEqual(numbered(4, 3, 2, 1));
    expect(joined(numbered(2, 1), [])).toEqual(numbered(2, 1));
  });
  it("take their place where they were begun anew", () => {
    expect(joined(numbered(9, 8), numbered(2, 1))).toEqual(numbered(2, 1));
  });
  it("are never more than are kept", () => {
    const many = numbered(...Array.from({ length: 200 }, (_, place) => 200 - place));
    expect(joined(many, numbered(201))).toHaveLength(200);
  });
});

describe("a request in a line", () => {
  it("says where it went", () => {
    expect(addressOf({ path: "/v1/records/tickets", query: { limit: "2", where: "open" } })).toBe(
      "/v1/records/tickets?limit=2&where=open",
    );
  });
  it("says what became of fields, or why it was refused", () => {
    const fields = [
      { field: "title", outcome: "set" as const },
      { field: "number", outcome: "same" as const },
      { field: "sum", outcome: "followed" as const },
      { field: "hours", outcome: "set" as const },
    ];
    expect(meantBy({ fields })).toBe("set title, hours; followed sum");
    const wrong = [{ field: "hours", outcome: "refused" as const, code: "maximum" }];
    const problem = { title: "Not valid", detail: "Nothing was saved.", errors: [{ pointer: "", code: "check", detail: "No." }] };
    expect(meantBy({ fields: wrong, problem })).toBe("hours: maximum, record: check");
    expect(meantBy({ problem: { title: "Not found", detail: "There is none." } })).toBe("There is none.");
    expect(meantBy({ counts: { matched: 3, changed: 2 } })).toBe("3 matched, 2 changed");
  });
});
