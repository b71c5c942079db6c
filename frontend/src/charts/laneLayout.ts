/** Where the things of a lane lie: numbers in, places out; no DOM. */
import type { Points, Scalar } from "../api/client";
import { goodness, type ScoreScale } from "../lib/ramp";
import { isChoice, toShare, type Axis, type Parameter } from "../lib/scale";

export const LANE = { height: 76, top: 8, floor: 52, draws: 62, inset: 14 };

export interface Dot {
  x: number;
  y: number;
  index: number;
  share: number;
  broken: boolean; // breaks a limit of its search
}

/** The place of a value along a lane of a given width; null when it does not lie on it. */
export function place(parameter: Parameter, value: Scalar | null, axis: Axis | null, width: number): number | null {
  const room = width - 2 * LANE.inset;
  if (value === null) return null;
  if (!isChoice(parameter) && axis && typeof value === "number") {
    const share = toShare(value, axis);
    return share < -0.001 || share > 1.001 ? null : LANE.inset + share * room;
  }
  if (isChoice(parameter)) {
    const index = parameter.options.findIndex((option) => option.value === value);
    return index < 0 ? null : LANE.inset + ((index + 0.5) / parameter.options.length) * room;
  }
  return null;
}

/** Trials as dots: by value along the lane, by score up it. Choices spread sideways so that dots do not hide each other. */
export function dots(parameter: Parameter, points: Points, axis: Axis | null, width: number, scale: ScoreScale): Dot[] {
  const column = points.values[parameter.name];
  if (!column) return [];
  const spread = isChoice(parameter) ? ((width - 2 * LANE.inset) / parameter.options.length) * 0.7 : 0;
  const found: Dot[] = [];
  for (let index = 0; index < column.length; index++) {
    const mean = points.means[index];
    const x = place(parameter, column[index] ?? null, axis, width);
    if (x === null || mean === null || mean === undefined) continue;
    const share = goodness(mean, scale);
    const aside = spread ? (((index * 0.618034) % 1) - 0.5) * spread : 0;
    found.push({
      x: x + aside,
      y: LANE.floor - share * (LANE.floor - LANE.top),
      index,
      share,
      broken: points.keeps[index] === false,
    });
  }
  return found;
}

export function nearest(all: Dot[], x: number, y: number, reach = 10): Dot | null {
  let best: Dot | null = null;
  let least = reach * reach;
  for (const dot of all) {
    const distance = (dot.x - x) ** 2 + (dot.y - y) ** 2;
    if (distance < least) {
      least = distance;
      best = dot;
    }
  }
  return best;
}
