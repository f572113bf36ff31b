import { expect, it } from "vitest";
import { typedDay } from "./days";

it.each([
  ["en-US", "2031-04-09", "2031-04-09"],
  ["en-US", "4/9/2031", "2031-04-09"],
  ["en-US", "Apr 9, 2031", "2031-04-09"],
  ["en-GB", "9/4/2031", "2031-04-09"],
  ["de", "9.4.2031", "2031-04-09"],
  ["de", "09.04.2031", "2031-04-09"],
  ["de", "9. April 2031", "2031-04-09"],
  ["sv", "2031-4-9", "2031-04-09"],
  ["en-US", "4/9/31", null],
  ["en-US", "2/30/2031", null],
  ["en-US", "13/1/2031", null],
  ["en-US", "soon", null],
  ["en-US", "", null],
])("%s %j is %j", (language, typed, day) => expect(typedDay(typed, language)).toBe(day));

it("reads what is shown", () => {
  for (const language of ["en-US", "en-GB", "de", "fr", "pl", "sv", "nl"])
    for (const day of ["2031-01-02", "2031-03-31", "2031-05-09", "2031-12-31"]) {
      const style = { day: "numeric", month: "short", year: "numeric", timeZone: "UTC" } as const;
      expect(typedDay(new Intl.DateTimeFormat(language, style).format(new Date(day)), language)).toBe(day);
    }
});
