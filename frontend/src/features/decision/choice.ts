import type { Finalist, Finalists } from "../../api/decisions";
import { called, type Picked } from "./bench";

/** The one finalist that every part of the screen is about: the one inspected, else the one last picked, decided, advised, best. */
export function choiceOf(
  found: Finalists,
  picked: Picked | null,
  inspected: number | null,
  decided: Picked | null,
): { chosen: Finalist; rule: string } {
  const first = found.suggestions[0];
  const byHand = (trial: number): Picked => ({ trial, rule: "by hand" });
  const options = [
    inspected === null || picked?.trial === inspected || decided?.trial === inspected ? null : byHand(inspected),
    picked,
    decided,
    first ? { trial: first.trial_id, rule: first.rule } : null,
    byHand(found.finalists[0]!.trial.id),
  ];
  for (const option of options) {
    const chosen = option && found.finalists.find((f) => f.trial.id === option.trial);
    if (chosen) return { chosen, rule: option.rule };
  }
  throw new Error("no finalist to choose");
}

/** Somebody the chosen one is measured by. */
export interface Distance {
  whom: string;
  ahead: number; // in the metric, positive where the chosen one is better
  baseline: boolean;
}

/** How far the chosen one is from the leader and from the best baseline. */
export function distances(found: Finalists, chosen: Finalist, larger: boolean): Distance[] {
  if (found.decides.length > 0) return []; // of several metrics none says alone who is ahead
  const sign = larger ? 1 : -1;
  const mean = (f: Finalist) => f.trial.mean ?? -sign * Infinity;
  const leader = found.finalists.find((f) => f.trial.id === found.leader);
  const baseline = found.finalists
    .filter((f) => f.is_baseline)
    .reduce<Finalist | undefined>((best, f) => (best && sign * (mean(best) - mean(f)) >= 0 ? best : f), undefined);
  const to = (other: Finalist, whom: string) => ({
    whom,
    ahead: sign * (mean(chosen) - mean(other)),
    baseline: other.is_baseline,
  });
  return [
    ...(leader && leader !== chosen ? [to(leader, `the leader, ${called(leader)}`)] : []),
    ...(baseline && baseline !== chosen && baseline !== leader ? [to(baseline, called(baseline))] : []),
  ];
}

/** Where several metrics decide, a finalist that is as good as the chosen one in all of them and better in one. */
export function beatenBy(found: Finalists, chosen: Finalist): Finalist | undefined {
  if (found.decides.length === 0) return undefined;
  const signs = found.decides.map((measure) => (measure.larger_is_better ? 1 : -1));
  const values = (f: Finalist) =>
    [f.trial.mean, ...f.metrics.map((m) => m.value)].map((v, i) => (signs[i] ?? 1) * (v ?? NaN));
  const own = values(chosen);
  if (own.some(Number.isNaN)) return undefined;
  return found.finalists.find((f) => {
    const other = values(f);
    return f.admitted && other.every((v, i) => v >= own[i]!) && other.some((v, i) => v > own[i]!);
  });
}

/** Those who do better; a rule that was chosen by answers for the leader itself. */
export const betters = (all: Distance[], rule: string): Distance[] =>
  all.filter((d) => d.ahead < 0 && (rule === "by hand" || d.baseline));
