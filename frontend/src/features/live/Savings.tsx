import Button from "@mui/material/Button";
import type { Search } from "../../api/client";
import { useCheckSafety, useSafety } from "../../api/searches";
import { count, duration, percent, plural, withError } from "../../lib/format";

/** What early stopping saved, and on request whether it was right to. */
export function Savings({ search, inspect }: { search: Search; inspect: (id: number) => void }) {
  const { stopping, fits, trials } = search;
  if (stopping.key === "none") return null;
  const ended = ["finished", "stopped", "failed"].includes(search.state);
  const whole = (trials.scored + trials.ended_early) * search.folds;
  return (
    <section className="sheet col padded close" aria-label="Savings" data-savings>
      <h2>{stopping.label}</h2>
      <p className="small soft">{stopping.reason}</p>
      {trials.ended_early > 0 ? (
        <p className="small">
          <b>
            The work of {count(fits.spared)} of {count(whole)} full fits not needed
          </b>{" "}
          · {percent(fits.work_spared)} of the work
          {fits.seconds_spared > 0 && <> · about {duration(fits.seconds_spared)} saved</>}
        </p>
      ) : (
        <p className="small soft">No trial has ended early yet.</p>
      )}
      {ended && trials.ended_early > 0 && <Safety search={search} inspect={inspect} />}
    </section>
  );
}

function Safety({ search, inspect }: { search: Search; inspect: (id: number) => void }) {
  const found = useSafety(search.id).data;
  const start = useCheckSafety(search);
  if (!found) return null;
  return (
    <div className="col small closer" data-safety={found.checked}>
      {found.trials.length > 0 && (
        <p>
          <b>Safety check:</b> {found.wrong} of {plural(found.checked, "trial")} that ended early, run in full, would
          have won
          {found.close > 0 && `, ${found.close} came within one standard error`}
          {found.running > 0 && ` · ${found.running} still running`}
          {found.at_most !== null && (
            <span className="soft"> · wrong in at most {percent(found.at_most)} of cases (95 % sure)</span>
          )}
        </p>
      )}
      {found.trials.map((trial) => (
        <button
          key={trial.trial_id}
          className="plain-button row"
          onClick={() => inspect(trial.trial_id)}
          title={trial.reason}
        >
          <span className="trial-column">Trial {trial.number}</span>
          <span className="grow soft">
            {trial.mean === null ? trial.state : withError(trial.mean, trial.standard_error)}
          </span>
        </button>
      ))}
      {start.error && (
        <p role="alert" className="ember">
          {start.error.message}
        </p>
      )}
      {found.trials.length < found.ended_early && (
        <div>
          <Button
            variant="outlined"
            disabled={start.isPending || found.running > 0}
            title="Runs trials that ended early, drawn at random, to their end, and counts how many would have won."
            onClick={() => start.mutate()}
          >
            Run {Math.min(5, found.ended_early - found.trials.length)} trials in full that ended early
          </Button>
        </div>
      )}
    </div>
  );
}
