import { describe, expect, it } from "vitest";
import type { Best, Points } from "../../src/api/client";
import { bestOption } from "../../src/charts/bestCurveOption";

const inks = { ink: "#000", soft: "#555", rule: "#999", honey: "#fa0", sheet: "#fff" };
const made = (means: number[]): Points => ({
  numbers: means.map((_, i) => i + 1),
  ids: means.map((_, i) => i),
  states: means.map(() => "scored"),
  origins: means.map(() => "proposed"),
  means,
  standard_errors: means.map(() => 0.01),
  seconds: means.map(() => 1),
  ended_at: means.map((_, i) => 10 * i),
  keeps: means.map(() => null),
  values: {},
  fold_effects: [],
  complete: 0,
});
const baseline: Best = { trial_id: 1, search: 1, number: 0, score: 0.6, standard_error: 0.02, folds: [] };

interface Series {
  type: string;
  large?: boolean;
  data: unknown[];
}
const seriesOf = (points: Points, larger = true, by: "trials" | "seconds" = "trials") =>
  bestOption({ points, larger, metric: "m", baseline, by, inks }).series as Series[];

describe("the best-so-far chart", () => {
  it("draws what breaks a limit hollow, and its line through what keeps them all", () => {
    const points = { ...made([0.9, 0.6, 0.7]), keeps: [false, true, true] };
    const [, dots, line] = seriesOf(points);
    const inks = (dots!.data as { itemStyle: { color: string } }[]).map((dot) => dot.itemStyle.color);
    expect(inks[0]).toBe("transparent");
    expect(inks[1]).not.toBe("transparent");
    expect(line!.data).toEqual([
      [2, 0.6],
      [3, 0.7],
    ]);
    expect(seriesOf({ ...made([0.9]), keeps: [false] }).at(-1)!.data, "nothing keeps them").toEqual([]);
    const many = made(Array.from({ length: 500 }, (_, i) => i / 500));
    const parted = seriesOf({ ...many, keeps: many.means.map((_, i) => i % 2 === 0) }).filter((one) => one.large);
    expect(parted[0]!.data).toHaveLength(250);
    expect(parted.reduce((sum, one) => sum + one.data.length, 0)).toBe(500);
  });

  it("draws baseline, trials and the best, by trials or by seconds", () => {
    const [line, dots, best] = seriesOf(made([0.5, 0.7, 0.65, 0.8]));
    expect(line!.data).toEqual([
      [0, 0.6],
      [4, 0.6],
    ]);
    expect((dots!.data as { value: number[] }[]).map((d) => d.value.slice(0, 1))).toEqual([[1], [2], [3], [4]]);
    expect(best!.data).toEqual([
      [1, 0.5],
      [2, 0.7],
      [4, 0.8],
    ]);
    expect(seriesOf(made([0.5, 0.7]), true, "seconds")[2]!.data).toEqual([
      [0, 0.5],
      [10, 0.7],
    ]);
    expect(seriesOf(made([5, 7, 3]), false)[2]!.data).toEqual([
      [1, 5],
      [3, 3],
    ]);
  });
  it("gives a single trial an axis with room on both sides, also where it is as good as the baseline", () => {
    for (const means of [[0.6], [0.6, 0.6], [12]]) {
      const { yAxis } = bestOption({ points: made(means), larger: true, metric: "m", baseline, by: "trials", inks });
      expect(yAxis.min).toBeLessThan(Math.min(...means, 0.6));
      expect(yAxis.max).toBeGreaterThan(Math.max(...means, 0.6));
      expect(yAxis.max - yAxis.min, "and not far more than there is to see").toBeLessThan(20);
    }
  });
  it("marks what lies below the axis instead of stretching it", () => {
    const scores = [...Array.from({ length: 30 }, (_, i) => 0.6 + i / 300), 0.01];
    const dots = seriesOf(made(scores))[1]!.data as { value: number[]; symbol?: string }[];
    expect(dots.filter((d) => d.symbol === "triangle").map((d) => d.value[3])).toContain(0.01);
    expect(Math.min(...dots.map((d) => d.value[1]!))).toBeGreaterThan(0.5);
  });
  it("draws thousands of dots in a few strokes and loses none", () => {
    const many = seriesOf(made(Array.from({ length: 3000 }, (_, i) => (i * 0.618) % 1)));
    const scatter = many.filter((s) => s.type === "scatter");
    expect(scatter.every((s) => s.large)).toBe(true);
    expect(scatter.reduce((sum, s) => sum + s.data.length, 0)).toBe(3000);
  });
});
