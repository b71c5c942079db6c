import { describe, expect, it } from "vitest";
import { readAmount, wanted } from "../../src/lib/amount";

describe("a number as it is typed", () => {
  it.each(["015", "1e9", "-3", "3.5", "1,000", "0x10", "", " ", "∞", "9".repeat(20)])(
    "is no count of trials: %j",
    (text) => {
      expect(readAmount(text, { whole: true, least: 1 })).toBeNaN();
    },
  );
  it("is read as it stands", () => {
    expect(readAmount(" 60 ", { whole: true, least: 1 })).toBe(60);
    expect(readAmount("-0.25", {})).toBe(-0.25);
    expect(readAmount("1e-3", {})).toBe(0.001);
    expect(readAmount("", { empty: true })).toBe("");
    expect(readAmount("101", { most: 100 })).toBeNaN();
  });
  it("says what would be right", () => {
    expect(wanted({ whole: true, least: 1 })).toBe("a whole number, written out, 1 or more");
    expect(wanted({ least: 0, most: 100 })).toBe("a number from 0 to 100");
    expect(wanted({ empty: true })).toBe("a number, or nothing");
  });
});
