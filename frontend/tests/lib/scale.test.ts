import { describe, expect, it } from "vitest";
import type { Setting } from "../../src/api/client";
import {
  type Entry,
  type Parameter,
  type RangeParameter,
  axisFor,
  axisOfDraws,
  endsOf,
  isRequirement,
  moveEnd,
  ticks,
  toShare,
  toValue,
  tucked,
} from "../../src/lib/scale";

const rate: RangeParameter = { name: "rate", kind: "range", from: 0.01, to: 0.3, scale: "log" };
const depth: RangeParameter = { name: "depth", kind: "whole range", from: 2, to: 20, scale: "linear" };
const setting = (domain: string, limits: string) => ({ domain, limits }) as Setting;

const choice = (name: string): Parameter => ({ name, kind: "yes-no", options: [{ value: true, weight: 1 }] });

describe("axes of lanes", () => {
  it("goes to a place and back", () => {
    for (const parameter of [rate, depth]) {
      const axis = axisFor(parameter, undefined);
      for (const share of [0, 0.2, 0.5, 0.93, 1]) expect(toShare(toValue(share, axis), axis)).toBeCloseTo(share, 10);
      expect(axis.low).toBeLessThan(parameter.from);
      expect(axis.high).toBeGreaterThan(parameter.to);
    }
  });
  it("stays within what the learner accepts", () => {
    const axis = axisFor(depth, setting("2 .. 30 int", "1 .. 1000 int"));
    expect(axis.low).toBe(1);
    expect(endsOf("1e-4 .. 1e3 log")).toEqual([1e-4, 1e3]);
    expect(endsOf("yes | no")).toBeNull();
  });
  it("moves an end without ever breaking the range", () => {
    const axis = axisFor(depth, undefined);
    expect(moveEnd(depth, "from", 7.4, axis).from).toBe(7);
    expect(moveEnd(depth, "from", 99, axis).from).toBe(19);
    expect(moveEnd(depth, "to", -5, axis).to).toBe(3);
    const log = axisFor(rate, undefined);
    expect(moveEnd(rate, "to", 0.123456, log).to).toBe(0.12);
    expect(moveEnd(rate, "from", -1, log).from).toBeGreaterThan(0);
    const stepped: RangeParameter = { name: "d", kind: "range", from: 0, to: 0.6, scale: "linear", step: 0.1 };
    expect(moveEnd(stepped, "to", 0.33, axisFor(stepped, undefined)).to).toBe(0.3);
  });
  it("puts few round numbers along the axis", () => {
    expect(ticks({ low: 0.01, high: 10, log: true })).toEqual([0.01, 0.03, 0.1, 0.3, 1, 3, 10]);
    expect(ticks({ low: 0, high: 1, log: false })).toEqual([0, 0.2, 0.4, 0.6, 0.8, 1]);
    expect(ticks({ low: 1e-12, high: 1e12, log: true }).length).toBeLessThan(9);
  });
});

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
