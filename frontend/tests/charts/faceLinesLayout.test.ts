import { expect, it } from "vitest";
import { bandOf, faceEnds, lineOf } from "../../src/charts/faceLinesLayout";

it("lines are steps that begin with the first score, bands go there and back", () => {
  const line = { at: [1, 2, 3, 4], median: [null, 1, 1, 3], low: [null, 0, 1, 2], high: [null, 2, 2, 4] };
  expect(lineOf(line)).toEqual([
    [2, 1],
    [3, 1],
    [4, 1],
    [4, 3],
  ]);
  const band = bandOf(line);
  expect(band[0]).toEqual([2, 2]);
  expect(band.at(-1)).toEqual([2, 0]);
  const { x, y } = faceEnds([line], -1);
  expect([x.low, x.high]).toEqual([0, 4]);
  expect(y.low).toBeLessThan(-1);
  expect(faceEnds([], null).x.high).toBeGreaterThan(0);
});
