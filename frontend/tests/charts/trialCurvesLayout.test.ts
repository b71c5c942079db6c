import { describe, expect, it } from "vitest";
import { halving } from "../making";
import { boxOf } from "../../src/charts/plotLayout";
import { kindOf, layOut, nearest, scoreEnds } from "../../src/charts/trialCurvesLayout";

const box = boxOf(600, 240);

describe("curves of trials", () => {
  it("tells apart what became of trials", () => {
    expect(halving.numbers.map((_, i) => kindOf(halving, i))).toEqual([
      "baseline",
      "ended early",
      "waiting",
      "under way",
      "flat",
    ]);
  });

  it("draws the living in front, the baseline last, and nothing without points", () => {
    const drawn = layOut(halving, box, { low: 0, high: 9 }, { low: 0, high: 1 });
    expect(drawn.map((d) => d.kind)).toEqual(["ended early", "waiting", "under way", "baseline"]);
    expect(drawn.at(-1)!.path[2]).toEqual([box.right, expect.closeTo(box.bottom - 0.8 * (box.bottom - box.top))]);
  });

  it("keeps wild beginnings inside the picture", () => {
    const { low, high } = scoreEnds(halving, true);
    expect(low).toBeGreaterThan(0.1);
    expect(high).toBeGreaterThan(0.8);
    const drawn = layOut(halving, box, { low: 0, high: 9 }, { low, high });
    expect(Math.max(...drawn.flatMap((d) => d.path.map(([, y]) => y)))).toBeLessThanOrEqual(box.bottom);
    expect(scoreEnds({ ...halving, ys: [] }, true)).toEqual({ low: 0, high: 1 });
  });

  it("finds the curve under the pointer, and none far from all", () => {
    const drawn = layOut(halving, box, { low: 0, high: 9 }, { low: 0, high: 1 });
    const waiting = drawn.find((d) => d.kind === "waiting")!;
    const [x, y] = waiting.path[1]!;
    expect(nearest(drawn, [x + 3, y - 2])!.index).toBe(2);
    expect(nearest(drawn, [box.right, box.bottom])).toBeNull();
  });
});
