import { describe, expect, it } from "vitest";
import type { Curves, Points } from "../../../src/api/client";
import { lineage, valueLines, winningLine } from "../../../src/features/live/populationLayout";

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

/** Two members, three intervals; before the last, member 0 goes on as a copy of member 1. */
const population: Curves = {
  ...halving,
  population: true,
  levels: [3, 6, 9],
  numbers: [0, 1, 2, 3, 4, 5, 6],
  ids: [0, 1, 2, 3, 4, 5, 6],
  states: Array(7).fill("scored") as "scored"[],
  origins: ["baseline", ...(Array(6).fill("proposed") as string[])],
  members: [0, 0, 1, 0, 1, 0, 1],
  rungs: [2, 0, 0, 1, 1, 2, 2],
  parents: [null, null, null, 1, 2, 4, 4],
  best: [false, false, false, false, false, true, false],
  xs: [[9], [3], [3], [6], [6], [9], [9]],
  ys: [[0.9], [0.1], [0.2], [0.2], [0.3], [0.5], [0.4]],
};
const points: Points = {
  numbers: [0, 1, 2, 3, 4, 5, 6],
  ids: [],
  states: [],
  origins: [],
  means: [],
  standard_errors: [],
  seconds: [],
  ended_at: [],
  values: { rate: [0.001, 0.0001, 0.1, 0.0001, 0.1, 0.05, 0.1] },
};

describe("a population", () => {
  it("is drawn as intervals by member, with bows where somebody was copied", () => {
    const { members, intervals, copies } = lineage(population);
    expect(members).toBe(2);
    expect(intervals.map((i) => [i.member, i.from, i.to])).toEqual([
      [0, 0, 3],
      [1, 0, 3],
      [0, 3, 6],
      [1, 3, 6],
      [0, 6, 9],
      [1, 6, 9],
    ]);
    expect(copies).toEqual([{ number: 5, from: 1, to: 0, at: 6 }]);
  });

  it("marks the line that led to the best", () => {
    expect(winningLine(population)).toEqual(new Set([5, 4, 2]));
  });

  it("shows a setting over the training, by decades where it spans them", () => {
    const { low, high, steps } = valueLines(population, points, "rate");
    expect([low, high]).toEqual([0.0001, 0.1]);
    expect(steps.find((s) => s.number === 2)!.share).toBe(1);
    expect(steps.find((s) => s.number === 5)!.share).toBeCloseTo(Math.log(500) / Math.log(1000));
    expect(valueLines(population, points, "nothing").steps).toEqual([]);
  });
});
