/** Applies ledger entries to what the page already holds. Pure; applying an entry twice changes nothing. */
import type { FitView, Lanes, Points, Scalar, TrialRow } from "./client";

export interface Entry {
  id: number;
  at: number;
  kind: "trial" | "fit" | "points" | "search" | "decision" | "analysis";
  search_id: number | null;
  data: Record<string, unknown>;
}

const MOST_FITS = 2000;

export function patchLanes(lanes: Lanes, entries: Entry[]): Lanes {
  const place = new Map(lanes.fits.map((fit, index) => [`${fit.trial}/${fit.fold}/${fit.rung}`, index]));
  const fits = [...lanes.fits];
  let now = lanes.now;
  for (const entry of entries) {
    const fit = entry.data as unknown as FitView;
    now = Math.max(now, entry.at);
    if (fit.started_at === null) continue;
    const key = `${fit.trial}/${fit.fold}/${fit.rung}`;
    const known = place.get(key);
    if (known === undefined) place.set(key, fits.push(fit) - 1);
    else fits[known] = fit;
  }
  return { fits: fits.slice(-MOST_FITS), now };
}

export function patchPoints(points: Points, entries: Entry[]): Points {
  const place = new Map(points.numbers.map((number, index) => [number, index]));
  const next: Points = structuredClone(points);
  for (const entry of entries) {
    const trial = entry.data as unknown as TrialRow;
    if (trial.ended_at === null) continue;
    const known = place.get(trial.number);
    const at = known ?? next.numbers.length;
    if (known === undefined) place.set(trial.number, at);
    next.numbers[at] = trial.number;
    next.ids[at] = trial.id;
    next.states[at] = trial.state;
    next.origins[at] = trial.origin;
    next.means[at] = trial.mean;
    next.errors[at] = trial.error;
    next.seconds[at] = trial.seconds;
    next.ended_at[at] = trial.ended_at;
    for (const [name, value] of Object.entries(trial.configuration)) {
      const column = (next.values[name] ??= Array<Scalar | null>(at).fill(null));
      column[at] = value;
    }
  }
  return next;
}

/** The live trials of a search, by number; ended ones drop out, the newest ended ones are kept apart. */
export interface Happening {
  live: Record<number, TrialRow>;
  ended: TrialRow[];
}

const KEPT_ENDED = 8;

export function patchHappening(happening: Happening, entries: Entry[]): Happening {
  const live = { ...happening.live };
  let ended = happening.ended;
  for (const entry of entries) {
    const trial = entry.data as unknown as TrialRow;
    if (trial.ended_at === null) live[trial.number] = trial;
    else {
      // eslint-disable-next-line @typescript-eslint/no-dynamic-delete
      delete live[trial.number];
      ended = [trial, ...ended.filter((other) => other.number !== trial.number)].slice(0, KEPT_ENDED);
    }
  }
  return { live, ended };
}
