import { describe, expect, it } from "vitest";
import type { Points } from "../../src/api/client";
import type { Curve } from "../../src/api/evidence";
import {
  FLOOR,
  INSET,
  TOP,
  brushed,
  drawn,
  nearestKept,
  placed,
  shares,
  stretchAt,
} from "../../src/charts/evidenceLaneLayout";
import { shade } from "../../src/charts/pixelDotsLayout";
import type { RangeParameter } from "../../src/lib/scale";
import { choice } from "../making";

const rate: RangeParameter = { name: "rate", kind: "range", from: 0, to: 10, scale: "linear" };
const kind = choice("kind", { p: 1, q: 1 });
const axis = { low: 0, high: 10, log: false };
const WIDTH = 100 + 2 * INSET;
const scale = { low: 0, high: 1, larger: true };
const points = {
  ids: [1, 2, 3, 4],
  means: [0, 1, null, 0.5],
  seconds: [1, 10, 100, 1000],
  ended_at: [5, 6, 7, 9],
  values: { rate: [0, 10, 5, 12], kind: ["p", "q", "p", null] },
} as unknown as Points;

describe("a lane of Evidence", () => {
  it("has trials along it by value and up it by score; what has no score or lies off it has no place", () => {
    const found = placed(rate, points, axis, WIDTH, scale, Float32Array.from([0, 1, 0, 0.5]));
    expect([found.x[0], found.x[1]]).toEqual([INSET, INSET + 100]);
    expect([found.y[0], found.y[1]]).toEqual([FLOOR, TOP]);
    expect([found.x[2], found.x[3]]).toEqual([NaN, NaN]);
    expect([found.colour[0], found.colour[1]]).toEqual([shade(0), shade(1)]);
    const options = placed(kind, points, null, WIDTH, scale, new Float32Array(4));
    expect(options.x[0]).toBeLessThan(INSET + 50);
    expect(options.x[1]).toBeGreaterThan(INSET + 50);
    expect(
      placed({ ...rate, name: "gone" }, points, axis, WIDTH, scale, new Float32Array(4)).x.every(Number.isNaN),
    ).toBe(true);
  });

  it("is coloured by score, cost, time or search", () => {
    expect([...shares(points, [], "score", scale)]).toEqual([0, 1, 0, 0.5]);
    expect([...shares(points, [], "cost", scale)].map((v) => Math.round(100 * v) / 100)).toEqual([0, 0.33, 0.67, 1]);
    expect([...shares(points, [], "time", scale)]).toEqual([0, 0.25, 0.5, 1]);
    expect([...shares(points, [7, 7, 8, 9], "search", scale)]).toEqual([0, 0, 0.5, 1]);
    expect([...shares(points, [7, 7, 7, 7], "search", scale)]).toEqual([0.5, 0.5, 0.5, 0.5]);
  });

  it("finds the nearest trial that is kept, within reach", () => {
    const found = placed(rate, points, axis, WIDTH, scale, new Float32Array(4));
    expect(nearestKept(found, Uint8Array.from([1, 1, 1, 1]), INSET + 97, TOP + 3)).toBe(1);
    expect(nearestKept(found, Uint8Array.from([1, 0, 1, 1]), INSET + 97, TOP + 3)).toBeNull();
  });

  it("turns a drag into a stretch and a stretch into a drag", () => {
    expect(stretchAt(axis, WIDTH, INSET + 80, INSET + 20)).toEqual([2, 8]);
    expect(brushed([2, 8], axis, WIDTH)).toEqual([INSET + 20, INSET + 80]);
    expect(brushed([-Infinity, 5], axis, WIDTH)).toEqual([0, INSET + 50]);
    const log = { low: 1, high: 100, log: true };
    expect(stretchAt(log, WIDTH, INSET, INSET + 50).map((v) => Math.round(1000 * v) / 1000)).toEqual([1, 10]);
  });

  it("draws a curve where its values lie, the band between the worse and the better end", () => {
    const line = { mean: [0, 0.5], low: [-1, 0.25], high: [0.5, 2] };
    const curve = {
      name: "rate",
      options: false,
      positions: [0, 1],
      values: [0, 20],
      average: line,
      near: line,
    } as Curve;
    expect(drawn(curve, "average", rate, axis, WIDTH, scale, { floor: FLOOR, top: TOP })).toEqual([
      { x: INSET, mean: FLOOR, low: FLOOR, high: (FLOOR + TOP) / 2 },
    ]);
  });
});
