import { Link } from "react-router";
import type { Problem } from "../api/client";

/** What stands where a screen is about tables, of a problem that is about something else. */
export function OtherObjective({ problem, what }: { problem: Problem; what: string }) {
  const { judging } = problem;
  return (
    <div className="stage narrow col" data-objective={problem.objective}>
      <h1>{problem.name}</h1>
      <p className="soft">
        This problem is about {problem.objective}, not about a table: there {what}. It is judged by{" "}
        <b>{judging.metric_label}</b> on {judging.fits} {judging.fits === 1 ? "fold" : "folds"}.
      </p>
      <p>
        <Link to={`/p/${problem.id}/live`}>Watch its searches</Link>
      </p>
    </div>
  );
}
