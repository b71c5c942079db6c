/** Applies ledger entries to what the page already holds. Pure; applying an entry twice changes nothing. */
import type { Curves, Entry, FitView, Lanes, Points, Scalar, Search, Schemas } from "./client";
import { withScores } from "../lib/ramp";

type Of<K extends Entry["kind"]> = Extract<Entry, { kind: K }>;
export type TrialEntry = Omit<Of<"trial">, "data"> & { data: TrialNow };
export type FitEntry = Of<"fit">;
export type PointsEntry = Of<"points">;
export type SearchEntry = Of<"search">;
/** A trial as the ledger tells of it; a row of a table has more. */
export type TrialNow = Schemas["TrialChanged"];

const MOST_FITS = 2000;

export function patchLanes(lanes: Lanes, entries: FitEntry[]): Lanes {
  const place = new Map(lanes.fits.map((fit, index) => [`${fit.trial}/${fit.fold}/${fit.rung}`, index]));
  const fits: FitView[] = [...lanes.fits];
  let now = lanes.now;
  for (const { at, data: fit } of entries) {
    now = Math.max(now, at);
    if (fit.started_at === null) continue;
    const key = `${fit.trial}/${fit.fold}/${fit.rung}`;
    const known = place.get(key);
    if (known === undefined) place.set(key, fits.push(fit) - 1);
    else fits[known] = fit;
  }
  return { ...lanes, fits: fits.slice(-MOST_FITS), now };
}

/** A copy whose lists are its own and whose other parts are shared: of tens of thousands of trials a deep one costs a tenth of a second. */
function withOwnLists<T extends object>(held: T): T {
  const lists = Object.entries(held).map(
    ([key, value]) => [key, Array.isArray(value) ? value.slice() : value] as const,
  );
  return Object.fromEntries(lists) as T;
}

/** Where the trials stand that these entries tell of, as far as they are there. */
function placesOf(numbers: number[], entries: (TrialEntry | PointsEntry)[]): Map<number, number> {
  const wanted = new Set(entries.map((entry) => ("number" in entry.data ? entry.data.number : entry.data.trial)));
  const found = new Map<number, number>();
  numbers.forEach((number, index) => wanted.has(number) && found.set(number, index));
  return found;
}

export function patchPoints(points: Points, entries: TrialEntry[]): Points {
  const place = placesOf(points.numbers, entries);
  const next = withOwnLists(points);
  next.values = withOwnLists(points.values);
  for (const { data: trial } of entries) {
    if (trial.ended_at === null) continue;
    const known = place.get(trial.number);
    const at = known ?? next.numbers.length;
    if (known === undefined) {
      place.set(trial.number, at);
      const scores = trial.scores.filter((value) => value !== null);
      if (trial.state === "scored" && scores.length > 0 && scores.length === trial.scores.length) {
        next.fold_effects = withScores(next.fold_effects, next.complete, scores);
        next.complete += 1;
      }
    }
    next.numbers[at] = trial.number;
    next.ids[at] = trial.id;
    next.states[at] = trial.state;
    next.origins[at] = trial.origin;
    next.means[at] = trial.mean;
    next.standard_errors[at] = trial.standard_error;
    next.seconds[at] = trial.seconds;
    next.ended_at[at] = trial.ended_at;
    next.keeps[at] = trial.keeps;
    for (const [name, value] of Object.entries(trial.configuration)) {
      const column = (next.values[name] ??= Array<Scalar | null>(at).fill(null));
      column[at] = value;
    }
  }
  return next;
}

/** The live trials of a search, by number; ended ones drop out, the newest ended ones are kept apart. */
export interface Happening {
  live: Record<number, TrialNow>;
  ended: TrialNow[];
}

const KEPT_ENDED = 8;

export function patchHappening(happening: Happening, entries: TrialEntry[]): Happening {
  const live = new Map(Object.values(happening.live).map((trial) => [trial.number, trial]));
  let ended = happening.ended;
  for (const { data: trial } of entries) {
    if (trial.ended_at === null) live.set(trial.number, trial);
    else {
      live.delete(trial.number);
      ended = [trial, ...ended.filter((other) => other.number !== trial.number)].slice(0, KEPT_ENDED);
    }
  }
  return { live: Object.fromEntries(live), ended };
}

const ENDED = ["finished", "stopped", "failed"];

/** What a search's own entries say of it; counts and times are asked for again. An end is shown with its last counts, not before
 * them: it waits for the answer that has both. */
export function patchSearches(searches: Search[], entries: SearchEntry[]): Search[] {
  const newest = new Map(entries.map((entry) => [entry.search_id, entry.data]));
  return searches.map((search) => {
    const said = newest.get(search.id);
    if (!said || ENDED.includes(said.state)) return search;
    const { state, reason, active_seconds, workers } = said;
    return { ...search, state, reason, active_seconds, workers, halted: null };
  });
}

const LIVE = ["due", "running", "parked"];

/** Curves with trials as they are now and further points: a mean is drawn as far as all its folds under way have come. */
export function patchCurves(curves: Curves, entries: (TrialEntry | PointsEntry)[]): Curves {
  const next = withOwnLists(curves);
  const place = new Map(next.numbers.map((number, index) => [number, index]));
  next.open = curves.open.map(withOwnLists);
  const open = new Map(next.open.map((curve) => [`${curve.trial}/${curve.fold}`, curve]));
  for (const entry of entries)
    if (entry.kind === "trial") putTrial(next, place, entry.data);
    else {
      const { trial, fold, points } = entry.data;
      const key = `${trial}/${fold}`;
      const curve = open.get(key) ?? { trial, fold, iterations: [], scores: [] };
      if (!open.has(key)) {
        open.set(key, curve);
        next.open.push(curve);
      }
      for (const [iteration, score] of points)
        if (iteration > (curve.iterations.at(-1) ?? -1)) {
          curve.iterations.push(iteration);
          curve.scores.push(score);
        }
      const index = place.get(trial);
      if (index !== undefined) [next.xs[index], next.ys[index]] = meanOf(next.open.filter((c) => c.trial === trial));
    }
  next.open = next.open.filter((curve) => {
    const index = place.get(curve.trial);
    return index === undefined || LIVE.includes(next.states[index]!);
  });
  markBest(next);
  return next;
}

function putTrial(curves: Curves, place: Map<number, number>, trial: TrialNow): void {
  const at = place.get(trial.number) ?? curves.numbers.length;
  place.set(trial.number, at);
  curves.numbers[at] = trial.number;
  curves.ids[at] = trial.id;
  curves.states[at] = trial.state;
  curves.origins[at] = trial.origin;
  curves.reasons[at] = trial.reason;
  curves.flat[at] = trial.reason_code === "flat";
  curves.members[at] = trial.member;
  curves.rungs[at] = trial.rung;
  curves.parents[at] = trial.parent;
  curves.best_iterations[at] = trial.best_iteration;
  curves.means[at] = trial.mean;
  curves.best[at] ??= false;
  curves.xs[at] ??= [];
  curves.ys[at] ??= [];
  if (curves.resource === "folds") [curves.xs[at], curves.ys[at]] = alongFolds(trial.scores, curves.effects);
}

/** The mean of the first 1, 2, … folds, without what makes some folds easier than others. */
function alongFolds(scores: (number | null)[], effects: number[]): [number[], number[]] {
  const known = scores.flatMap((score, fold) => (score === null ? [] : [score - (effects[fold] ?? 0)]));
  let total = 0;
  return [known.map((_, i) => i + 1), known.map((score, i) => (total += score) / (i + 1))];
}

function meanOf(folds: Curves["open"]): [number[], number[]] {
  const [first, ...others] = folds;
  if (!first) return [[], []];
  const at = others.map((curve) => new Map(curve.iterations.map((iteration, i) => [iteration, curve.scores[i]!])));
  const common = first.iterations.flatMap((iteration, i) => {
    const scores = [first.scores[i]!, ...at.flatMap((by) => by.get(iteration) ?? [])];
    return scores.length === folds.length ? [[iteration, scores.reduce((a, b) => a + b) / scores.length] as const] : [];
  });
  return [common.map(([iteration]) => iteration), common.map(([, mean]) => mean)];
}

function markBest(curves: Curves): void {
  const turn = curves.larger_is_better ? 1 : -1;
  const scored = curves.means.map((mean, i) =>
    curves.states[i] === "scored" && mean !== null ? turn * mean : -Infinity,
  );
  const top = Math.max(...scored);
  curves.best = scored.map((score) => score === top && top > -Infinity);
}
