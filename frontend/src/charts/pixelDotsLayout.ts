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

/** First what is left out, small and faint, then what is kept over it. */
export function paint(
  pixels: Uint32Array,
  across: number,
  down: number,
  { x, y, colour }: Placed,
  kept: Uint8Array,
  density: number,
  faint: number,
) {
  const few = x.length <= 600;
  const large = Math.max(1, Math.round((few ? 2.6 : 1.4) * density));
  const small = Math.max(1, Math.round((few ? 1.4 : 0.7) * density));
  const dot = (i: number, radius: number, ink: number) => {
    const left = Math.round(x[i]! * density);
    const top = Math.round(y[i]! * density);
    for (let row = -radius; row <= radius; row++) {
      const line = top + row;
      if (line < 0 || line >= down) continue;
      const half = Math.round(Math.sqrt(radius * radius - row * row + 0.3));
      const from = Math.max(left - half, 0);
      const to = Math.min(left + half, across - 1);
      for (let column = from; column <= to; column++) pixels[line * across + column] = ink;
    }
  };
  for (let i = 0; i < x.length; i++) if (!kept[i] && x[i] === x[i]) dot(i, small, faint);
  for (let i = 0; i < x.length; i++) if (kept[i] && x[i] === x[i]) dot(i, large, colour[i]!);
}
