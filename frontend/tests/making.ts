/** Small made-up answers that tests of several layers share. */
import type { Curves, Points } from "../src/api/client";
import type { ChoiceParameter } from "../src/lib/scale";

/** A choice among options with these weights. */
export const choice = (name: string, weights: Record<string, number>): ChoiceParameter => ({
  ...{ kind: "choice", name },
  options: Object.entries(weights).map(([value, weight]) => ({ value, weight })),
});

/** Ended trials with these means, two settings each; null failed. */
export const points = (means: (number | null)[], ended = means.map((_, i) => 100 + i)): Points => ({
  numbers: means.map((_, i) => i),
  ids: means.map((_, i) => i + 1),
  states: means.map((m) => (m === null ? "failed" : "scored")),
  origins: means.map(() => "proposed"),
  means,
  standard_errors: means.map(() => 0.01),
  seconds: means.map(() => 1),
  ended_at: ended,
  keeps: means.map(() => null),
  values: { depth: means.map((_, i) => 2 + i), kind: means.map((_, i) => (i % 2 ? "a" : "b")) },
  fold_effects: [],
  complete: 0,
});

/** A fit as the server tells of it. */
export const fit = (trial: number, fold: number, state: string, more = {}) => ({
  trial,
  fold,
  state,
  attempt: 1,
  lane: 0,
  started_at: 100,
  ended_at: null,
  score: null,
  seconds: 0,
  rung: 0,
  reason: "",
  ...more,
});

/** Four trials of a search with rungs at 1, 3 and 9. */
export const halving: Curves = {
  resource: "iterations",
  levels: [1, 3, 9],
  population: false,
  larger_is_better: true,
  folds: 3,
  numbers: [0, 1, 2, 3, 4],
  ids: [10, 11, 12, 13, 14],
  states: ["scored", "ended early", "parked", "running", "ended early"],
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
