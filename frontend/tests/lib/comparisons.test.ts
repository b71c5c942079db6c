import { describe, expect, it } from "vitest";
import type { Points } from "../../src/api/client";
import { comparisons, keptBy, stretchOf, withStretch, withoutOptions } from "../../src/lib/comparisons";

const points = {
  ids: [11, 12, 13, 14],
  numbers: [1, 2, 3, 4],
  states: ["scored", "scored", "failed", "scored"],
  origins: ["baseline", "proposed", "proposed", "proposed"],
  means: [0.5, 0.7, null, 0.9],
  standard_errors: [0.01, 0.02, null, 0.03],
  seconds: [1, 2, 3, 4],
  ended_at: [1, 2, 3, 4],
  values: { rate: [0.1, 0.2, 0.3, null], kind: ["p", "q", "q", "p"], on: [true, false, true, true] },
  fold_effects: [],
  complete: 3,
} as unknown as Points;
const kept = (where: string, picked: number[] | null = null, larger = true) =>
  [...keptBy(points, where, larger, "recall", picked && new Set(picked))].flatMap((k, i) =>
    k ? [points.numbers[i]] : [],
  );

describe("a filter read by the charts", () => {
  it("keeps what the server would keep", () => {
    expect(kept("rate >= 0.2")).toEqual([2, 3]);
    expect(kept("rate > 0.1, kind = q")).toEqual([2, 3]);
    expect(kept("kind != q")).toEqual([1, 4]);
    expect(kept("on = yes, state = scored")).toEqual([1, 4]);
    expect(kept("recall > 0.6")).toEqual([2, 4]);
    expect(kept("score > -0.8", null, false)).toEqual([1, 2]);
    expect(kept("origin = baseline")).toEqual([1]);
    expect(kept("nonsense, rate ~ 3, unknown > 4")).toEqual([1, 2, 3, 4]);
    expect(kept("seconds <= 3", [12, 14])).toEqual([2]);
  });
  it("is written by brushes: one stretch a setting, others stay", () => {
    const one = withStretch("state = scored", "rate", [0.123456789, 0.3]);
    expect(one).toBe("state = scored, rate >= 0.123457, rate <= 0.3");
    expect(stretchOf(one, "rate")).toEqual([0.123457, 0.3]);
    expect(stretchOf("rate > 2", "rate")).toEqual([2, Infinity]);
    expect(stretchOf(one, "depth")).toBeNull();
    expect(withStretch(one, "rate", null)).toBe("state = scored");
    expect(withoutOptions("rate > 1", "on", [true])).toBe("rate > 1, on != yes");
    expect(comparisons("top-2 accuracy > 0.5")).toEqual([{ name: "top-2 accuracy", sign: ">", text: "0.5" }]);
  });
});
