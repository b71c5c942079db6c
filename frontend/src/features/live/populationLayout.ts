/** Who goes on from whom in a population, as bars and bows. Pure. */
import type { Curves, Points } from "../../api/client";

export interface Interval {
  number: number;
  id: number;
  member: number;
  from: number;
  to: number;
  score: number | null;
  winning: boolean;
}

export interface Copy {
  number: number;
  from: number;
  to: number;
  at: number;
}

const isMember = (curves: Curves, i: number) => curves.origins[i] === "proposed" || curves.origins[i] === "start";

/** Numbers of the trials on the line that led to the best of the last interval. */
export function winningLine(curves: Curves): Set<number> {
  const top = Math.max(...curves.rungs.filter((_, i) => isMember(curves, i)), 0);
  const parent = new Map(curves.numbers.map((number, i) => [number, curves.parents[i] ?? null]));
  const scores = curves.numbers
    .map((number, i) => ({ number, i, last: curves.ys[i]!.at(-1) }))
    .filter(({ i, last }) => isMember(curves, i) && curves.rungs[i] === top && last !== undefined);
  const best = scores.find(({ i }) => curves.best[i]) ?? scores[0];
  const line = new Set<number>();
  for (let at: number | null = best?.number ?? null; at !== null; at = parent.get(at) ?? null) line.add(at);
  return line;
}

export function lineage(curves: Curves): { members: number; intervals: Interval[]; copies: Copy[] } {
  const line = winningLine(curves);
  const member = new Map(curves.numbers.map((number, i) => [number, curves.members[i]!]));
  const intervals: Interval[] = [];
  const copies: Copy[] = [];
  curves.numbers.forEach((number, i) => {
    if (!isMember(curves, i)) return;
    const rung = curves.rungs[i]!;
    const from = rung > 0 ? curves.levels[rung - 1]! : 0;
    intervals.push({
      number,
      id: curves.ids[i]!,
      member: curves.members[i]!,
      from,
      to: curves.levels[rung]!,
      score: curves.ys[i]!.at(-1) ?? null,
      winning: line.has(number),
    });
    const parent = curves.parents[i] ?? null;
    const source = parent === null ? undefined : member.get(parent);
    if (source !== undefined && source !== curves.members[i])
      copies.push({ number, from: source, to: curves.members[i]!, at: from });
  });
  return { members: Math.max(...intervals.map((i) => i.member + 1), 0), intervals, copies };
}

/** One setting's value for every interval, from 0 (lowest) to 1; on a log axis where it spans decades. */
export function valueLines(curves: Curves, points: Points, name: string) {
  const column = points.values[name] ?? [];
  const value = new Map(points.numbers.map((number, i) => [number, column[i]]));
  const held = lineage(curves)
    .intervals.map((interval) => ({ ...interval, value: value.get(interval.number) }))
    .filter((i): i is Interval & { value: number } => typeof i.value === "number");
  const low = Math.min(...held.map((i) => i.value));
  const high = Math.max(...held.map((i) => i.value));
  const log = low > 0 && high / low > 30;
  const share = (v: number) =>
    high > low ? (log ? Math.log(v / low) / Math.log(high / low) : (v - low) / (high - low)) : 0.5;
  return {
    low: held.length ? low : 0,
    high: held.length ? high : 1,
    steps: held.map(({ number, from, to, winning, value: v }) => ({ number, from, to, winning, share: share(v) })),
  };
}
