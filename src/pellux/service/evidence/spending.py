"""What the searches of a problem made of their time, held to the same level."""

from __future__ import annotations

from statistics import median

from pellux.core.evidence.efficiency import Spent, best_so_far, efficiency
from pellux.core.strategies import labelled
from pellux.service.evidence.schemas import SpendingView, SpentView
from pellux.service.planning.resolving import Resolved
from pellux.service.workspace import Workspace
from pellux.store import runs, trials
from pellux.store.problems import get_problem

MOST_RISES = 400


def spending(workspace: Workspace, problem_id: int) -> SpendingView:
    """Of all searches of the problem that have trials, oldest first."""
    with workspace.database.read() as session:
        sign = workspace.objective(get_problem(session, problem_id)).judging.sign
        searches = runs.searches_of(session, problem_id, kinds=[runs.SEARCH])
        known = trials.spent(session, problem_id)
        usual = next((t.mean for t, _, _ in trials.baselines(session, problem_id)), None)
    scores = [score for rows in known.values() for _, score, *_ in rows if score is not None]
    best, middle = (max(scores), median(scores)) if scores else (None, None)
    found = []
    for search in searches:
        spent = [Spent(*row) for row in known.get(search.id, [])]
        if not spent:
            continue
        sums = efficiency(spent, best, middle)
        rises = [[float(a), float(b), c, sign * d] for a, b, c, d in best_so_far(spent)][-MOST_RISES:]
        found.append(
            SpentView(
                search_id=search.id, number=search.number, strategy=labelled(search.strategy),
                early_stopping=Resolved.from_json(search.stopping).key if search.stopping else "none", workers=search.workers,
                best=None if sums.best is None else sign * sums.best, trials=sums.trials, fits=sums.fits, seconds=sums.seconds,
                near_after=None if sums.near_after is None else [float(x) for x in sums.near_after], far_share=sums.far_share,
                blind_share=sums.blind_share, rises=rises,
            )
        )  # fmt: skip
    return SpendingView(baseline=usual, searches=sorted(found, key=lambda one: one.number))
