import { describe, expect, it } from "vitest";
import { groupedNumber, localNumber, typedNumber } from "./numbers";

describe("a number as it is typed", () => {
  it.each([
    ["en", "12.5", "12.5"],
    ["en", "1,234.50", "1234.50"],
    ["en", "12,5", null],
    ["en", "1,23", null],
    ["en", " +007 ", "7"],
    ["en", "\u22123", "-3"],
    ["en", "1e3", "1e3"],
    ["en", "", null],
    ["en", "many", null],
    ["en", "1.2.3", null],
    ["de", "12,50", "12.50"],
    ["de", "1.234,5", "1234.5"],
    ["de", "1.234", "1234"],
    ["de", "12.5", "12.5"],
    ["de", "1,234,5", null],
    ["fr", "1 234,5", "1234.5"],
    ["fr", "1\u202f234", "1234"],
    ["fr", "12 34", null],
    ["en", "12345678901234567.80", "12345678901234567.80"],
  ])("%s %j is %j", (language, typed, written) => expect(typedNumber(typed, language)).toBe(written));

  it("is what it is shown as", () => {
    for (const language of ["en", "de", "fr", "de-CH", "pl", "sv"])
      for (const written of ["0", "-1", "1234", "12345678901234567.80", "-98765.4321", "0.001", "1000", "999999"]) {
        expect(typedNumber(groupedNumber(written, language), language)).toBe(written);
        expect(typedNumber(localNumber(written, language), language)).toBe(written);
      }
  });
});

describe("a number as it is shown", () => {
  it.each([
    ["en", "1234", "1234"],
    ["en", "-12345.60", "-12,345.60"],
    ["de", "1234567.8", "1.234.567,8"],
    ["en", "1e21", "1e21"],
    ["en", "many", "many"],
  ])("%s %s is %s", (language, written, shown) => expect(groupedNumber(written, language)).toBe(shown));
});
