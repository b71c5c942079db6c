/** Best-so-far lines of several searches over one another: numbers in, corners of steps out. Pure. */
import type { Spent } from "../api/evidence";
import { endsOf, type Ends } from "./plotLayout";

export type By = "trials" | "fits" | "seconds";
const COLUMN: Record<By, number> = { trials: 0, fits: 1, seconds: 2 };
const SHARE = 0.06; // of the rises from the first on: a wild first trial does not stretch the axis

/** Corners of a search's steps, in the units of the axes. */
export function corners(one: Spent, by: By): [number, number][] {
  const found: [number, number][] = [];
  for (const rise of one.rises) {
    const x = rise[COLUMN[by]]!;
    const y = rise[3]!;
    const last = found[found.length - 1];
    if (last) found.push([x, last[1]]);
    found.push([x, y]);
  }
  return found;
}

/** Ends of both axes. */
export function overlayEnds(searches: Spent[], by: By, baseline: number | null): { x: Ends; y: Ends } {
  const all = searches.flatMap((one) => one.rises);
  const most = Math.max(1, ...all.map((rise) => rise[COLUMN[by]]!));
  const finals = searches.flatMap((one) => (one.best === null ? [] : [one.best]));
  const heights = all.map((rise) => rise[3]!).sort((a, b) => a - b);
  const cut = Math.floor(SHARE * heights.length);
  const held = heights.slice(cut, heights.length - cut || undefined);
  return { x: { low: 0, high: most }, y: endsOf([...held, ...finals, ...(baseline === null ? [] : [baseline])], 0.06) };
}
