/** Curves of trials: which are drawn how, and which lies under the pointer. Pure. */
import type { Curves } from "../api/client";
import { place, type Box, type Ends } from "./plotLayout";

export type Kind = "ended early" | "flat" | "waiting" | "under way" | "whole" | "baseline";

export interface Drawn {
  index: number;
  kind: Kind;
  path: [number, number][];
}

export function kindOf(curves: Curves, index: number): Kind {
  if (curves.origins[index] === "baseline") return "baseline";
  if (curves.flat[index]) return "flat";
  const state = curves.states[index];
  if (state === "parked") return "waiting";
  if (state === "running" || state === "due") return "under way";
  return state === "scored" ? "whole" : "ended early";
}

/** From the back to the front: what ended early first, the living and the whole last. */
const ORDER: Kind[] = ["ended early", "flat", "waiting", "under way", "whole", "baseline"];

export function layOut(curves: Curves, box: Box, x: Ends, y: Ends): Drawn[] {
  const drawn = curves.numbers.map((_, index) => ({
    index,
    kind: kindOf(curves, index),
    path: curves.xs[index]!.map((at, i): [number, number] => [
      place(at, x, box.left, box.right),
      Math.min(Math.max(place(curves.ys[index]![i]!, y, box.bottom, box.top), box.top), box.bottom),
    ]),
  }));
  return drawn
    .filter((d) => d.path.length > 0)
    .sort((a, b) => ORDER.indexOf(a.kind) - ORDER.indexOf(b.kind) || a.index - b.index);
}

/** The curve whose nearest point lies within `reach` pixels; of equals the one in front. */
export function nearest(drawn: Drawn[], at: [number, number], reach = 14): Drawn | null {
  let found: Drawn | null = null;
  let best = reach * reach;
  for (const curve of drawn)
    for (const [x, y] of curve.path) {
      const distance = (x - at[0]) ** 2 + (y - at[1]) ** 2;
      if (distance <= best) [found, best] = [curve, distance];
    }
  return found;
}

/** Ends of the scores: the middle of them fills the picture, wild beginnings are cut off at its edge. */
export function scoreEnds(curves: Curves, larger: boolean): Ends {
  const last = curves.ys.map((ys) => ys.at(-1)).filter((v): v is number => v !== undefined);
  const all = [...last, ...curves.ys.map((ys) => ys[0]).filter((v): v is number => v !== undefined)].sort(
    (a, b) => a - b,
  );
  if (all.length === 0) return { low: 0, high: 1 };
  const cut = (share: number) => all[Math.min(Math.floor(share * all.length), all.length - 1)]!;
  const low = larger ? cut(0.25) : all[0]!;
  const high = larger ? all.at(-1)! : cut(0.75);
  const room = (high - low) * 0.06 || 0.5;
  return { low: low - room, high: high + room };
}
