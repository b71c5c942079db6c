import { describe, expect, it } from "vitest";
import type { FitView, Lanes } from "../../../src/api/client";
import { progressOf } from "../../../src/features/live/progress";

describe("a running trial", () => {
  it("knows its scored and its running folds", () => {
    const fit = (trial: number, fold: number, state: FitView["state"], score: number | null) => ({
      trial,
      fold,
      state,
      score,
      rung: 0,
      attempt: 1,
      lane: 0,
      machine: "",
      started_at: 1,
      ended_at: null,
      seconds: 0,
      reason: "",
    });
    const lanes: Lanes = {
      fits: [fit(3, 0, "done", 0.5), fit(3, 2, "running", null), fit(4, 1, "done", 0.9)],
      now: 9,
      devices: [],
    };
    expect(progressOf(lanes, 3, 3)).toEqual({ scores: [0.5, null, null], running: [2] });
    expect(progressOf(undefined, 3, 2)).toEqual({ scores: [null, null], running: [] });
  });
});
