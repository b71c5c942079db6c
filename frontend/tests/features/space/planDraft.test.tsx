import { describe, expect, it } from "vitest";
import type { Search } from "../../../src/api/client";
import { firstPlan, keepPlan, planned, plannedBefore, requestOf } from "../../../src/features/space/planDraft";
import recorded from "../../recorded.json";

const searches = (recorded as Record<string, unknown>)["GET /api/v1/problems/1/searches"] as Search[];
const usual = { limits: [], against: [] };

describe("the plan to begin with", () => {
  it("is that of the last search, with the next seed", () => {
    const last = searches[0]!;
    const plan = firstPlan(searches, usual);
    expect(plan).toMatchObject({
      ...{ strategy: last.asked.strategy, stopping: last.asked.early_stopping, settings: last.asked.stopping },
      ...{ trials: last.asked.trials, minutes: "", workers: last.asked.workers ?? "", seed: last.seed + 1 },
    });
    const again = requestOf(plan, last.learner, last.space, null);
    expect(again).toMatchObject({ learner: last.learner, space: last.space });
    expect(again.plan).toMatchObject({
      ...{ strategy: last.asked.strategy, "early stopping": last.asked.early_stopping, stopping: last.asked.stopping },
      ...{ trials: last.asked.trials, minutes: null, "target score": null, "no gain in": null, seed: last.seed + 1 },
    });
    expect(firstPlan([], usual)).toMatchObject({ strategy: "automatic", stopping: "automatic", trials: 60, seed: 1 });
  });

  it("is a draft that survives a reload, but not another search; what was mistyped comes back as it was", () => {
    const plan = { ...firstPlan(searches, usual), trials: 17, minutes: NaN, decision: 3 };
    keepPlan(1, searches, plan);
    expect(plannedBefore(1, searches, usual)).toEqual({ ...plan, minutes: "" });
    expect(plannedBefore(2, searches, usual).trials, "of another problem").toBe(searches[0]!.asked.trials);
    const newer = [{ ...searches[0]!, id: 99, asked: { ...searches[0]!.asked, trials: 8 } }, ...searches];
    expect(plannedBefore(1, newer, usual).trials).toBe(8);
    localStorage.setItem("pellux-plan-1", "{not json");
    expect(plannedBefore(1, searches, usual).trials).toBe(searches[0]!.asked.trials);
  });
});

it("begins with the limits of the last plan, else with the problem's, and sends them one by one", () => {
  expect(firstPlan([], { ...usual, limits: ["recall >= 0.8", "model mb <= 2"] }).limits).toBe(
    "recall >= 0.8, model mb <= 2",
  );
  const last = { ...searches[0]!, asked: { ...searches[0]!.asked, limits: [] } };
  expect(firstPlan([last], { ...usual, limits: ["recall >= 0.8"] }).limits, "none were wanted").toBe("");
  const plan = { ...firstPlan(searches, usual), limits: " predict ms <= 5 ,, recall >= 0.8\n" };
  expect(requestOf(plan, "tree", "", null).plan?.limits).toEqual(["predict ms <= 5", "recall >= 0.8"]);
});

it("begins with what the last plan weighed the score against, else with the problem's, and sends it one by one", () => {
  expect(firstPlan([], { ...usual, against: ["predict ms"] }).against).toBe("predict ms");
  const last = { ...searches[0]!, asked: { ...searches[0]!.asked, against: ["recall", "model mb"] } };
  const plan = firstPlan([last], usual);
  expect(plan.against).toBe("recall, model mb");
  expect(requestOf(plan, "tree", "", null).plan?.against).toEqual(["recall", "model mb"]);
});

it("learns from earlier problems unless the last plan did not", () => {
  expect(requestOf(firstPlan([], usual), "tree", "", null).plan?.memory).toBe(true);
  const last = { ...searches[0]!, asked: { ...searches[0]!.asked, memory: false } };
  expect(requestOf(firstPlan([last], usual), "tree", "", null).plan?.memory).toBe(false);
});

it("takes the plan's part of a proposed change", () => {
  const change = { lines: [], requirements: [], plan: { workers: 3, "early stopping": "fold race", other: 1 } };
  expect(planned(change)).toEqual({ workers: 3, stopping: "fold race", settings: {} });
  expect(planned({ ...change, plan: {} })).toEqual({});
});
