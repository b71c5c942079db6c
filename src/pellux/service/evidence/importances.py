"""Which settings mattered, over the space of a search: from its trials and those of the problem's other searches that lie in it."""

from __future__ import annotations

from pellux.core.errors import Conflict
from pellux.core.strategies import CONTINUING
from pellux.service.engine.engine import Engine
from pellux.service.evidence.kinds import MATTERS
from pellux.service.evidence.schemas import ImportancesView
from pellux.store.runs import SEARCH, get_search
from pellux.store.trials import count_scored

ENOUGH_MORE = 10  # a tenth more trials than last time are worth another look


def ask_importances(engine: Engine, search_id: int) -> ImportancesView:
    """Known already for about as many trials as there are now, or started."""
    with engine.workspace.database.read() as session:
        search = get_search(session, search_id)
        known = count_scored(session, search.problem_id, search.learner, but_strategies=CONTINUING)
    if search.kind != SEARCH:
        raise Conflict(f"A {search.kind} has no space of its own: ask for a search.")
    if search.strategy in CONTINUING:
        raise Conflict("A trial of population training goes on from others: its score is not that of its settings alone.")
    request = {"search": search_id, "known": known - known % max(known // ENOUGH_MORE, 1)}
    row = engine.analyst.wait(engine.analyst.ask(search.problem_id, MATTERS, request), 0)
    empty = {"trials": 0, "explained": 0.0, "singles": [], "pairs": []}
    return ImportancesView.model_validate({**empty, **(row.result or {}), "state": row.state, "message": row.message})
