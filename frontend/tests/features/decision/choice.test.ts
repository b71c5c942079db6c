import { describe, expect, it } from "vitest";
import type { Finalist, Finalists } from "../../../src/api/decisions";
import { beatenBy, betters, choiceOf, distances } from "../../../src/features/decision/choice";

const finalist = (id: number, mean: number, is_baseline = false) =>
  ({ trial: { id, number: id, mean, standard_error: 0.01 }, is_baseline, search_number: 1, learner: "" }) as Finalist;
const field = (...finalists: Finalist[]) =>
  ({
    finalists,
    leader: finalists[0]!.trial.id,
    decides: [],
    suggestions: [{ rule: "highest mean", trial_id: 1 }],
  }) as unknown as Finalists;
const found = field(finalist(1, 0.9), finalist(2, 0.88), finalist(3, 0.8, true), finalist(4, 0.7));

describe("the one that is chosen", () => {
  it("is the inspected, then the picked, then the decided, then the advised", () => {
    const picked = { trial: 2, rule: "by hand" };
    const decided = { trial: 4, rule: "highest mean" };
    const of = (...args: [typeof picked | null, number | null, typeof picked | null]) => {
      const { chosen, rule } = choiceOf(found, ...args);
      return [chosen.trial.id, rule];
    };
    expect(of(picked, 4, null)).toEqual([4, "by hand"]);
    expect(of(picked, 99, null), "no finalist").toEqual([2, "by hand"]);
    expect(of(null, 4, decided), "as it was decided").toEqual([4, "highest mean"]);
    expect(of(null, null, decided)).toEqual([4, "highest mean"]);
    expect(of(null, null, null)).toEqual([1, "highest mean"]);
  });

  it("stands at a distance from the leader and from the best baseline, in the metric's own direction", () => {
    const two = distances(found, found.finalists[1]!, true);
    expect(two.map((d) => [d.whom, Number(d.ahead.toFixed(6))])).toEqual([
      ["the leader, trial 1 of search 1", -0.02],
      ["the baseline", 0.08],
    ]);
    const errors = field(finalist(1, 1), finalist(2, 3), finalist(3, 2, true));
    expect(distances(errors, errors.finalists[1]!, false).map((d) => d.ahead)).toEqual([-2, -1]);
    const led = field(finalist(3, 0.9, true), finalist(1, 0.8));
    expect(distances(led, led.finalists[1]!, true), "a baseline that leads is named once").toHaveLength(1);
  });

  it("needs a reason where others are better; a rule answers for the leader, nobody for the baseline", () => {
    const last = distances(found, found.finalists[3]!, true);
    expect(betters(last, "by hand")).toHaveLength(2);
    expect(betters(last, "one standard error").map((d) => d.whom)).toEqual(["the baseline"]);
    expect(betters(distances(found, found.finalists[0]!, true), "by hand")).toEqual([]);
    const led = field(finalist(3, 0.9, true), finalist(1, 0.8));
    expect(
      betters(distances(led, led.finalists[1]!, true), "one standard error"),
      "a baseline that leads",
    ).toHaveLength(1);
  });
});

it("where several metrics decide, who is better in all of them is told, and no distance in one", () => {
  const of = (id: number, mean: number, ms: number) =>
    ({ ...finalist(id, mean), admitted: true, metrics: [{ measure: "predict ms", value: ms }] }) as unknown as Finalist;
  const [fast, good, both, slow] = [of(1, 0.6, 2), of(2, 0.9, 20), of(3, 0.8, 8), of(4, 0.7, 9)] as const;
  const several = {
    ...field(fast, good, both, slow),
    decides: [
      { key: "recall", larger_is_better: true },
      { key: "predict ms", larger_is_better: false },
    ],
  };
  expect(distances(several, slow, true)).toEqual([]);
  expect(beatenBy(several, slow)?.trial.id).toBe(3);
  for (const one of [fast, good, both]) expect(beatenBy(several, one)).toBeUndefined();
  expect(beatenBy(found, found.finalists[1]!), "one metric decides").toBeUndefined();
});
