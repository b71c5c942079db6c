"""What is known in the space of a search, as evidence takes it: its own trials, those of other searches that lie in it, results from elsewhere."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from statistics import median

from pellux.core.evidence.findings import Tried
from pellux.core.objective import Objective
from pellux.core.space import Configuration, Space, identity, parse
from pellux.core.strategies import CONTINUING, STRATEGIES, Partial
from pellux.core.strategies.partial import history
from pellux.service.evidence.gathered import GAINS, SCORES, Gathered
from pellux.service.planning.prior_knowledge import observations
from pellux.service.planning.requests import SettingsRequest
from pellux.service.planning.resolving import Resolved
from pellux.service.workspace import Workspace
from pellux.store.database import Session
from pellux.store.problems import get_problem
from pellux.store.records import Search, Trial
from pellux.store.runs import get_search, searches_of
from pellux.store.trials import ended_in_searches, trials_of

ENDED = ("scored", "failed", "ended early")


def gather(workspace: Workspace, search_id: int) -> Gathered:
    """Of a search; what other searches and files know of its space counts as well."""
    with workspace.database.read() as session:
        search = get_search(session, search_id)
        objective = workspace.objective(get_problem(session, search.problem_id))
        return _gathered(session, search, objective)


def _gathered(session: Session, search: Search, objective: Objective) -> Gathered:
    judging, space, chosen = objective.judging, parse(search.space), objective.configurable(search.learner)
    continuing = search.strategy in CONTINUING
    mine = [t for t in trials_of(session, search.id) if t.state in ENDED]
    turn = _Turned(space, chosen.defaults, judging.sign)
    own = _gains(turn, mine) if continuing else _own(turn, search, mine, judging.fits)
    rungs = () if continuing else _rungs(turn, mine)
    elsewhere = [] if continuing else list(_elsewhere(session, search, objective, turn))
    others = (
        [] if continuing else list(_others(session, search, objective, turn, elsewhere, {identity(t.configuration) for t in own}))
    )
    numbers = {s.id: s.number for s in searches_of(session, search.problem_id)}
    names = {t.id: f"trial {t.number}" for t in mine} | {
        t.id: f"trial {t.number} of search {numbers[t.search_id]}" for t, _ in elsewhere
    }
    begin = space.placed(chosen.defaults, chosen.defaults) or space.completed({})
    known = [] if continuing else [*elsewhere, *((t, place) for t in mine if (place := turn.placed(t)) is not None)]
    measured = {
        identity(place): (t.mean, t.standard_error, t.id) for t, place in known if t.state == "scored" and t.mean is not None
    }
    whole = [tuple(judging.sign * s for s in t.scores if s is not None) for t in mine if t.state == "scored" and not continuing]
    stopping = Resolved.from_json(search.stopping) if search.stopping else None
    return Gathered(
        search.space, judging.sign, search.id, GAINS if continuing else SCORES, (*own, *others),
        tuple(scores for scores in whole if len(scores) == judging.fits), 1 / (judging.folds - 1) if judging.folds > 1 else 0.0,
        rungs, names, begin, measured, chosen.ends(), search.workers, search.strategy in STRATEGIES and STRATEGIES[search.strategy].learns,
        stopping is not None and stopping.key != "none",
    )  # fmt: skip


@dataclass(frozen=True)
class _Turned:
    """Reads trials as the space and the metric's direction have them."""

    space: Space
    defaults: Configuration
    sign: int

    def placed(self, trial: Trial) -> Configuration | None:
        """A baseline, like a trial by hand, may lie outside."""
        return self.space.placed(trial.configuration, self.defaults)

    def scores(self, scores: Sequence[float | None]) -> tuple[float | None, ...]:
        return tuple(None if score is None else self.sign * score for score in scores)


def _own(turn: _Turned, search: Search, mine: Sequence[Trial], folds: int) -> list[Tried]:
    """The search's trials; one that ended early counts with the score it would have had, as strategies take it."""
    placed = [(t, place) for t in mine if (place := turn.placed(t)) is not None]
    ladder = Resolved.from_json(search.stopping).ladder if search.stopping else None
    partial = [
        Partial(
            place, {int(rung): turn.scores(scores) for rung, scores in t.results.items()}, t.seconds, t.state, t.number, t.rung, t.cohort,
            turn.scores(t.scores),
        )
        for t, place in placed
    ]  # fmt: skip
    seen = history(turn.space, partial, folds, ladder.resource if ladder else "", ladder.top if ladder else 0)
    return [
        Tried(
            t.id, place, one.mean, turn.scores(t.scores) if t.state == "scored" else (), t.seconds, t.state == "failed",
            t.seen, t.pending if t.origin != "baseline" else 0,
        )
        for (t, place), one in zip(placed, seen, strict=True)
    ]  # fmt: skip


def _elsewhere(session: Session, search: Search, objective: Objective, turn: _Turned) -> Iterator[tuple[Trial, Configuration]]:
    """Trials of the problem's other searches that mean something here and lie in the space, whatever their learner is called there."""
    for trial, key in ended_in_searches(session, search.problem_id, but_strategies=CONTINUING):
        if trial.search_id != search.id:
            moved = objective.translated(search.learner, trial.learner or key, trial.configuration)
            here = None if moved is None else turn.space.placed(moved, turn.defaults)
            if here is not None:
                yield trial, here


def _others(
    session: Session, search: Search, objective: Objective, turn: _Turned, elsewhere: Sequence[tuple[Trial, Configuration]], known: set[str]
) -> Iterator[Tried]:  # fmt: skip
    """What is known from other searches and from files, as a warm start would take it."""
    everything, ids = SettingsRequest(warm_start="all"), {identity(place): trial.id for trial, place in elsewhere}
    for k, found in enumerate(observations(session, objective, search.problem_id, search.learner, turn.space, everything), 1):
        if found.identity not in known:
            name = ids.get(found.identity, -k)  # what comes from a file has no trial
            yield Tried(name, found.configuration, found.mean, found.scores, found.seconds, found.state == "failed", own=False)


def _rungs(turn: _Turned, mine: Sequence[Trial]) -> tuple[tuple[int, tuple[float, ...], tuple[float, ...]], ...]:
    """For each rung below the highest: scores there, and of the same trials at the highest."""
    means = [
        {int(rung): sum(s for s in scores if s is not None) / len(scores) for rung, scores in t.results.items() if scores and None not in scores}
        for t in mine
    ]  # fmt: skip
    top = max((rung for row in means for rung in row), default=0)
    found = []
    for rung in range(top):
        both = [(turn.sign * row[rung], turn.sign * row[top]) for row in means if rung in row and top in row]
        if len(both) >= 5:
            found.append((rung, tuple(a for a, _ in both), tuple(b for _, b in both)))
    return tuple(found)


def _gains(turn: _Turned, mine: Sequence[Trial]) -> list[Tried]:
    """Of trials that go on from each other: what each gained in its interval, against the others in the same interval.

    Its score is its whole line's; the gain is its own settings' doing.
    """
    by_number = {t.number: t for t in mine}
    gained: list[tuple[Trial, Configuration, float]] = []
    for t in mine:
        place = turn.placed(t)
        parent = by_number.get(t.parent) if t.parent is not None else None
        if place is None or t.mean is None or (t.parent is not None and (parent is None or parent.mean is None)):
            continue
        gained.append((t, place, turn.sign * (t.mean - (parent.mean if parent is not None and parent.mean is not None else 0.0))))
    usual = {rung: median(g for t, _, g in gained if t.rung == rung) for rung in {t.rung for t, _, _ in gained}}
    return [Tried(t.id, place, gain - usual[t.rung], (), t.seconds) for t, place, gain in gained]
