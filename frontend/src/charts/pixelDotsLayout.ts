/** Dots as pixels: places and colours in, a picture out. Pure. */
import { ramp } from "../lib/ramp";

/** Where each trial lies in CSS pixels (NaN: nowhere), and its colour as the canvas keeps it. */
export interface Placed {
  x: Float32Array;
  y: Float32Array;
  colour: Uint32Array;
}

const SHADES = 64;

/** The ramp's colours as the canvas keeps them: alpha, blue, green, red. */
export const shades = Uint32Array.from({ length: SHADES }, (_, i) => {
  const [red, green, blue] = ramp(i / (SHADES - 1))
    .match(/\d+/g)!
    .map(Number);
  return (0xff000000 | (blue! << 16) | (green! << 8) | red!) >>> 0;
});

export const shade = (share: number) => shades[Math.min(Math.max(Math.round(share * (SHADES - 1)), 0), SHADES - 1)]!;

/** A round dot as steps from its middle in a picture so wide. */
function dot(radius: number, across: number): Int32Array {
  const found: number[] = [];
  for (let row = -radius; row <= radius; row++) {
    const half = Math.round(Math.sqrt(radius ** 2 - row ** 2 + 0.3));
    for (let column = -half; column <= half; column++) found.push(row * across + column);
  }
  return Int32Array.from(found);
}

/** The picture that dots are written into: where each trial's middle is (-1: nowhere), and how a dot looks that is kept and one that is not. */
export interface Canvas {
  middles: Int32Array;
  kept: Int32Array;
  left: Int32Array;
}

/** Made once for a lane and a size: a brush then only writes. */
export function canvasFor({ x, y }: Placed, across: number, down: number, density: number): Canvas {
  const few = x.length <= 600;
  const large = Math.max(1, Math.round((few ? 2.6 : 1.4) * density));
  const small = Math.round((few ? 1.4 : 0.4) * density);
  const within = (at: number, most: number) => Math.min(Math.max(Math.round(at * density), large), most - 1 - large);
  const room = across > 2 * large && down > 2 * large; // else there is nothing to draw on
  const middles = Int32Array.from(x, (at, i) =>
    room && at === at ? within(y[i]!, down) * across + within(at, across) : -1,
  );
  return { middles, kept: dot(large, across), left: dot(small, across) };
}

/** First what is left out, small and faint, then what is kept over it. */
export function paint(pixels: Uint32Array, canvas: Canvas, colour: Uint32Array, kept: Uint8Array, faint: number) {
  write(pixels, canvas.middles, canvas.left, kept, 0, null, faint);
  write(pixels, canvas.middles, canvas.kept, kept, 1, colour, 0);
}

function write(
  pixels: Uint32Array,
  middles: Int32Array,
  shape: Int32Array,
  kept: Uint8Array,
  wanted: 0 | 1,
  colour: Uint32Array | null,
  faint: number,
) {
  for (let i = 0; i < middles.length; i++) {
    const middle = middles[i]!;
    if (kept[i] !== wanted || middle < 0) continue;
    const ink = colour ? colour[i]! : faint;
    for (let k = 0; k < shape.length; k++) pixels[middle + shape[k]!] = ink;
  }
}
