import { useMutation } from "@tanstack/react-query";
import type { Lanes, Points, Refusal, Search } from "../../api/client";
import type { TrialNow } from "../../api/patches";
import { useHappening } from "../../api/searches";
import { withdrawTrial } from "../../api/trials";
import { duration, plural, scalar, score, withError } from "../../lib/format";
import type { ScoreScale } from "../../lib/ramp";
import { FoldRing } from "../../charts/FoldRing";
import { differing } from "./differing";
import { progressOf } from "./progress";

interface Props {
  search: Search;
  folds: number;
  scale: ScoreScale;
  lanes: Lanes | undefined;
  points: Points | undefined;
  inspect: (id: number) => void;
}

/** Right of the curves: what runs now, and what ended last with its outcome in words. */
export function NowAndLast({ search, folds, scale, lanes, points, inspect }: Props) {
  const happening = useHappening(search.id).data;
  const withdrawal = useMutation<unknown, Refusal, number>({ mutationFn: withdrawTrial });
  const all = Object.values(happening?.live ?? {}).sort((a, b) => a.number - b.number);
  const live = all.filter((trial) => trial.state !== "parked");
  const ordered = (trial: TrialNow) => differing(search, points, trial.configuration);
  return (
    <>
      <section className="sheet col padded">
        <h2>Running now</h2>
        {withdrawal.error && (
          <p role="alert" className="small ember">
            {withdrawal.error.message}
          </p>
        )}
        {live.length === 0 && (
          <p className="small soft">
            {search.state === "running" ? "Workers are starting …" : `Nothing: the search is ${search.state}.`}
          </p>
        )}
        {all.length > live.length && (
          <p className="small soft">
            {plural(all.length - live.length, "more trial waits", "more trials wait")} at a rung.
          </p>
        )}
        {live.map((trial) => {
          const { scores, running } = progressOf(lanes, trial.number, folds);
          return (
            <div key={trial.number} className="row apart" data-live={trial.number}>
              <FoldRing scores={scores} running={running} folds={folds} state={trial.state} scale={scale} size={38} />
              <TrialWords
                trial={trial}
                searched={ordered(trial)}
                inspect={inspect}
                note={
                  `${scores.filter((s) => s !== null).length} of ${folds} folds` +
                  (search.stopping.levels.length > 1 && search.stopping.resource !== "folds"
                    ? `, rung ${trial.rung + 1} of ${search.stopping.levels.length}`
                    : "")
                }
              />
              <button
                className="plain-button small ember"
                onClick={() => withdrawal.mutate(trial.id)}
                aria-label={`Withdraw trial ${trial.number}`}
              >
                withdraw
              </button>
            </div>
          );
        })}
      </section>
      <section className="sheet col padded">
        <h2>Ended last</h2>
        {happening?.ended.length === 0 && <p className="small soft">Nothing yet.</p>}
        {happening?.ended.map((trial) => (
          <div key={trial.number} className="row apart" data-ended={trial.number}>
            <FoldRing scores={trial.scores} folds={folds} state={trial.state} scale={scale} size={28} />
            <TrialWords trial={trial} searched={ordered(trial)} inspect={inspect} note={outcome(trial, search)} />
          </div>
        ))}
      </section>
    </>
  );
}

const name = (trial: TrialNow) => (trial.origin === "baseline" ? "Baseline" : `Trial ${trial.number}`);

function outcome(trial: TrialNow, search: Search): string {
  if (trial.mean === null) return trial.reason || trial.state;
  const best = search.best?.trial_id === trial.id && search.against.length === 0 ? ", the best so far" : "";
  const broken = search.limits.filter(({ measure, at_least, bound }) => {
    const value = trial.measured?.[measure];
    return value !== undefined && (at_least ? value < bound : value > bound);
  });
  const breaks = broken.map((limit) => `, breaks ${limit.text} (${score(trial.measured?.[limit.measure])})`).join("");
  const beside = search.against.map(({ measure }) => `, ${measure} ${score(trial.measured?.[measure])}`).join("");
  return `${withError(trial.mean, trial.standard_error)}${beside}${best}${breaks} · ${duration(trial.seconds)}`;
}

function TrialWords({
  trial,
  searched,
  inspect,
  note,
}: {
  trial: TrialNow;
  searched: string[];
  inspect: (id: number) => void;
  note: string;
}) {
  const active = searched.filter((key) => trial.configuration[key] !== undefined);
  const settings = active.map((key) => `${key} ${scalar(trial.configuration[key])}`).join(" · ");
  const weak = trial.state === "failed" || trial.state === "ended early";
  return (
    <button className="plain-button grow shrinks" onClick={() => inspect(trial.id)}>
      <span className={`small two-lines ${weak ? "ember" : "soft"}`} title={note}>
        <b className="one-line ink">{name(trial)}</b> {note}
      </span>
      <span className="small soft cut mono block tiny" title={settings}>
        {settings}
      </span>
    </button>
  );
}
