import { expect, it } from "vitest";
import { beginnings, limitsOf, limitsText, withBeginning } from "../../src/lib/limits";

const quantities = [
  { measure: "predict ms", larger_is_better: false },
  { measure: "recall", larger_is_better: true },
];

it("are parted by commas or lines, and told as they were read", () => {
  expect(limitsOf("predict ms <= 5, recall >= 0.8\n")).toEqual(["predict ms <= 5", "recall >= 0.8"]);
  expect(limitsOf(" , ")).toEqual([]);
  expect(limitsOf(limitsText(["a <= 1", "b >= 2"]))).toEqual(["a <= 1", "b >= 2"]);
});

it("are begun with what is not limited yet, whichever way is good of it", () => {
  expect(beginnings(quantities, "")).toEqual(["predict ms <= ", "recall >= "]);
  expect(beginnings(quantities, "predict ms <= 5")).toEqual(["recall >= "]);
  expect(withBeginning("", "recall >= ")).toBe("recall >= ");
  expect(withBeginning("predict ms <= 5,", "recall >= ")).toBe("predict ms <= 5, recall >= ");
});
