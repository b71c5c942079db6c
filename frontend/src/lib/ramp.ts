/** The score ramp: slate through teal to straw, even to the eye and safe for colour-blind readers. */
const STOPS: [number, number, number][] = [
  [70, 78, 96],
  [56, 104, 118],
  [52, 134, 128],
  [98, 163, 126],
  [164, 188, 118],
  [233, 212, 128],
];

export function ramp(share: number): string {
  const x = Math.min(Math.max(share, 0), 1) * (STOPS.length - 1);
  const i = Math.min(Math.floor(x), STOPS.length - 2);
  const low = STOPS[i]!;
  const high = STOPS[i + 1]!;
  const mix = low.map((channel, k) => Math.round(channel + (x - i) * (high[k]! - channel)));
  return `rgb(${mix.join(",")})`;
}

const DARK_ENOUGH = 0.365; // where the luminance of the ramp is 0.179

/** Black or white, whichever reads on a ramp colour: in the middle of the ramp no softer ink has a contrast of 4.5. */
export const inkOn = (share: number) => (share > DARK_ENOUGH ? "#000" : "#fff");

export interface ScoreScale {
  low: number;
  high: number;
  larger: boolean;
  effects?: number[]; // by how much each fold lies above a trial's mean: what a fold's score is coloured without
}

/** The span of a problem's scores; wild ones at the bad end do not stretch it. */
export function scoreScale(means: (number | null)[], larger: boolean, effects?: number[]): ScoreScale {
  const known = means.filter((m): m is number => m !== null).sort((a, b) => a - b);
  if (known.length === 0) return { low: 0, high: 1, larger, effects };
  const cut = (share: number) => known[Math.min(Math.floor(share * known.length), known.length - 1)]!;
  const low = larger ? cut(0.1) : known[0]!;
  const high = larger ? known[known.length - 1]! : cut(0.9);
  return high > low ? { low, high, larger, effects } : { low: low - 0.5, high: high + 0.5, larger, effects };
}

/** The span with room for curves that run below the trials: what a model says of places where nobody has been. */
export function withCurves(scale: ScoreScale, lines: { mean: number[] }[]): ScoreScale {
  const all = lines.flatMap((line) => line.mean);
  if (all.length === 0) return scale;
  return { ...scale, low: Math.min(scale.low, ...all), high: Math.max(scale.high, ...all) };
}

/** 0 is the worst, 1 the best, whichever way the metric points. A fold's score counts without what is the fold's own. */
export function goodness(value: number, scale: ScoreScale, fold?: number): number {
  const own = fold === undefined ? 0 : (scale.effects?.[fold] ?? 0);
  const share = (value - own - scale.low) / (scale.high - scale.low);
  return Math.min(Math.max(scale.larger ? share : 1 - share, 0), 1);
}

/** By how much each fold lies above a trial's mean, from trials that have all folds (as core/judging/fold_effects.py). */
export function foldEffects(tables: (number | null)[][]): number[] {
  const complete = tables.filter((scores): scores is number[] => scores.length > 0 && !scores.includes(null));
  return complete.reduce<number[]>((effects, scores, count) => withScores(effects, count, scores), []);
}

/** The effects of `count` trials with those of one more. */
export function withScores(effects: number[], count: number, scores: number[]): number[] {
  const mean = scores.reduce((sum, value) => sum + value, 0) / scores.length;
  return scores.map((value, fold) => ((effects[fold] ?? 0) * count + value - mean) / (count + 1));
}
