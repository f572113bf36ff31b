import { expect, it } from "vitest";
import { inSentence, localMoment, utcMoment } from "./text";

// The tests run in the zone that vite.config.ts names.
it.each([
  ["2031-04-09T12:30:00.000000Z", "2031-04-09T13:30:00"],
  ["2031-01-09T00:15:00Z", "2031-01-09T00:15:00"],
])("the moment %s is shown and read as %s in London", (stored, local) => {
  expect(localMoment(stored)).toBe(local);
  expect(utcMoment(local)).toBe(new Date(stored).toISOString());
});

it.each(["", "soon"])("what is no moment stays as it is: %j", (text) => {
  expect(localMoment(text)).toBe(text);
  expect(utcMoment(text)).toBe(text);
});

it("a title within a sentence", () => {
  expect(["Work ticket", "VAT number", "Élan"].map(inSentence)).toEqual(["work ticket", "VAT number", "élan"]);
});
