import Button from "@mui/material/Button";
import { useQueries } from "@tanstack/react-query";
import type { ReactNode } from "react";
import { Link, useNavigate } from "react-router";
import type { Problem, Search } from "../../api/client";
import { useDecisions } from "../../api/decisions";
import { searchesQuery } from "../../api/searches";
import { StateMark } from "../../charts/StateMark";
import { count, day, duration, plural, score, withError } from "../../lib/format";

const KEPT = 3; // decisions that are shown

/** What lies on the desk: what runs and how long still, what waits for a decision, what was decided last. */
export function Desk({ problems }: { problems: Problem[] }) {
  const running = useRunning(problems);
  const ripe = problems.filter((p) => p.best && !p.decided && p.searches > 0 && p.running === 0);
  const decided = (useDecisions(null).data ?? [])
    .filter((d) => d.superseded_by === null)
    .sort((a, b) => b.created_at - a.created_at)
    .slice(0, KEPT);
  if (running.length + ripe.length + decided.length === 0) return null;
  return (
    <div className="desk" data-desk>
      <Pile
        title="To decide"
        none="Nothing waits for a decision."
        items={ripe.map((p) => (
          <Ripe key={p.id} problem={p} />
        ))}
      />
      <Pile
        title="Running"
        none="No search runs."
        items={running.map(({ problem, search }) => (
          <Run key={search.id} problem={problem} search={search} />
        ))}
      />
      <Pile
        title="Decided last"
        none="Nothing was decided yet."
        items={decided.map((d) => (
          <li key={d.id} className="col closer" data-decided-problem={d.problem_id}>
            <Link to={`/p/${d.problem_id}/decision`} className="cut strong inherits" title={d.problem_name}>
              {d.problem_name}
            </Link>
            <span className="small soft">
              {d.trial_name}, {d.learner} · {withError(d.mean, d.standard_error)} · {d.signer ? `${d.signer}, ` : ""}
              {day(d.created_at)}
            </span>
          </li>
        ))}
      />
    </div>
  );
}

function Pile({ title, none, items }: { title: string; none: string; items: ReactNode[] }) {
  return (
    <section className="sheet col padded near">
      <h2>{title}</h2>
      {items.length ? <ul className="unmarked flush col near">{items}</ul> : <p className="small soft">{none}</p>}
    </section>
  );
}

function Ripe({ problem }: { problem: Problem }) {
  const navigate = useNavigate();
  const { best, baseline } = problem;
  return (
    <li className="row" data-ripe={problem.id}>
      <span className="col closer grow">
        <span className="cut strong" title={problem.name}>
          {problem.name}
        </span>
        <span className="small soft">
          {score(best!.score, best!.standard_error)}
          {baseline && ` against ${score(baseline.score, baseline.standard_error)} of the baseline`} ·{" "}
          {plural(problem.trials, "trial")}
        </span>
      </span>
      <Button variant="contained" className="still" onClick={() => void navigate(`/p/${problem.id}/decision`)}>
        Decide
      </Button>
    </li>
  );
}

function Run({ problem, search }: { problem: Problem; search: Search }) {
  const share = Math.min(search.budgeted / Math.max(search.budget_trials, 1), 1);
  return (
    <li className="col closer" data-run={search.id}>
      <span className="row close">
        <StateMark state={search.state} />
        <Link
          to={`/p/${problem.id}/live?search=${search.id}`}
          className="cut strong inherits grow"
          title={problem.name}
        >
          {problem.name}
        </Link>
        <span className="small one-line">
          {search.seconds_left === null ? search.state : `${duration(search.seconds_left)} left`}
        </span>
      </span>
      <span className="gauge" aria-hidden>
        <span style={{ width: `${100 * share}%` }} />
      </span>
      <span className="small soft">
        search {search.number} · {count(search.budgeted)}/{count(search.budget_trials)} trials
        {search.best && ` · best ${withError(search.best.score, search.best.standard_error)}`}
      </span>
    </li>
  );
}

/** The searches under way of all problems, the one that ends first at the top. */
function useRunning(problems: Problem[]): { problem: Problem; search: Search }[] {
  const busy = problems.filter((p) => p.running > 0);
  const lists = useQueries({ queries: busy.map((p) => searchesQuery(p.id)) });
  return busy
    .flatMap((problem, i) =>
      (lists[i]!.data ?? []).filter((s) => s.state === "running").map((search) => ({ problem, search })),
    )
    .sort((a, b) => (a.search.seconds_left ?? Infinity) - (b.search.seconds_left ?? Infinity));
}
