/** Rings, dots of lanes, bars of workers: layouts as numbers. */
import { describe, expect, it } from "vitest";
import { fit, points } from "../making";
import { type RangeParameter, axisFor } from "../../src/lib/scale";
import { dots, nearest, place } from "../../src/charts/laneLayout";
import { ringArcs } from "../../src/charts/foldRingLayout";
import { layOut, machinesOf } from "../../src/charts/workerLanesLayout";

const depth: RangeParameter = { name: "depth", kind: "whole range", from: 2, to: 20, scale: "linear" };

describe("marks", () => {
  it("cuts a ring into as many arcs as there are folds", () => {
    const arcs = ringArcs([0.5, null, 1], 40, 8);
    expect(arcs.map((a) => a.filled)).toEqual([0.5, null, 1]);
    expect(new Set(arcs.map((a) => a.path)).size).toBe(3);
  });
  it("lays dots by value and score, and finds the one under the pointer", () => {
    const axis = axisFor(depth, undefined);
    const found = dots(depth, points([0.2, null, 0.8]), axis, 400, { low: 0, high: 1, larger: true });
    expect(found.map((d) => d.index)).toEqual([0, 2]);
    expect(found[1]!.y).toBeLessThan(found[0]!.y);
    expect(nearest(found, found[1]!.x + 2, found[1]!.y)!.index).toBe(2);
    expect(nearest(found, 399, 60)).toBeNull();
    const kind = {
      name: "kind",
      kind: "choice" as const,
      options: [
        { value: "a", weight: 1 },
        { value: "b", weight: 1 },
      ],
    };
    expect(place(kind, "b", null, 228)).toBeCloseTo(14 + 150);
    expect(place(kind, "z", null, 228)).toBeNull();
  });
  it("shows how much of the time each worker fitted", () => {
    const fits = [
      fit(1, 0, "done", { lane: 0, started_at: 0, ended_at: 6 }),
      fit(1, 1, "running", { lane: 1, started_at: 5 }),
    ];
    const picture = layOut(fits as never, 10, 1e9, 100, 2);
    expect(picture.lanes.map((l) => l.used)).toEqual([0.6, 0.5]);
    expect(picture.blocks.map((b) => [b.x, b.width])).toEqual([
      [0, 60],
      [50, 50],
    ]);
    expect(layOut(fits as never, 10, 4, 100, 3).lanes.map((l) => l.used)).toEqual([0, 1, 0]);
  });
  it("lays lanes of one machine below its name, those without one last", () => {
    const fits = [
      fit(1, 0, "done", { lane: 0, machine: "b", started_at: 0, ended_at: 6 }),
      fit(1, 1, "running", { lane: 1, machine: "a", started_at: 5 }),
      fit(2, 0, "running", { lane: 2, machine: "a", started_at: 5 }),
    ];
    const now = [{ lane: 2, machine: "", waits: "no device is free" }];
    const machines = machinesOf(fits as never, now);
    const picture = layOut(fits as never, 10, 1e9, 100, 3, machines);
    expect(picture.headings.map((h) => h.machine)).toEqual(["a", "b", ""]);
    expect(picture.lanes.map((l) => l.lane)).toEqual([1, 0, 2]);
    const tops = [...picture.headings, ...picture.lanes].map((one) => one.y).sort((a, b) => a - b);
    expect(new Set(tops).size, "nothing lies over another").toBe(6);
    expect(picture.blocks.find((b) => b.lane === 0)!.y).toBe(picture.lanes[1]!.y);
    expect(layOut(fits as never, 10, 1e9, 100, 3).headings, "here, lanes have no headings").toEqual([]);
  });
});
