/** Lanes of Evidence: where trials, curves and brushes lie. Pure. */
import type { Points } from "../api/client";
import type { Curve } from "../api/evidence";
import { goodness, type ScoreScale } from "../lib/ramp";
import { isChoice, toShare, toValue, type Axis, type Parameter } from "../lib/scale";
import { shade, type Placed } from "./pixelDotsLayout";
import { place } from "./laneLayout";

export const HEIGHT = 74;
export const TOP = 6;
export const FLOOR = 56;
export const INSET = 14;

export type Colouring = "score" | "cost" | "search" | "time";

/** Colours of all trials, from 0 to 1 along the ramp. */
export function shares(points: Points, of: number[], by: Colouring, scale: ScoreScale): Float32Array {
  const count = points.ids.length;
  const found = new Float32Array(count);
  if (by === "score")
    for (let i = 0; i < count; i++) found[i] = points.means[i] == null ? 0 : goodness(points.means[i]!, scale);
  else if (by === "cost")
    spread(
      found,
      points.seconds.map((s) => Math.log(Math.max(s, 1e-6))),
    );
  else if (by === "time")
    spread(
      found,
      points.ended_at.map((t) => t ?? 0),
    );
  else {
    const known = [...new Set(of)];
    for (let i = 0; i < count; i++) found[i] = known.length > 1 ? known.indexOf(of[i]!) / (known.length - 1) : 0.5;
  }
  return found;
}

function spread(into: Float32Array, values: number[]) {
  let [low, high] = [Infinity, -Infinity];
  for (const value of values) {
    low = Math.min(low, value);
    high = Math.max(high, value);
  }
  for (let i = 0; i < values.length; i++) into[i] = high > low ? (values[i]! - low) / (high - low) : 0.5;
}

/** Every trial on one lane: along it by value, up by score. */
export function placed(
  parameter: Parameter,
  points: Points,
  axis: Axis | null,
  width: number,
  scale: ScoreScale,
  colours: Float32Array,
): Placed {
  const column = points.values[parameter.name];
  const count = points.ids.length;
  const found: Placed = {
    x: new Float32Array(count).fill(NaN),
    y: new Float32Array(count),
    colour: new Uint32Array(count),
  };
  if (!column) return found;
  const aside = isChoice(parameter) ? ((width - 2 * INSET) / parameter.options.length) * 0.7 : 0;
  for (let i = 0; i < count; i++) {
    const mean = points.means[i];
    if (mean === null || mean === undefined) continue;
    const x = place(parameter, column[i] ?? null, axis, width);
    if (x === null) continue;
    found.x[i] = x + (aside ? (((i * 0.618034) % 1) - 0.5) * aside : 0);
    found.y[i] = FLOOR - goodness(mean, scale) * (FLOOR - TOP);
    found.colour[i] = shade(colours[i]!);
  }
  return found;
}

/** The nearest kept trial within reach, or null. */
export function nearestKept(
  { x, y }: Placed,
  kept: Uint8Array | null,
  px: number,
  py: number,
  reach = 12,
): number | null {
  let best: number | null = null;
  let least = reach * reach;
  for (let i = 0; i < x.length; i++) {
    if (!kept?.[i] || x[i] !== x[i]) continue;
    const distance = (x[i]! - px) ** 2 + (y[i]! - py) ** 2;
    if (distance < least) {
      least = distance;
      best = i;
    }
  }
  return best;
}

export interface Drawn {
  x: number;
  mean: number;
  low: number;
  high: number;
}

/** Between which heights of a lane the worst and the best score lie. */
export interface Room {
  floor: number;
  top: number;
}

/** A curve's points on a lane, in pixels; those off the lane are left out. */
export function drawn(
  curve: Curve,
  kind: "average" | "near",
  parameter: Parameter,
  axis: Axis | null,
  width: number,
  scale: ScoreScale,
  { floor, top }: Room,
): Drawn[] {
  const line = curve[kind];
  const up = (value: number) => floor - goodness(value, scale) * (floor - top);
  return curve.values.flatMap((value, i) => {
    const x = place(parameter, value, axis, width);
    if (x === null) return [];
    const [a, b] = [up(line.low[i]!), up(line.high[i]!)];
    return [{ x, mean: up(line.mean[i]!), low: Math.max(a, b), high: Math.min(a, b) }];
  });
}

/** What a brush over a lane keeps: a stretch of its numbers. */
export function stretchAt(axis: Axis, width: number, from: number, to: number): [number, number] {
  const share = (x: number) => (x - INSET) / (width - 2 * INSET);
  const [a, b] = [toValue(share(Math.min(from, to)), axis), toValue(share(Math.max(from, to)), axis)];
  return [a, b];
}

/** A stretch as pixels of a lane. */
export function brushed(stretch: [number, number], axis: Axis, width: number): [number, number] {
  const at = (value: number, end: number) =>
    Number.isFinite(value) ? INSET + Math.min(Math.max(toShare(value, axis), 0), 1) * (width - 2 * INSET) : end;
  return [at(stretch[0], 0), at(stretch[1], width)];
}
