import { expect, it } from "vitest";
import { placeOf } from "../../../src/features/decision/thresholds";

it("a threshold calls all rows positive that reach it", () => {
  const cuts = { threshold: [null, 0.9, 0.5, 0.1] };
  expect([1, 0.9, 0.7, 0.5, 0].map((t) => placeOf(cuts, t))).toEqual([0, 1, 1, 2, 3]);
});
