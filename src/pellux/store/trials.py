"""Trials: found, ranked, paged, annotated."""

from __future__ import annotations

import difflib
import re
from collections.abc import Collection, Mapping, Sequence
from typing import Any, NamedTuple, get_args

from sqlalchemy import ColumnElement, Float, Select, Text, and_, cast, func, insert, or_, select, true, type_coerce, update
from sqlalchemy.orm import Session

from pellux.core.errors import InvalidPlan, NotFound
from pellux.core.judging.limits import COSTS
from pellux.store import ledger, models
from pellux.store.records import NewTrial, Trial
from pellux.store.statements import every, first, of

T, S, F = models.Trial, models.Search, models.Fit
RANKED = ("search", "baselines")
SCORED, BASELINE = "scored", "baseline"
SORTS = {"number": T.number, "mean": T.mean, "score": T.rank_score, "standard_error": T.standard_error,
         "seconds": T.seconds, "state": T.state, "seen": T.seen, "origin": T.origin,
         "keeps": T.keeps,
         "search": select(S.number).where(S.id == T.search_id).scalar_subquery()}  # fmt: skip
HEADERS = {
    "trial": "number",
    "cost": "seconds",
    "sightline": "seen",
    "knew": "seen",
    "error": "standard_error",
}  # as the table calls them
COMPARISON = re.compile(r"\s*([^\s<>=!][^<>=!]*?)\s*(<=|>=|!=|=|<|>)\s*(.+?)\s*\Z")  # "top-2 accuracy > 0.5" names a metric, too
BEST_FIRST = (T.rank_score.desc(), T.id)
USABLE = (T.state == SCORED, T.rank_score.is_not(None))  # a trial that breaks a limit of its search has a mean, but no rank


def add_trials(session: Session, search_id: int, at: float, trials: Sequence[NewTrial]) -> None:
    """Trials that are known when their run is made: they wait."""
    rows: list[dict[str, Any]] = [
        {
            "search_id": search_id, "number": t.number, "origin": t.origin, "state": "due", "configuration": dict(t.configuration),
            "scores": [], "created_at": at, "learner": t.learner, "source_id": t.source_id,
        }
        for t in trials
    ]  # fmt: skip
    if rows:
        session.execute(insert(T), rows)


def get_trial(session: Session, trial_id: int) -> Trial:
    found = first(session, Trial, of(Trial).where(T.id == trial_id))
    if found is None:
        raise NotFound(f"There is no trial with the id {trial_id}.")
    return found


def trial_of(session: Session, search_id: int, number: int) -> Trial:
    found = first(session, Trial, of(Trial).where(T.search_id == search_id, T.number == number))
    if found is None:
        raise NotFound(f"Search {search_id} has no trial {number}.")
    return found


def by_ids(session: Session, ids: Collection[int]) -> dict[int, Trial]:
    return {t.id: t for t in every(session, Trial, of(Trial).where(T.id.in_(ids)).order_by(T.id))}


def trials_of(session: Session, search_id: int) -> list[Trial]:
    """All of a search, by number."""
    return every(session, Trial, of(Trial).where(T.search_id == search_id).order_by(T.number))


def ids_of(session: Session, search_id: int, numbers: Sequence[int]) -> dict[int, int]:
    """The ids of a search's trials by their numbers."""
    rows = session.execute(select(T.number, T.id).where(T.search_id == search_id, T.number.in_(numbers)))
    return dict(rows.all())


# Rankings


def _ranked(problem_id: int, *parts: Any) -> Select[Any]:
    """Trials of a problem's searches and baselines: those of a re-judging have other folds and are never ranked."""
    return of(Trial).join(S, S.id == T.search_id).where(S.problem_id == problem_id, S.kind.in_(RANKED), *parts)


def best_of_problem(session: Session, problem_id: int) -> Trial | None:
    """Of the best of each search, each found by its index, the best."""
    own = select(T.id).where(T.search_id == S.id, *USABLE).order_by(*BEST_FIRST).limit(1).correlate(S).scalar_subquery()
    each = select(own).select_from(S).where(S.problem_id == problem_id, S.kind.in_(RANKED))
    return first(session, Trial, of(Trial).where(T.id.in_(each)).order_by(*BEST_FIRST))


def best_of_search(session: Session, search_id: int) -> Trial | None:
    return first(session, Trial, of(Trial).where(T.search_id == search_id, *USABLE).order_by(*BEST_FIRST))


def scored_best_first(session: Session, problem_id: int, most: int, search_id: int | None = None) -> list[Trial]:
    """The best scored trials of a problem, or of one of its searches, of those that keep their limits."""
    wanted = _ranked(problem_id, *USABLE)
    if search_id is not None:
        wanted = wanted.where(S.id == search_id)
    return every(session, Trial, wanted.order_by(*BEST_FIRST).limit(most))


def shortlisted(session: Session, problem_id: int, search_id: int | None = None) -> list[Trial]:
    wanted = _ranked(problem_id, T.state == SCORED, T.mean.is_not(None), T.shortlisted)
    if search_id is not None:
        wanted = wanted.where(S.id == search_id)
    return every(session, Trial, wanted)


def baselines(session: Session, problem_id: int, *, scored: bool = True) -> list[tuple[Trial, int, str]]:
    """Baselines with their search's number and learner, best first; those without a score last."""
    states = [SCORED] if scored else get_args(ledger.TrialStateName)  # all there are, so that the index of tallies serves
    parts = [T.origin == BASELINE, T.state.in_(states)]
    wanted = _ranked(problem_id, *parts).add_columns(S.number, S.learner).order_by(T.rank_score.desc().nulls_last(), T.id)
    return [(Trial(*row[:-2]), row[-2], row[-1]) for row in session.execute(wanted)]


def count_ranked(session: Session, problem_id: int) -> int:
    """Trials of a problem's searches, baselines left out."""
    wanted = select(func.count(T.id)).join(S, S.id == T.search_id)
    return session.scalar(wanted.where(S.problem_id == problem_id, S.kind.in_(RANKED), T.origin != BASELINE)) or 0


def scored_ids(session: Session, problem_id: int, most: int) -> list[int]:
    """Ids of the best scored trials of a problem."""
    wanted = select(T.id).join(S, S.id == T.search_id).where(S.problem_id == problem_id, S.kind.in_(RANKED), *USABLE)
    return list(session.scalars(wanted.order_by(*BEST_FIRST).limit(most)))


def risers(session: Session, problem_id: int) -> tuple[int, list[tuple[int, float]]]:
    """How many trials of a problem are scored; and those that were the best when they ended: (place from 0, mean).

    All baselines together are where it begins: they count as one, at the place 0, whenever they ended.
    """
    order = (T.origin != BASELINE, T.ended_at, T.id)
    before = func.max(T.rank_score).over(order_by=order, rows=(None, -1)).label("before")
    place = (func.row_number().over(order_by=order) - 1).label("place")
    of_problem = (S.problem_id == problem_id, S.kind.in_(RANKED), T.state == SCORED)
    placed = select(place, T.mean, T.rank_score, before).join(S, S.id == T.search_id).where(*of_problem).subquery()
    rose = select(placed.c.place, placed.c.mean).where(
        placed.c.rank_score.is_not(None), or_(placed.c.before.is_(None), placed.c.rank_score > placed.c.before)
    )
    counted = select(func.count(), func.count().filter(T.origin == BASELINE)).join(S, S.id == T.search_id)
    count, begun = session.execute(counted.where(*of_problem)).one()
    more = max(begun - 1, 0)
    return count - more, [(max(int(at) - more, 0), mean) for at, mean in session.execute(rose.order_by(placed.c.place))]


def scores_in_order(session: Session, problem_id: int) -> list[tuple[float, float]]:
    """(score turned so that larger is better, mean) of all scored trials of a problem that keep their limits, as they ended."""
    wanted = select(T.rank_score, T.mean).join(S, S.id == T.search_id)
    wanted = wanted.where(S.problem_id == problem_id, S.kind.in_(RANKED), *USABLE)
    return [(rank or 0.0, mean or 0.0) for rank, mean in session.execute(wanted.order_by(T.ended_at, T.id))]


# What strategies and forecasts know


def ended_in_searches(
    session: Session,
    problem_id: int,
    *,
    but_strategies: Sequence[str],
    before: int | None = None,
    numbers: Sequence[int] | None = None,
) -> list[tuple[Trial, str]]:
    """Scored and failed trials with their search's learner, oldest first; of searches made before one, or of these numbers."""
    wanted = _ranked(problem_id, T.state.in_((SCORED, "failed")), S.strategy.not_in(but_strategies))
    if before is not None:
        wanted = wanted.where(S.id < before)
    if numbers is not None:
        wanted = wanted.where(S.number.in_(numbers))
    rows = session.execute(wanted.add_columns(S.learner).order_by(T.id))
    return [(Trial(*row[:-1]), row[-1]) for row in rows]


MOST_REMEMBERED = 2_000  # trials of a problem that another may learn from: the newest


def scored_by_problem(session: Session) -> list[tuple[int, str]]:
    """(problem, learner of the search) of everything that has trials in full."""
    wanted = select(S.problem_id, S.learner).where(
        S.kind.in_(RANKED), select(T.id).where(T.search_id == S.id, T.state == SCORED).exists()
    )
    return [(problem_id, learner) for problem_id, learner in session.execute(wanted.distinct())]


class Scored(NamedTuple):
    """A trial in full, as far as another problem may learn from it; `measured` has what was kept of it beside the score."""

    id: int
    learner: str
    configuration: dict[str, Any]
    mean: float
    measured: dict[str, float]


def scored_configurations(session: Session, problem_id: int, *, but_strategies: Sequence[str]) -> list[Scored]:
    """A problem's trials in full, oldest first; of very many the newest."""
    wanted = select(T.id, T.learner, S.learner, T.configuration, T.mean, T.measured).join(S, S.id == T.search_id)
    wanted = wanted.where(S.problem_id == problem_id, S.kind.in_(RANKED), S.strategy.not_in(but_strategies))
    rows = session.execute(wanted.where(T.state == SCORED, T.mean.is_not(None)).order_by(T.id.desc()).limit(MOST_REMEMBERED)).all()
    return [Scored(at, own or learner, settings, mean, more or {}) for at, own, learner, settings, mean, more in reversed(rows)]


def count_scored(session: Session, problem_id: int, learner: str, *, but_strategies: Sequence[str]) -> int:
    wanted = select(func.count(T.id)).join(S, S.id == T.search_id)
    wanted = wanted.where(S.problem_id == problem_id, S.kind.in_(RANKED), S.learner == learner, T.state == SCORED)
    return session.scalar(wanted.where(S.strategy.not_in(but_strategies))) or 0


def count_ended(session: Session, problem_id: int) -> int:
    """Trials of a problem's searches that ended in any way."""
    wanted = select(func.count(T.id)).join(S, S.id == T.search_id)
    return session.scalar(wanted.where(S.problem_id == problem_id, S.kind.in_(RANKED), T.ended_at.is_not(None))) or 0


def ended_of_run(session: Session, search_id: int) -> list[tuple[float, float | None, float]]:
    """(when it ended, score turned so that larger is better or None, seconds of its fits) of a run's trials, as they ended."""
    wanted = select(T.ended_at, T.rank_score, T.state, T.seconds).where(T.search_id == search_id, T.ended_at.is_not(None))
    rows = session.execute(wanted.order_by(T.ended_at, T.id))
    return [(at or 0.0, score if state == SCORED else None, seconds) for at, score, state, seconds in rows]


Spent = tuple[
    int, float | None, float, int, int, int
]  # number, score turned so that larger is better, seconds, fits, seen, pending


def spent(session: Session, problem_id: int) -> dict[int, list[Spent]]:
    """By search, its trials in the order in which they ended, baselines left out: what each took and came to."""
    done = (
        select(F.search_id, F.trial, func.count().label("fits")).where(F.state == "done").group_by(F.search_id, F.trial).subquery()
    )
    wanted = select(T.search_id, T.number, T.rank_score, T.state, T.seconds, func.coalesce(done.c.fits, 0), T.seen, T.pending)
    wanted = wanted.join(S, S.id == T.search_id)
    wanted = wanted.outerjoin(done, and_(done.c.search_id == T.search_id, done.c.trial == T.number))
    wanted = wanted.where(S.problem_id == problem_id, S.kind == RANKED[0], T.origin != BASELINE, T.ended_at.is_not(None))
    found: dict[int, list[Spent]] = {}
    for search, number, score, state, seconds, fits, seen, pending in session.execute(wanted.order_by(T.ended_at, T.id)):
        found.setdefault(search, []).append((number, score if state == SCORED else None, seconds, fits, seen, pending))
    return found


def costs_known(
    session: Session, problem_id: int, learner: str, most: int, *, but_strategies: Sequence[str]
) -> list[tuple[dict[str, Any], float]]:
    """(configuration, seconds of all its fits) of scored trials, newest first."""
    wanted = select(T.configuration, T.seconds).join(S, S.id == T.search_id)
    wanted = wanted.where(S.problem_id == problem_id, S.kind.in_(RANKED), S.learner == learner, T.state == SCORED)
    rows = session.execute(wanted.where(S.strategy.not_in(but_strategies)).order_by(T.id.desc()).limit(most))
    return [(configuration, seconds) for configuration, seconds in rows]


def costs_of_search(session: Session, search_id: int, most: int) -> list[tuple[dict[str, Any], float]]:
    """(configuration, seconds) of a search's newest ended trials that took time, oldest first."""
    wanted = select(T.configuration, T.seconds).where(T.search_id == search_id, T.ended_at.is_not(None), T.seconds > 0)
    return [(configuration, seconds) for configuration, seconds in session.execute(wanted.order_by(T.number.desc()).limit(most))][
        ::-1
    ]


# What early stopping saved


def ended_early_unchecked(session: Session, search_id: int) -> list[Trial]:
    """Pruned trials of a search that no safety check has run yet, by number."""
    checked = select(T.source_id).join(S, S.id == T.search_id).where(S.kind == "safety check", T.source_id.is_not(None))
    wanted = of(Trial).where(T.search_id == search_id, T.state == "ended early", T.id.not_in(checked))
    return every(session, Trial, wanted.order_by(T.number))


def checks_of(session: Session, search_id: int) -> tuple[list[Trial], dict[int, Trial], int]:
    """Re-runs of a search's pruned trials, those trials by id, and how many pruned ones there are."""
    source = select(T.id).where(T.search_id == search_id, T.state == "ended early")
    wanted = of(Trial).join(S, S.id == T.search_id).where(S.kind == "safety check", T.source_id.in_(source))
    found = every(session, Trial, wanted.order_by(T.id))
    total = session.scalar(select(func.count()).select_from(source.subquery())) or 0
    return found, by_ids(session, [c.source_id or 0 for c in found]), total


def rejudged_scores(session: Session, problem_id: int) -> list[tuple[int, list[float], int]]:
    """(id of the trial judged again, its scores on fresh folds, the re-judging), oldest first."""
    wanted = select(T.source_id, T.scores, S.id).join(S, S.id == T.search_id)
    wanted = wanted.where(S.problem_id == problem_id, S.kind == "re-judge", T.state == SCORED)
    return [tuple(row) for row in session.execute(wanted.order_by(S.id))]


# Lists and charts


def page(
    session: Session,
    searches: Sequence[int],
    *,
    offset: int,
    limit: int,
    sort: str,
    descending: bool,
    where: str,
    searched: Collection[str],
    metric: str,
    recorded: Collection[str] = (),
    among: Sequence[int] = (),
) -> tuple[list[Trial], int]:
    """A page of the trials of some searches, and how many there are in all. `where` is comparisons parted by commas; `searched` are
    the parameters of the spaces, `metric` is what the scores are of, `recorded` are the metrics beside it; `among` are ids."""
    names = _Names(session, searches, searched, metric, recorded)
    chosen = [T.search_id.in_(searches), *([T.id.in_(among)] if among else []), *_conditions(where, names)]
    total = session.scalar(select(func.count(T.id)).where(*chosen)) or 0
    key = names.column(sort, at="sort")
    order = (key.desc() if descending else key.asc()).nulls_last()
    wanted = of(Trial).where(*chosen).order_by(order, T.search_id, T.number).offset(offset).limit(limit)
    return every(session, Trial, wanted), total


def of_problem(session: Session, problem_id: int) -> dict[int, int]:
    """The searches whose trials can be told side by side (baselines are one of them), and their numbers, by id."""
    rows = session.execute(select(S.id, S.number).where(S.problem_id == problem_id, S.kind.in_(RANKED)).order_by(S.id))
    return dict(rows.all())


class _Names:
    """What a name in a filter stands for: a column, a setting that any trial has, also one by hand that steps out of the space, a
    recorded metric, or a column by its header or by the metric."""

    def __init__(
        self, session: Session, searches: Sequence[int], searched: Collection[str], metric: str, recorded: Collection[str]
    ) -> None:
        self._session, self._of = session, T.search_id.in_(searches)
        self._searched, self._metric, self._recorded = searched, metric, recorded

    def column(self, name: str, *, at: str) -> Any:
        if name in SORTS:
            return SORTS[name]
        if re.fullmatch(r"[A-Za-z_]\w*", name):
            setting = func.json_extract(T.configuration, f"$.{name}")
            if (
                name in self._searched
                or self._session.scalar(select(T.id).where(self._of, setting.is_not(None)).limit(1)) is not None
            ):
                return setting
        if name == self._metric or name.lower() in HEADERS:
            return SORTS[HEADERS.get(name.lower(), "mean")]
        if name in self._recorded:
            return _recorded(name)
        if name in COSTS:
            return func.json_extract(T.measured, f'$."{name}"')
        known = [*SORTS, *HEADERS, *dict.fromkeys([*self._searched, *self._settings(), *self._recorded, *COSTS])]
        near = difflib.get_close_matches(name, known, 1)
        hint = f" Did you mean '{near[0]}'?" if near else f" There are: {', '.join(known)}."
        raise InvalidPlan(f"'{name}' is not a column of the table.{hint}", at=at)

    def _settings(self) -> list[str]:
        each = func.json_each(T.configuration).table_valued("key")
        return list(self._session.scalars(select(each.c.key).select_from(T).join(each, true()).where(self._of).distinct()))


def _recorded(metric: str) -> Any:
    """The mean over a trial's folds of a metric beside the one that decides, at the rung that it came to."""
    ours = (F.search_id == T.search_id, F.trial == T.number, F.rung == T.rung, F.state == "done")
    score = func.json_extract(F.recorded, f'$."{metric}"')
    return select(func.avg(score)).where(*ours).correlate(T).scalar_subquery()


def recorded_of(session: Session, found: Sequence[Trial]) -> dict[tuple[int, int], dict[str, float]]:
    """By search and number, the means over folds of what was recorded beside the deciding metric."""
    wanted = select(F.search_id, F.trial, F.recorded).join(T, and_(T.search_id == F.search_id, T.number == F.trial))
    wanted = wanted.where(T.id.in_([t.id for t in found]), F.state == "done", F.rung == T.rung)
    lists: dict[tuple[int, int], dict[str, list[float]]] = {}
    for search, number, scores in session.execute(wanted):
        for metric, score in scores.items():
            lists.setdefault((search, number), {}).setdefault(metric, []).append(score)
    return {key: {metric: sum(each) / len(each) for metric, each in of.items()} for key, of in lists.items()}


def _conditions(where: str, names: _Names) -> list[ColumnElement[bool]]:
    found = []
    for part in filter(None, (piece.strip() for piece in where.split(","))):
        match = COMPARISON.match(part)
        if match is None:
            raise InvalidPlan(f"'{part}' is not a comparison such as rate < 0.1 or state = scored.", at="where")
        name, sign, text = match.groups()
        found.append(_compare(names.column(name, at="where"), sign, text))
    return [and_(*found)] if found else []


def _compare(column: ColumnElement[Any], sign: str, text: str) -> ColumnElement[bool]:
    value: Any = {"yes": 1, "no": 0}.get(text, text.strip("\"'"))
    try:
        value = float(value)
        column = cast(column, Float)
    except ValueError:
        pass
    operators = {"<": "__lt__", "<=": "__le__", ">": "__gt__", ">=": "__ge__", "=": "__eq__", "!=": "__ne__"}
    return getattr(column, operators[sign])(value)  # type: ignore[no-any-return]


def points(session: Session, search_id: int) -> list[tuple[Any, ...]]:
    """Of every ended trial (number, id, state, origin, mean, standard error, seconds, ended at, keeps its limits, configuration as JSON text)."""
    wanted = select(
        T.number,
        T.id,
        T.state,
        T.origin,
        T.mean,
        T.standard_error,
        T.seconds,
        T.ended_at,
        T.keeps,
        type_coerce(T.configuration, Text),
    )
    rows = session.execute(wanted.where(T.search_id == search_id, T.ended_at.is_not(None)).order_by(T.number))
    return [tuple(row) for row in rows]


def measured(session: Session, search_id: int) -> list[tuple[Any, ...]]:
    """Of every scored trial of a search (id, number, origin, mean, measured, keeps its limits), in the order in which they ended."""
    wanted = select(T.id, T.number, T.origin, T.mean, T.measured, T.keeps)
    rows = session.execute(wanted.where(T.search_id == search_id, T.state == SCORED).order_by(T.ended_at, T.id))
    return [tuple(row) for row in rows]


def newest_scores(session: Session, search_id: int, most: int) -> list[list[float | None]]:
    """Fold scores of the newest scored trials of a search."""
    wanted = select(T.scores).where(T.search_id == search_id, T.state == SCORED).order_by(T.number.desc()).limit(most)
    return list(session.scalars(wanted))


def newest(session: Session, search_id: int, most: int) -> list[Trial]:
    """The newest trials of a search, by number."""
    return every(session, Trial, of(Trial).where(T.search_id == search_id).order_by(T.number.desc()).limit(most))[::-1]


# What people write to them


def annotate(session: Session, trial_id: int, problem_id: int, at: float, changes: Mapping[str, Any]) -> None:
    """Change note, tags or place on the shortlist."""
    if changes:
        session.execute(update(T).where(T.id == trial_id).values(**changes))
        ledger.append(session, [ledger.New(at, None, "remarks", {"problem_id": problem_id, "trial_id": trial_id})])


def shortlist(session: Session, problem_id: int, at: float, chosen: Collection[int] | None) -> int:
    """Put trials on a problem's shortlist, or empty it with None; returns how many stand on it then."""
    ours = select(T.id).join(S, S.id == T.search_id).where(S.problem_id == problem_id, S.kind.in_(RANKED))
    wanted = T.id.in_(ours) if chosen is None else T.id.in_(ours) & T.id.in_(list(chosen))
    session.execute(update(T).where(wanted).values(shortlisted=chosen is not None))
    ledger.append(session, [ledger.New(at, None, "remarks", {"problem_id": problem_id, "trial_id": None})])
    return session.scalar(select(func.count()).select_from(T).where(T.id.in_(ours), T.shortlisted)) or 0
