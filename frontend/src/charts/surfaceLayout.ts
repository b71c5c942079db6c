/** A surface as a picture: grid in, bands of colour out. Pure. */
import type { Surface } from "../api/evidence";

export const BANDS = 11; // contours that the ramp is cut into

export interface Area {
  left: number;
  top: number;
  width: number;
  height: number;
}

export const areaOf = (width: number): Area => ({
  left: 56,
  top: 8,
  width: width - 66,
  height: Math.round((width - 66) * 0.72),
});

/** The least and the most of a grid. */
export function spanOf(values: number[][]): [number, number] {
  let [low, high] = [Infinity, -Infinity];
  for (const row of values)
    for (const value of row) {
      low = Math.min(low, value);
      high = Math.max(high, value);
    }
  return [low, high];
}

type Side = Surface["across"];

/** The grid's value at a place of the unit square: interpolated along numbers, the nearest along options. */
export function valueAt(values: number[][], across: Side, down: Side, x: number, y: number): number {
  const [i, p] = between(across, x);
  const [j, q] = between(down, y);
  const at = (row: number, column: number) =>
    values[Math.min(row, values.length - 1)]![Math.min(column, values[0]!.length - 1)]!;
  return (1 - q) * ((1 - p) * at(j, i) + p * at(j, i + 1)) + q * ((1 - p) * at(j + 1, i) + p * at(j + 1, i + 1));
}

function between(side: Side, at: number): [number, number] {
  const { positions } = side;
  if (side.options) return [Math.min(Math.floor(at * positions.length), positions.length - 1), 0];
  let i = 0;
  while (i < positions.length - 2 && positions[i + 1]! <= at) i += 1;
  const gap = positions[i + 1]! - positions[i]!;
  return [i, gap > 0 ? Math.min(Math.max((at - positions[i]!) / gap, 0), 1) : 0];
}

/** Where a position on a setting's scale is drawn: numbers as they are, options in the middle of their strip. */
export function drawnAt(side: Side, position: number): number {
  if (!side.options) return position;
  let best = 0;
  side.positions.forEach((p, i) => {
    if (Math.abs(p - position) < Math.abs(side.positions[best]! - position)) best = i;
  });
  return (best + 0.5) / side.positions.length;
}

/** The share of the ramp at a value, cut into bands. */
export const banded = (share: number) => Math.min(Math.floor(share * BANDS), BANDS - 1) / (BANDS - 1);

/** The line along which points lie (first principal axis), from end to end of them; null of fewer than three. */
export function ridgeLine(points: [number, number][]): [[number, number], [number, number]] | null {
  if (points.length < 3) return null;
  const mx = points.reduce((s, p) => s + p[0], 0) / points.length;
  const my = points.reduce((s, p) => s + p[1], 0) / points.length;
  let [xx, xy, yy] = [0, 0, 0];
  for (const [x, y] of points) {
    xx += (x - mx) ** 2;
    xy += (x - mx) * (y - my);
    yy += (y - my) ** 2;
  }
  const angle = 0.5 * Math.atan2(2 * xy, xx - yy);
  const [dx, dy] = [Math.cos(angle), Math.sin(angle)];
  const along = points.map(([x, y]) => (x - mx) * dx + (y - my) * dy);
  const [from, to] = [Math.min(...along), Math.max(...along)];
  return [
    [mx + from * dx, my + from * dy],
    [mx + to * dx, my + to * dy],
  ];
}

/** A few places along a side to write values at. */
export function marks(side: Side, most = 5): { at: number; index: number }[] {
  const count = side.positions.length;
  if (side.options) return side.positions.map((_, index) => ({ at: (index + 0.5) / count, index }));
  const step = Math.max(1, Math.floor((count - 1) / (most - 1)));
  const found = [];
  for (let index = 0; index < count; index += step) found.push({ at: side.positions[index]!, index });
  return found;
}
