import type { Lanes } from "../../api/client";

/** Scores so far and running folds of a trial, from the fits. */
export function progressOf(lanes: Lanes | undefined, trial: number, folds: number) {
  const scores: (number | null)[] = Array<number | null>(folds).fill(null);
  const running: number[] = [];
  for (const fit of lanes?.fits ?? []) {
    if (fit.trial !== trial) continue;
    if (fit.state === "running") running.push(fit.fold);
    if (fit.score !== null || fit.state !== "running") scores[fit.fold] = fit.score;
  }
  return { scores, running };
}
