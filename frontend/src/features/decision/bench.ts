import type { Problem } from "../../api/client";
import type { Finalist, Finalists } from "../../api/decisions";

/** The finalist that is about to be chosen, and by what. */
export interface Picked {
  trial: number;
  rule: string;
}

export interface BenchProps {
  problem: Problem;
  found: Finalists;
  chosen: Finalist;
  pick: (picked: Picked) => void;
}

/** `trial 3 of search 2`, `the baseline`. */
export const called = (f: Finalist) =>
  f.is_baseline
    ? f.learner
      ? `the baseline (${f.learner})`
      : "the baseline"
    : `trial ${f.trial.number} of search ${f.search_number}`;
