import { describe, expect, it } from "vitest";
import { banded, drawnAt, marks, ridgeLine, spanOf, valueAt } from "../../src/charts/surfaceLayout";

const across = { name: "a", options: false, positions: [0, 0.5, 1], values: [1, 10, 100] };
const down = { name: "k", options: true, positions: [0.2, 0.7], values: ["p", "q"] };
const grid = [
  [0, 1, 2],
  [10, 11, 12],
];

describe("a surface", () => {
  it("is interpolated along numbers and not between options", () => {
    expect(valueAt(grid, across, down, 0.25, 0.1)).toBeCloseTo(0.5);
    expect(valueAt(grid, across, down, 0.25, 0.49)).toBeCloseTo(0.5);
    expect(valueAt(grid, across, down, 1, 0.51)).toBeCloseTo(12);
    expect(spanOf(grid)).toEqual([0, 12]);
    expect([banded(0), banded(0.999), banded(1)]).toEqual([0, 1, 1]);
  });
  it("has options in the middle of their strips", () => {
    expect([drawnAt(down, 0.2), drawnAt(down, 0.65), drawnAt(across, 0.3)]).toEqual([0.25, 0.75, 0.3]);
    expect(marks(down)).toEqual([
      { at: 0.25, index: 0 },
      { at: 0.75, index: 1 },
    ]);
    expect(marks(across).map((m) => m.index)).toEqual([0, 1, 2]);
  });
  it("has a ridge along its points", () => {
    const [from, to] = ridgeLine([
      [0, 0],
      [1, 1],
      [2, 2],
      [3, 3],
    ])!;
    expect([...from, ...to].map((v) => Math.abs(Math.round(v * 1000) / 1000)).sort()).toEqual([0, 0, 3, 3]);
    expect(ridgeLine([[0, 0]])).toBeNull();
  });
});
