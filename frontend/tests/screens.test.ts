/** What the screens are made of, without a browser: the chart's description, the brief's form, progress of a trial. */
import { describe, expect, it } from "vitest";
import type { Best, Data, FitView, Lanes, Points, TableProblem } from "../src/api/client";
import { ramp } from "../src/lib/ramp";
import { bestOption } from "../src/charts/bestCurveOption";
import { emptyForm, formOf, kindsFor, requestOf, roleOf, withRole } from "../src/features/brief/briefForm";
import { progressOf } from "../src/features/live/progress";

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
  values: {},
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

const column = (name: string, role: "feature" | "ignore" = "feature") => ({
  name,
  type: "number" as const,
  missing: 0,
  distinct: 9,
  categories: [],
  low: 0,
  high: 1,
  whole: false,
  histogram: [1],
  role,
  why: "",
  note: "",
  examples: [],
});
const data: Data = {
  hash: "h",
  name: "d.csv",
  rows: 100,
  source: "h",
  reading: { format: "csv", encoding: "utf-8", delimiter: ",", quote: '"', decimal: ".", types: {}, notes: [] },
  columns: [column("a"), column("b"), column("t"), column("id", "ignore")],
};

describe("the brief's form", () => {
  it("leaves out what is ignored, and never learns from the target", () => {
    const form = { ...emptyForm(data), target: "t" };
    expect(form.ignored).toEqual(["id"]);
    const request = requestOf(form, data);
    expect(request.features).toEqual(["a", "b"]);
    expect([request.metric, request.positive, request.folds]).toEqual([null, null, "5"]);
    expect(requestOf({ ...form, kind: "shuffled", metric: "RMSE" }, data).folds).toBe("5 shuffled");
  });
  it("comes back from a problem as it was", () => {
    const brief = {
      target: "t",
      features: ["b"],
      metric: "F1",
      task: "binary",
      classes: ["no", "yes"],
      split: "stratified",
      folds: 4,
      repeats: 2,
      gap: 0,
      holdout: 0.1,
      holdout_by: "",
      seed: 3,
      recorded: ["accuracy"],
      ...{ group: "a", time: "", fold: "", weight: "" },
    };
    const form = formOf({ name: "P", brief } as unknown as TableProblem, data);
    expect(form).toEqual({
      name: "P",
      target: "t",
      ignored: ["id"],
      roles: { group: "a", time: "", fold: "", weight: "" },
      metric: "F1",
      recorded: ["accuracy"],
      positive: "yes",
      kind: "stratified",
      folds: 4,
      repeats: 2,
      gap: 0,
      holdout: 0.1,
      holdoutBy: "",
      seed: 3,
    });
    const request = requestOf(form, data);
    expect([request.folds, request.group, request.holdout]).toEqual(["4 stratified x 2", "a", "10 %"]);
    expect(request.features).toEqual(["b"]);
  });
  it("gives each role to one column, and drops a split plan that lost its role", () => {
    const form = { ...emptyForm(data), target: "t" };
    const grouped = { ...form, ...withRole(form, "a", "group"), kind: "grouped" };
    expect([roleOf(column("a"), grouped), requestOf(grouped, data).group]).toEqual(["group", "a"]);
    const other = { ...grouped, ...withRole(grouped, "b", "group") };
    expect([roleOf(column("a"), other), roleOf(column("b"), other)]).toEqual(["feature", "group"]);
    const back = { ...grouped, ...withRole(grouped, "a", "feature") };
    expect([back.kind, back.roles.group]).toEqual(["", ""]);
    expect(kindsFor("regression", grouped.roles)).toEqual(["shuffled", "grouped"]);
  });
});

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
      started_at: 1,
      ended_at: null,
      seconds: 0,
      reason: "",
    });
    const lanes: Lanes = { fits: [fit(3, 0, "done", 0.5), fit(3, 2, "running", null), fit(4, 1, "done", 0.9)], now: 9 };
    expect(progressOf(lanes, 3, 3)).toEqual({ scores: [0.5, null, null], running: [2] });
    expect(progressOf(undefined, 3, 2)).toEqual({ scores: [null, null], running: [] });
  });
});
