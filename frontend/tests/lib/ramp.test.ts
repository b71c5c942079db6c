import { describe, expect, it } from "vitest";
import { points } from "../making";
import { goodness, ramp, scoreScale } from "../../src/lib/ramp";
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
