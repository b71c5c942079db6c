/** The best so far of what keeps its limits, in the order in which trials ended. */
import type { Points } from "../api/client";

export interface TracePoint {
  place: number;
  index: number;
  best: number | null; // null before anything keeps the limits
  seconds: number;
}

export function bestTrace(points: Points, larger: boolean): TracePoint[] {
  const order = points.numbers
    .map((_, index) => index)
    .filter((index) => points.means[index] !== null && points.states[index] === "scored")
    .sort((a, b) => (points.ended_at[a] ?? 0) - (points.ended_at[b] ?? 0));
  const first = Math.min(...points.ended_at.filter((t): t is number => t !== null));
  let best: number | null = null;
  return order.map((index, place) => {
    const mean = points.means[index]!;
    if (points.keeps[index] !== false)
      best = best === null ? mean : larger ? Math.max(best, mean) : Math.min(best, mean);
    return { place, index, best, seconds: (points.ended_at[index] ?? first) - first };
  });
}
