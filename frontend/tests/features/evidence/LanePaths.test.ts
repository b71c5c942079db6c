import { expect, it } from "vitest";
import { HEIGHT } from "../../../src/charts/evidenceLaneLayout";
import type { Placed } from "../../../src/charts/pixelDotsLayout";
import { wayOf } from "../../../src/features/evidence/LanePaths";

const lane = (x: number, y: number): Placed => ({
  x: Float32Array.from([x]),
  y: Float32Array.from([y]),
  colour: new Uint32Array(1),
});

it("a trial's way goes through the lanes where it has a value", () => {
  expect(wayOf([lane(5, 10), lane(NaN, 0), lane(7, 20)], 0)).toEqual([
    [5, 16],
    [7, 6 + 2 * HEIGHT + 20],
  ]);
});
