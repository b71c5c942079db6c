import { expect, it } from "vitest";
import { paint, shade, shades } from "../../src/charts/pixelDotsLayout";

it("paints kept trials over those left out, clipped at the edges, and nothing that has no place", () => {
  const pixels = new Uint32Array(20 * 10);
  const placed = {
    x: Float32Array.from([5, 5, NaN, 19]),
    y: Float32Array.from([5, 5, 5, 0]),
    colour: Uint32Array.from([shade(0), shade(1), shade(1), shade(0.5)]),
  };
  paint(pixels, 20, 10, placed, Uint8Array.from([0, 1, 1, 1]), 1, 7);
  expect(pixels[5 * 20 + 5]).toBe(shades[63]);
  expect(pixels[0 * 20 + 19]).toBe(shade(0.5));
  expect(pixels.filter((p) => p !== 0).length).toBeLessThan(60);
  const faint = new Uint32Array(20 * 10);
  paint(faint, 20, 10, placed, new Uint8Array(4), 1, 7);
  expect(new Set(faint)).toEqual(new Set([0, 7]));
});
