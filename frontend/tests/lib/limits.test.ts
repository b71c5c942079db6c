import { expect, it } from "vitest";
import { completions, goingOn, limitsOf, limitsText } from "../../src/lib/limits";

const quantities = [
  { measure: "predict ms", larger_is_better: false },
  { measure: "recall", larger_is_better: true },
];

it("are parted by commas or lines, and told as they were read", () => {
  expect(limitsOf("predict ms <= 5, recall >= 0.8\n")).toEqual(["predict ms <= 5", "recall >= 0.8"]);
  expect(limitsOf(" , ")).toEqual([]);
  expect(limitsOf(limitsText(["a <= 1", "b >= 2"]))).toEqual(["a <= 1", "b >= 2"]);
});

it.each([
  ["", ["predict ms <= ", "recall >= "]],
  ["pre", ["predict ms <= "]],
  ["predict ms <= 5", ["predict ms <= 5, recall >= "]],
  ["predict ms <= 5, ", ["predict ms <= 5, recall >= "]],
  ["predict ms ≤ 5, r", ["predict ms ≤ 5, recall >= "]],
  ["predict ms <= 5, recall >= 0.8", []],
  ["speed", []],
])("%j goes on with what is not limited yet, whichever way is good of it", (text, offered) => {
  expect(completions(quantities, text)).toEqual(offered);
});

it.each([
  ["", ["predict ms", "recall"]],
  ["re", ["recall"]],
  ["recall", ["recall, predict ms"]],
  ["recall, pre", ["recall, predict ms"]],
  ["recall, predict ms", []],
])("names: %j goes on with those that are not there yet", (text, offered) => {
  expect(goingOn(["predict ms", "recall"], text)).toEqual(offered);
});
