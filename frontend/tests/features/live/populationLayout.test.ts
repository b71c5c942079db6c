import { describe, expect, it } from "vitest";
import { halving } from "../../making";
import type { Curves, Points } from "../../../src/api/client";
import { lineage, valueLines, winningLine } from "../../../src/features/live/populationLayout";

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
  keeps: [],
  values: { rate: [0.001, 0.0001, 0.1, 0.0001, 0.1, 0.05, 0.1] },
  fold_effects: [],
  complete: 0,
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
