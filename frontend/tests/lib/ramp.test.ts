import { describe, expect, it } from "vitest";
import { points } from "../making";
import { foldEffects, goodness, ramp, scoreScale } from "../../src/lib/ramp";
import { bestTrace } from "../../src/lib/trace";

describe("scores", () => {
  it("knows good from bad whichever way the metric points", () => {
    const up = scoreScale([0.1, 0.5, 0.9], true);
    const down = scoreScale([0.1, 0.5, 0.9], false);
    expect(goodness(0.9, up)).toBe(1);
    expect(goodness(0.1, down)).toBe(1);
    expect(goodness(-99, up)).toBe(0);
    expect(scoreScale([], true)).toEqual({ low: 0, high: 1, larger: true });
  });
  it("tells what a trial makes of a fold from how easy the fold is", () => {
    const even = [0.9, 0.5, 0.7]; // folds differ, the trial is the same on all
    const effects = foldEffects([even, even.map((v) => v - 0.1), [0.9, null, 0.7]]);
    expect(effects.map((e) => Math.round(e * 1000) / 1000)).toEqual([0.2, -0.2, 0]);
    const scale = scoreScale([0.6, 0.7], true, effects);
    const shares = even.map((value, fold) => goodness(value, scale, fold));
    expect(new Set(shares.map((s) => s.toFixed(6))).size).toBe(1);
    expect(goodness(0.7, scale, 1)).toBeGreaterThan(goodness(0.7, scale, 0));
  });
  it("traces the best in the order in which trials ended", () => {
    const found = bestTrace(points([0.5, 0.7, null, 0.6, 0.8], [103, 101, 102, 100, 104]), true);
    expect(found.map((p) => p.best)).toEqual([0.6, 0.7, 0.7, 0.8]);
    expect(found.map((p) => p.seconds)).toEqual([0, 1, 3, 4]);
    expect(bestTrace(points([3, 2, 4]), false).map((p) => p.best)).toEqual([3, 2, 2]);
  });
});

describe("the ramp", () => {
  it("grows lighter from worst to best, so that it reads without colour", () => {
    const lightness = [0, 0.25, 0.5, 0.75, 1].map((share) => {
      const [r, g, b] = ramp(share).match(/\d+/g)!.map(Number);
      return 0.2126 * r! + 0.7152 * g! + 0.0722 * b!;
    });
    expect(lightness).toEqual([...lightness].sort((a, b) => a - b));
    expect(ramp(-1)).toBe(ramp(0));
    expect(ramp(2)).toBe(ramp(1));
  });
});
