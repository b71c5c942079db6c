import { expect, it } from "vitest";
import type { Spent } from "../../src/api/evidence";
import { corners, overlayEnds } from "../../src/charts/bestOverlayLayout";

const spent = (rises: number[][], best: number): Spent => ({
  search_id: 1,
  number: 1,
  strategy: "Random",
  early_stopping: "none",
  workers: 2,
  best,
  trials: 9,
  fits: 40,
  seconds: 9,
  near_after: null,
  far_share: 0,
  blind_share: 0,
  rises,
});

it("the best so far goes in steps, against trials, fits or seconds", () => {
  const one = spent(
    [
      [1, 5, 2, 0.1],
      [4, 20, 9, 0.6],
      [9, 40, 30, 0.6],
    ],
    0.6,
  );
  expect(corners(one, "trials")).toEqual([
    [1, 0.1],
    [4, 0.1],
    [4, 0.6],
    [9, 0.6],
    [9, 0.6],
  ]);
  expect(corners(one, "seconds").at(-1)).toEqual([30, 0.6]);
  const { x, y } = overlayEnds([one], "fits", 0.2);
  expect(x).toEqual({ low: 0, high: 40 });
  expect(y.low).toBeLessThan(0.2);
  expect(y.high).toBeGreaterThan(0.6);
  expect(overlayEnds([], "trials", null).x.high).toBe(1);
});
