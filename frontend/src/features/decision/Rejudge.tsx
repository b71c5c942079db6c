import Button from "@mui/material/Button";
import { useMemo, useState } from "react";
import { Link } from "react-router";
import type { TableProblem } from "../../api/client";
import { useRejudge, type Finalists } from "../../api/decisions";
import { useChosen } from "../../ui/place";
import { isWrong, readAmount, wanted, type AmountRule } from "../../lib/amount";
import { count, duration } from "../../lib/format";

const REPEATS: AmountRule = { whole: true, least: 1, most: 50 };
const FEW = 5; // finalists that are re-judged when none is shortlisted

/** Finalists once more, on folds that no search has seen: the shrinkage shows. */
export function Rejudge({ problem, found }: { problem: TableProblem; found: Finalists }) {
  const [typed, setTyped] = useState("3");
  const read = readAmount(typed, REPEATS);
  const repeats = isWrong(read) ? 0 : Number(read);
  const rejudge = useRejudge(problem.id);
  const { searches } = useChosen();
  const under = searches.find((s) => s.kind === "re-judge" && ["running", "paused"].includes(s.state));
  const { chosen, fits, seconds } = useMemo(() => {
    const short = found.finalists.filter((f) => f.trial.shortlisted);
    const chosen = short.length ? short : found.finalists.filter((f) => f.admitted && !f.is_baseline).slice(0, FEW);
    const learners = new Set(chosen.map((f) => f.learner));
    const all = [
      ...chosen,
      ...found.finalists.filter((f) => f.is_baseline && learners.has(f.learner) && !chosen.includes(f)),
    ];
    const fits = all.length * repeats * problem.judging.folds;
    return { chosen, fits, seconds: all.reduce((sum, f) => sum + f.fit_seconds, 0) * repeats * problem.judging.folds };
  }, [found, repeats, problem]);
  const shrunk = found.finalists.filter((f) => f.rejudged && !f.is_baseline);
  return (
    <section className="sheet row wrap strip apart">
      <div className="grow broad">
        <h2 className="sub">Re-judge on fresh folds</h2>
        <p className="small soft">
          {shrunk.length > 0
            ? shrinkage(shrunk, problem)
            : "The search chose these on its own folds. Cut the rows anew, and see how much of each lead was luck of the cut."}
        </p>
      </div>
      {under ? (
        <p className="small" role="status" data-rejudging={under.id}>
          <span className="breathing">●</span> {under.trials.scored}/{under.budget_trials} finalists,{" "}
          {under.seconds_left ? `${duration(under.seconds_left)} left` : under.state}{" "}
          <Link to={`/p/${problem.id}/live?search=${under.id}`}>Watch</Link>
        </p>
      ) : (
        <>
          <label className="row small close">
            <input
              inputMode="numeric"
              className="short-field"
              aria-label="Repeats"
              aria-invalid={repeats === 0}
              value={typed}
              onChange={(e) => setTyped(e.target.value)}
            />
            × {problem.judging.folds} folds
          </label>
          <span className="small soft">
            {repeats === 0 ? `Repeats: ${wanted(REPEATS)}` : `${count(fits)} fits, ${duration(seconds / 2)}`}
          </span>
          <Button
            variant="outlined"
            disabled={chosen.length === 0 || repeats === 0 || rejudge.isPending}
            onClick={() => rejudge.mutate({ trials: chosen.map((f) => f.trial.id), repeats })}
          >
            Re-judge {found.finalists.some((f) => f.trial.shortlisted) ? "the shortlist" : `the best ${chosen.length}`}
          </Button>
        </>
      )}
      {rejudge.error && (
        <p role="alert" className="ember small">
          {rejudge.error.message}
        </p>
      )}
    </section>
  );
}

function shrinkage(again: Finalists["finalists"], problem: TableProblem): string {
  const sign = problem.judging.larger_is_better ? 1 : -1;
  const lost = again.map((f) => sign * (f.trial.mean! - f.rejudged!.mean));
  const mean = lost.reduce((a, b) => a + b, 0) / lost.length;
  const folds = again[0]!.rejudged!.scores.length;
  const best = again.reduce((a, b) => (sign * b.rejudged!.mean > sign * a.rejudged!.mean ? b : a));
  const words = mean > 0 ? `lost ${mean.toPrecision(2)} on average` : `lost nothing (${(-mean).toPrecision(2)} better)`;
  return `On ${folds} fresh folds the ${again.length} re-judged ${words}; trial ${best.trial.number} of search ${best.search_number} is ahead there.`;
}
