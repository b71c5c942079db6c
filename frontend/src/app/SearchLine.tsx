import type { Search } from "../api/client";
import { score } from "../lib/format";
import { StateMark } from "../charts/StateMark";

/** A search in one line: number, state, learner, its best. */
export function SearchLine({ search }: { search: Search }) {
  const about = [
    search.kind === "search" ? search.learner : `${search.budget_trials} finalists`,
    search.best && `best ${score(search.best.score, search.best.standard_error)}`,
  ];
  return (
    <span className="row near">
      <StateMark state={search.state} />
      <span>{search.kind === "search" ? `Search ${search.number}` : `Re-judging ${search.number}`}</span>
      <span className="soft small">{about.filter(Boolean).join(" · ")}</span>
    </span>
  );
}
