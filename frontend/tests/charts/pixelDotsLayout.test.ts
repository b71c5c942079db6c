import { expect, it } from "vitest";
import { canvasFor, paint, shade, shades } from "../../src/charts/pixelDotsLayout";

const placed = {
  x: Float32Array.from([5, 5, NaN, 19]),
  y: Float32Array.from([5, 5, 5, 0]),
  colour: Uint32Array.from([shade(0), shade(1), shade(1), shade(0.5)]),
};

it("paints kept trials over those left out, within the edges, and nothing that has no place", () => {
  const canvas = canvasFor(placed, 20, 10, 1);
  expect([...canvas.middles]).toEqual([5 * 20 + 5, 5 * 20 + 5, -1, 3 * 20 + 16]);
  const pixels = new Uint32Array(20 * 10);
  paint(pixels, canvas, placed.colour, Uint8Array.from([0, 1, 1, 1]), 7);
  expect(pixels[5 * 20 + 5]).toBe(shades[63]);
  expect(pixels[3 * 20 + 16]).toBe(shade(0.5));
  expect(pixels[0]).toBe(0);
  expect(pixels.filter((p) => p !== 0).length).toBeLessThan(80);
  const faint = new Uint32Array(20 * 10);
  paint(faint, canvas, placed.colour, new Uint8Array(4), 7);
  expect(new Set(faint)).toEqual(new Set([0, 7]));
});

it("draws nothing where there is no room", () => {
  const canvas = canvasFor(placed, 3, 3, 1);
  expect([...canvas.middles]).toEqual([-1, -1, -1, -1]);
});

it("dots of thousands are smaller", () => {
  const many = { x: new Float32Array(700), y: new Float32Array(700), colour: new Uint32Array(700) };
  const [thousands, few] = [canvasFor(many, 20, 10, 1), canvasFor(placed, 20, 10, 1)];
  expect(thousands.kept.length).toBeLessThan(few.kept.length);
  expect(thousands.left.length).toBeLessThan(thousands.kept.length);
});
