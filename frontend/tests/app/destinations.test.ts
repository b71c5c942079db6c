/** What the finder makes of the words that are typed. */
import { describe, expect, it } from "vitest";
import { matching, type Destination } from "../../src/app/destinations";

const place = (label: string, note: string): Destination => ({ key: label, label, note, act: "/" });
const all = [
  place("Search 2: forest, random", "finished"),
  place("Warm arrivals", "problem"),
  place("Arrivals of last year", "problem"),
  place("min_leaf", "setting"),
  place("Evidence", "stage 4"),
];
const found = (text: string) => matching(all, text).map((d) => d.label);

describe("the finder", () => {
  it("looks for every word, in the label and beside it, whatever their case and order", () => {
    expect(found("forest search")).toEqual(["Search 2: forest, random"]);
    expect(found("PROBLEM warm")).toEqual(["Warm arrivals"]);
    expect(found("forest problem")).toEqual([]);
  });
  it("puts first what begins with what was typed, and keeps the order of the rest", () => {
    expect(found("arrivals")).toEqual(["Arrivals of last year", "Warm arrivals"]);
    expect(found("  ")).toEqual(all.map((d) => d.label));
  });
  it("shows a dozen and no more", () => {
    const many = Array.from({ length: 40 }, (_, i) => place(`Trial ${i}`, "trial"));
    expect(matching(many, "trial").map((d) => d.label)).toEqual(many.slice(0, 12).map((d) => d.label));
  });
});
