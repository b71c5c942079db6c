/** Axes of a plot: numbers in, places out. Pure. */
import { figure } from "../lib/format";

export interface Ends {
  low: number;
  high: number;
}

/** Round numbers within the ends, about `wanted` of them. */
export function ticks({ low, high }: Ends, wanted = 5): number[] {
  const span = high - low;
  if (!(span > 0)) return [low];
  const base = 10 ** Math.floor(Math.log10(span / wanted));
  const step = [1, 2, 2.5, 5, 10].map((m) => m * base).find((s) => span / s <= wanted)!;
  const first = Math.ceil(low / step - 1e-9);
  const last = Math.floor(high / step + 1e-9);
  return Array.from({ length: last - first + 1 }, (_, i) => Number(((first + i) * step).toPrecision(12)));
}

/** How ticks within the ends are written: with as many decimals as it takes for no two to be the same. */
export function tickWords({ low, high }: Ends, wanted = 5): (value: number) => string {
  const step = (high - low) / wanted;
  if (!(step > 0) || Math.max(Math.abs(low), Math.abs(high)) >= 1e6) return figure;
  const digits = Math.min(Math.max(1 - Math.floor(Math.log10(step)), 0), 9);
  return (value) => String(Number(value.toFixed(digits)));
}

/** Ends of some numbers with a little room; a single value gets room too. */
export function endsOf(values: number[], room = 0.05): Ends {
  let low = Infinity;
  let high = -Infinity;
  for (const v of values) {
    if (v < low) low = v;
    if (v > high) high = v;
  }
  if (!(high >= low)) return { low: 0, high: 1 };
  const extra = (high - low) * room || Math.abs(high) * room || 0.5;
  return { low: low - extra, high: high + extra };
}

export interface Box {
  left: number;
  right: number;
  top: number;
  bottom: number;
}

export const boxOf = (width: number, height: number): Box => ({
  left: 46,
  right: width - 10,
  top: 10,
  bottom: height - 38,
});

export const place = (value: number, { low, high }: Ends, from: number, to: number) =>
  from + ((value - low) / (high - low)) * (to - from);

/** The path of a polyline, in tenths of a pixel. */
export const pathOf = (points: [number, number][]) =>
  points.map(([x, y], i) => `${i ? "L" : "M"}${x.toFixed(1)} ${y.toFixed(1)}`).join("");
