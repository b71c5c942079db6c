/** What the Space screen computes: lanes in reading order, axes of distributions, files of past results, settings by hand. */
import { describe, expect, it } from "vitest";
import { header, settingsOf } from "../src/lib/pastResults";
import { axisOfDraws, isRequirement, tucked, type Entry, type Parameter } from "../src/lib/scale";

const choice = (name: string): Parameter => ({ name, kind: "yes-no", options: [{ value: true, weight: 1 }] });

describe("lanes", () => {
  it("stand under the lane that switches them on, however the text orders them", () => {
    const [rate, depth, model, leaf] = ["rate", "depth", "model", "leaf"].map(choice) as [
      Parameter,
      Parameter,
      Parameter,
      Parameter,
    ];
    const found = tucked([rate, depth, model, leaf], { rate: "model", leaf: "depth", depth: "model" });
    expect(found.map((f) => [f.parameter.name, f.depth])).toEqual([
      ["model", 0],
      ["rate", 1],
      ["depth", 1],
      ["leaf", 2],
    ]);
  });
  it("are all shown even when a parent is missing", () => {
    expect(tucked([choice("a"), choice("b")], { a: "gone", b: "a" }).map((f) => f.parameter.name)).toEqual(["a", "b"]);
  });
  it("are told from requirements", () => {
    const entries: Entry[] = [choice("a"), { kind: "requirement", expression: "a == yes" }];
    expect(entries.filter((e) => !isRequirement(e))).toHaveLength(1);
  });
});

describe("the axis of a distribution", () => {
  it("spans its draws with room", () => {
    const axis = axisOfDraws([-1, 3, 0.5])!;
    expect(axis.low).toBeLessThan(-1);
    expect(axis.high).toBeGreaterThan(3);
    expect(axisOfDraws(["a"])).toBeNull();
  });
});

describe("past results", () => {
  it("tell their columns from the first line alone", () => {
    expect(header('\uFEFFdepth,"mean, test","say ""hi"""\r\n1,2,3', "csv")).toEqual([
      "depth",
      "mean, test",
      'say "hi"',
    ]);
    expect(header('{"score": 1, "configuration": {"depth": 3}}\n', "jsonl")).toEqual(["score", "depth"]);
    expect(header("nonsense", "jsonl")).toEqual([]);
  });
});

describe("settings by hand", () => {
  it("are read with their types, or the line that is none is named", () => {
    expect(settingsOf("rate: 0.1\n\nbalance = yes\nkind: big\ndepth: 3\n")).toEqual({
      rate: 0.1,
      balance: true,
      kind: "big",
      depth: 3,
    });
    expect(settingsOf("rate: 0.1\nfaster please")).toContain("faster please");
  });
});
