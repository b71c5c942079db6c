import { describe, expect, it } from "vitest";
import type { Curves } from "../../src/api/client";
import { boxOf } from "../../src/charts/plotLayout";
import { kindOf, layOut, nearest, scoreEnds } from "../../src/charts/trialCurvesLayout";

/** Four trials of a search with rungs at 1, 3 and 9. */
const halving: Curves = {
  resource: "iterations",
  levels: [1, 3, 9],
  population: false,
  larger_is_better: true,
  folds: 3,
  numbers: [0, 1, 2, 3, 4],
  ids: [10, 11, 12, 13, 14],
  states: ["scored", "pruned", "parked", "running", "pruned"],
  origins: ["baseline", "proposed", "proposed", "proposed", "proposed"],
  reasons: ["", "rung 1: place 5 of 5", "", "", "fold 1, iteration 9: flat from the start"],
  flat: [false, false, false, false, true],
  members: [0, 0, 0, 0, 0],
  rungs: [2, 0, 1, 1, 0],
  parents: [null, null, null, null, null],
  best_iterations: [9, 1, 3, null, null],
  best: [true, false, false, false, false],
  means: [0.8, null, null, null, null],
  effects: [0, 0, 0],
  open: [],
  xs: [[1, 3, 9], [1], [1, 3], [1, 2], []],
  ys: [[0.2, 0.5, 0.8], [0.1], [0.3, 0.6], [0.3, 0.4], []],
  ladder: [],
};
const box = boxOf(600, 240);

describe("curves of trials", () => {
  it("tells apart what became of trials", () => {
    expect(halving.numbers.map((_, i) => kindOf(halving, i))).toEqual([
      "baseline",
      "ended early",
      "waiting",
      "under way",
      "flat",
    ]);
  });

  it("draws the living in front, the baseline last, and nothing without points", () => {
    const drawn = layOut(halving, box, { low: 0, high: 9 }, { low: 0, high: 1 });
    expect(drawn.map((d) => d.kind)).toEqual(["ended early", "waiting", "under way", "baseline"]);
    expect(drawn.at(-1)!.path[2]).toEqual([box.right, expect.closeTo(box.bottom - 0.8 * (box.bottom - box.top))]);
  });

  it("keeps wild beginnings inside the picture", () => {
    const { low, high } = scoreEnds(halving, true);
    expect(low).toBeGreaterThan(0.1);
    expect(high).toBeGreaterThan(0.8);
    const drawn = layOut(halving, box, { low: 0, high: 9 }, { low, high });
    expect(Math.max(...drawn.flatMap((d) => d.path.map(([, y]) => y)))).toBeLessThanOrEqual(box.bottom);
    expect(scoreEnds({ ...halving, ys: [] }, true)).toEqual({ low: 0, high: 1 });
  });

  it("finds the curve under the pointer, and none far from all", () => {
    const drawn = layOut(halving, box, { low: 0, high: 9 }, { low: 0, high: 1 });
    const waiting = drawn.find((d) => d.kind === "waiting")!;
    const [x, y] = waiting.path[1]!;
    expect(nearest(drawn, [x + 3, y - 2])!.index).toBe(2);
    expect(nearest(drawn, [box.right, box.bottom])).toBeNull();
  });
});
