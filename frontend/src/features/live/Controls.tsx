import Button from "@mui/material/Button";
import { useState } from "react";
import { Link } from "react-router";
import type { Refusal, Search } from "../../api/client";
import { useSteerSearch } from "../../api/searches";
import { duration, withError } from "../../lib/format";
import { taughtBy, taughtEach } from "../../lib/remembered";
import { StateMark } from "../../charts/StateMark";
import { Budget } from "./Budget";
import { ByHand } from "./ByHand";

const KINDS = {
  search: "Search",
  "re-judge": "Re-judging",
  "safety check": "Safety check",
  baselines: "Baselines",
  "face-off": "Run of a face-off",
};

/** The state of a search in a line, and what a person can do about it. */
export function Controls({ search }: { search: Search }) {
  const { state, workers } = useSteerSearch(search.id, search.problem_id);
  const live = search.state === "running" || search.state === "paused";
  const refusal = (state.error ?? workers.error) as Refusal | null;
  const [sure, setSure] = useState(false);
  const [open, setOpen] = useState<"budget" | "by hand" | null>(null);
  const { trials } = search;
  const ended = trials.scored + trials.ended_early + trials.failed + trials.withdrawn;
  const own = search.kind === "search" ? Math.max(ended - search.budgeted - search.by_hand, 0) : 0; // baselines of its own
  const scored = Math.max(trials.scored - own, 0);
  return (
    <section className="col near">
      <div className="row wrap">
        <StateMark state={search.halted ? "failed" : search.state} />
        <h1 data-state={search.state}>
          {KINDS[search.kind]} {search.number}{" "}
          <span className="soft plain">{search.halted ? "halted" : search.state}</span>
        </h1>
        <span className="soft small grow" title={search.strategy_reason}>
          {search.kind === "search"
            ? [search.learner, search.strategy, search.stopping.key !== "none" && search.stopping.label.toLowerCase()]
                .filter(Boolean)
                .join(", ")
            : search.strategy_reason}{" "}
          · {duration(search.active_seconds)}
          {live && search.seconds_left !== null && ` · about ${duration(search.seconds_left)} left`}
        </span>
        {live && (
          <>
            {search.kind === "search" && (
              <>
                <Button onClick={() => setOpen(open === "by hand" ? null : "by hand")}>Try by hand</Button>
                <Button onClick={() => setOpen(open === "budget" ? null : "budget")}>Budget</Button>
              </>
            )}
            <Stepper count={search.workers} onCount={(count) => workers.mutate(count)} />
            <Button
              variant="outlined"
              onClick={() => state.mutate(search.state === "running" && !search.halted ? "paused" : "running")}
              disabled={state.isPending}
            >
              {search.state === "running" && !search.halted ? "Pause" : "Resume"}
            </Button>
            {sure ? (
              <>
                <Button variant="contained" color="error" onClick={() => state.mutate("stopped")}>
                  Stop for good
                </Button>
                <Button onClick={() => setSure(false)}>Keep</Button>
              </>
            ) : (
              <Button color="error" onClick={() => setSure(true)}>
                Stop
              </Button>
            )}
          </>
        )}
        {!live && search.best && (
          <Button
            variant="contained"
            data-primary
            component={Link}
            to={`/p/${search.problem_id}/decision${search.against.length > 0 ? `?of=${search.id}` : ""}`}
          >
            Decide
          </Button>
        )}
      </div>
      {live && open === "by hand" && <ByHand search={search} onClose={() => setOpen(null)} />}
      {live && open === "budget" && <Budget search={search} onClose={() => setOpen(null)} />}
      <div className="row small far wrap one-line-each">
        <span>
          best <b className="honey">{withError(search.best?.score, search.best?.standard_error)}</b>
          {search.best && (
            <span className="soft"> {search.best.number === 0 ? "the baseline" : `trial ${search.best.number}`}</span>
          )}
        </span>
        <span>
          baseline <b>{withError(search.baseline?.score, search.baseline?.standard_error)}</b>
        </span>
        <span>
          {scored} scored{own > 0 && " + baseline"}
          {search.trials.ended_early > 0 && <span> · {search.trials.ended_early} ended early</span>}
          {search.trials.parked > 0 && <span> · {search.trials.parked} parked</span>}
          {search.trials.failed > 0 && <span className="ember"> · {search.trials.failed} failed</span>}
          {search.trials.withdrawn > 0 && <span> · {search.trials.withdrawn} withdrawn</span>}
        </span>
        <span>{search.fits.run} fits run</span>
        {search.keeping !== null && trials.scored > 0 && (
          <span data-keeping={search.keeping} className={search.keeping === 0 ? "ember" : undefined}>
            {search.keeping === 0 ? "none yet keeps " : `${search.keeping} keep${search.keeping === 1 ? "s" : ""} `}
            {search.limits.map((limit) => limit.text).join(", ")}
          </span>
        )}
        {search.remembered.length > 0 && (
          <span className="soft" data-remembered title={taughtEach(search.remembered)}>
            learns from {taughtBy(search.remembered)}
          </span>
        )}
        {search.reason && <span className="soft cut">{search.reason}</span>}
      </div>
      {search.waits_for && (
        <p role="status" className="soft">
          {search.waits_for} The search goes on by itself as soon as it can write.
        </p>
      )}
      {(search.halted ?? refusal) && (
        <p role="alert" className="ember">
          {search.halted ? `The engine stopped: ${search.halted} Mend it and resume.` : refusal!.message}
        </p>
      )}
    </section>
  );
}

function Stepper({ count, onCount }: { count: number; onCount: (count: number) => void }) {
  return (
    <span className="row small close" role="group" aria-label="Workers of this search">
      <button
        className="plain-button key"
        aria-label="One worker less"
        disabled={count <= 1}
        onClick={() => onCount(count - 1)}
      >
        −
      </button>
      <span data-workers>
        {count} {count === 1 ? "worker" : "workers"}
      </span>
      <button className="plain-button key" aria-label="One worker more" onClick={() => onCount(count + 1)}>
        +
      </button>
    </span>
  );
}
