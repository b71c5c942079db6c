"""Searches with real workers: their results, what people do to them, what goes wrong in them."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import pytest
from sqlalchemy import event, func, select

from pellux.core.errors import Conflict, InvalidPlan, NotFound
from pellux.core.judging import standard_error
from pellux.core.space import parse
from pellux.core.strategies import SeedStream, random_draws
from pellux.objectives.tabular.fitting import fit_fold
from pellux.objectives.tabular.fold_data import FoldData
from pellux.objectives.tabular.learners.catalogue import OURS
from pellux.objectives.tabular.preparation import steps_of
from pellux.service.decisions.candidates import FinalistsQuery
from pellux.service.decisions.finalists import finalists
from pellux.service.engine.engine import Engine
from pellux.service.planning import launching
from pellux.service.planning.requests import BriefRequest, SearchRequest, SettingsRequest
from pellux.service.problems import problems
from pellux.service.problems.datasets import open_table
from pellux.service.searches import searches, trials
from pellux.service.searches.schemas import PagedTrial, PageQuery
from pellux.store import runs
from pellux.store.models import Ledger
from tests.making import imported, mixed_columns
from tests.waiting import until

pytestmark = pytest.mark.slow
SPACE = "depth: 2 .. 9 int\nmin_leaf: 1 .. 40 int log\n"


def problem(engine: Engine, folder: Path, columns: dict[str, Any] | None = None, **brief: Any) -> int:
    table = imported(engine.workspace, folder, columns)
    request = {
        "data": table.hash,
        "target": "label",
        "metric": "average precision",
        "ignore": ["amount"],
        "seed": 4,
        "folds": 3,
        **brief,
    }
    return problems.create_problem(engine.workspace, BriefRequest.model_validate(request))


def launch(engine: Engine, problem_id: int, *, key: str = "tree", space: str | None = SPACE, **plan: Any) -> int:
    plan = {"strategy": "random", "trials": 6, "workers": 2, "seed": 9, **plan}
    return launching.launch(engine, problem_id, SearchRequest(learner=key, space=space, plan=SettingsRequest.model_validate(plan)))


def rows(engine: Engine, search_id: int) -> list[PagedTrial]:
    return trials.trial_page(engine.workspace, search_id, PageQuery(limit=1000)).trials


def test_a_search_scores_the_baseline_and_what_random_proposes(engine: Engine, tmp_path: Path) -> None:
    problem_id = problem(engine, tmp_path, folds=5)
    search_id = launch(engine, problem_id)
    assert engine.join(search_id, 60)
    view = searches.search_view(engine, search_id)
    assert (view.state, view.reason) == ("finished", "All 6 trials are done.")
    assert view.trials.scored == 7
    assert view.fits.run == 35

    space, found = parse(SPACE), rows(engine, search_id)
    assert found[0].configuration == OURS.learner("tree", "binary").defaults
    expected: list[dict[str, Any]] = []
    for number in range(1, 7):
        expected += random_draws.propose(space, [], expected, 1, SeedStream(9, number)).configurations
    assert [t.configuration for t in found[1:]] == expected

    brief = problems.stored_brief(engine.workspace, problem_id)
    data = FoldData(open_table(engine.workspace, brief.data), brief, np.load(engine.workspace.folds_file(problem_id)))
    for trial in found:
        scores = [
            fit_fold(
                data.prepared(f, steps_of(OURS.learner("tree"), {})), OURS.learner("tree"), trial.configuration, brief, lambda: 0.0
            ).score
            for f in range(5)
        ]
        assert trial.scores == scores
        assert trial.mean == pytest.approx(np.mean(scores), abs=1e-12)
        assert trial.standard_error == standard_error(scores)
    assert view.best is not None
    assert view.best.score == max(t.mean or 0 for t in found)
    assert problems.problem_view(engine.workspace, problem_id).frozen


def test_the_result_does_not_depend_on_the_number_of_workers(engine: Engine, tmp_path: Path) -> None:
    problem_id = problem(engine, tmp_path)
    found = []
    for workers in (1, 3):
        search_id = launch(engine, problem_id, workers=workers)
        assert engine.join(search_id, 60)
        found.append([(t.configuration, t.scores) for t in rows(engine, search_id) if t.origin == "proposed"])
    assert found[0] == found[1]
    assert not [t for t in rows(engine, search_id) if t.origin == "baseline"], "the baseline is scored once a problem"
    assert searches.search_view(engine, search_id).baseline is not None


def test_pause_resume_workers_withdraw_and_stop(engine: Engine, tmp_path: Path) -> None:
    problem_id = problem(engine, tmp_path)
    search_id = launch(engine, problem_id, key="forest", space="trees: 60 .. 150 int\n", trials=500, workers=1)
    workspace = engine.workspace
    until(lambda: any(t.state == "scored" for t in rows(engine, search_id)))

    searches.set_state(engine, search_id, "paused")
    until(lambda: searches.search_view(engine, search_id).state == "paused")
    until(lambda: not [f for f in trials.lanes(workspace, search_id).fits if f.state == "running"])
    done = searches.search_view(engine, search_id).fits.run
    searches.set_state(engine, search_id, "running")
    until(lambda: searches.search_view(engine, search_id).fits.run > done)

    searches.set_workers(engine, search_id, 3)
    until(lambda: {f.lane for f in trials.lanes(workspace, search_id).fits} == {0, 1, 2})

    live = until(lambda: next((t for t in rows(engine, search_id) if t.state == "running"), None))
    searches.withdraw(engine, live.id)
    until(lambda: trials.trial_detail(workspace, live.id).state == "withdrawn")
    with pytest.raises(Conflict, match="only a live trial"):
        searches.withdraw(engine, live.id)

    searches.set_state(engine, search_id, "stopped")
    assert engine.join(search_id, 20)
    assert searches.search_view(engine, search_id).state == "stopped"
    assert {t.state for t in rows(engine, search_id)} <= {"scored", "withdrawn"}
    with pytest.raises(Conflict, match="is stopped; it cannot become running"):
        searches.set_state(engine, search_id, "running")


def test_an_exception_and_a_nan_fail_their_trials_with_reason_and_log(engine: Engine, tmp_path: Path) -> None:
    columns = mixed_columns(60)
    columns["label"] = ["yes" if i in (3, 4) else "no" for i in range(60)]
    problem_id = problem(engine, tmp_path, columns, folds="6 shuffled", holdout=0)
    search_id = launch(engine, problem_id, key="logistic", space="C: 0.1 .. 10 log", trials=3)
    assert engine.join(search_id, 60)
    assert searches.search_view(engine, search_id).state == "failed"
    assert "Every trial failed" in searches.search_view(engine, search_id).reason
    for row in rows(engine, search_id):
        assert row.state == "failed"
        detail = trials.trial_detail(engine.workspace, row.id)
        wrong = next(f for f in detail.fits if f.state == "error")
        assert row.reason.endswith(wrong.reason)
        assert wrong.reason.startswith(("The metric average precision gave", "ValueError"))
        assert "Traceback" in wrong.log or "Is a class missing" in wrong.reason


def test_a_fit_over_its_time_is_told_apart(engine: Engine, tmp_path: Path) -> None:
    problem_id = problem(engine, tmp_path)
    plan = {"trials": 1, "fit seconds": 3, "workers": 1}  # a busy machine fits the usual forest in that, never the other
    search_id = launch(engine, problem_id, key="forest", space="trees: 90000 .. 100000 int", **plan)
    assert engine.join(search_id, 60)
    first, *others = rows(engine, search_id)
    assert first.state == "scored"
    assert [t.state for t in others] == ["failed"]
    assert "limit of 3 s" in others[0].reason
    states = [f.state for f in trials.trial_detail(engine.workspace, others[0].id).fits]
    assert states.count("too long") == 1
    assert set(states) == {"too long", "cut"}


def test_an_exhausted_space_ends_its_search(engine: Engine, tmp_path: Path) -> None:
    search_id = launch(engine, problem(engine, tmp_path), space="depth: 2 .. 4 int\nbalance: yes | no", trials=99)
    assert engine.join(search_id, 60)
    view = searches.search_view(engine, search_id)
    assert "exhausted" in view.reason
    assert view.trials.scored == 7


def test_all_searches_of_a_problem_are_one_table(engine: Engine, tmp_path: Path) -> None:
    workspace = engine.workspace
    problem_id = problem(engine, tmp_path, recorded=["accuracy", "log loss", "Cohen's kappa"])
    first = launch(engine, problem_id, trials=4)
    assert engine.join(first, 60)
    second = launch(engine, problem_id, key="logistic", space="C: 0.01 .. 10 log", trials=3)
    assert engine.join(second, 60)

    def page(**query: Any) -> list[PagedTrial]:
        return trials.problem_trial_page(workspace, problem_id, PageQuery(**query)).trials

    every = page(limit=1000)
    own = [*rows(engine, first), *rows(engine, second)]
    assert {t.id for t in every} >= {t.id for t in own}, "baselines beside them"
    assert {(t.search_id, t.search_number) for t in every if t.id in {o.id for o in own}} == {(first, 1), (second, 2)}
    assert {t.search_number for t in page(where="search = 2")} == {2}
    assert [t.configuration.get("C") for t in page(where="C > 0, state = scored", sort="C", limit=3)] == sorted(
        float(t.configuration["C"]) for t in every if "C" in t.configuration
    )[:3]
    # Recorded metrics are columns: what is told is the mean of the folds, and it sorts and filters.
    best = trials.trial_detail(workspace, max(every, key=lambda t: t.recorded["accuracy"]).id)
    by_fold = [fit.recorded["accuracy"] for fit in best.fits]
    top = page(sort="accuracy", descending=True)[0]
    assert top.recorded["accuracy"] == pytest.approx(sum(by_fold) / len(by_fold))
    bar = sorted(t.recorded["log loss"] for t in every)[2]
    assert {t.id for t in page(where=f"log loss <= {bar + 1e-9}")} == {t.id for t in every if t.recorded["log loss"] <= bar + 1e-9}
    with pytest.raises(InvalidPlan, match="Did you mean 'accuracy'"):
        page(where="acuracy > 0.5")
    # Names with signs in them, too.
    assert {t.id for t in page(where="Cohen's kappa > -2, log loss > 0")} == {t.id for t in every if t.recorded}


def test_pages_filters_points_and_exports_agree(engine: Engine, tmp_path: Path) -> None:
    workspace = engine.workspace
    search_id = launch(engine, problem(engine, tmp_path), trials=12)
    assert engine.join(search_id, 60)
    every = rows(engine, search_id)
    best_first = trials.trial_page(workspace, search_id, PageQuery(sort="score", descending=True, limit=5))
    assert best_first.total == 13
    assert [t.mean for t in best_first.trials] == sorted([t.mean or 0 for t in every], reverse=True)[:5]
    shallow = trials.trial_page(
        workspace, search_id, PageQuery(where="depth <= 5, state = scored, origin = proposed", sort="depth")
    )
    assert [t.configuration["depth"] for t in shallow.trials] == sorted(
        t.configuration["depth"] for t in every if t.origin == "proposed" and int(t.configuration["depth"]) <= 5
    )
    columns = trials.points(workspace, search_id)
    assert columns.values["depth"] == [t.configuration["depth"] for t in every]
    assert columns.means == [t.mean for t in every]

    csv_lines = b"".join(trials.export(workspace, search_id, "csv")).decode().splitlines()
    assert len(csv_lines) == 14
    assert csv_lines[0].startswith("search,trial,origin,state,reason,metric,larger_is_better,score,standard_error")
    assert b"".join(trials.export(workspace, search_id, "jsonl")).count(b"\n") == 13
    import io

    import pyarrow.parquet as pq

    table = pq.read_table(io.BytesIO(b"".join(trials.export(workspace, search_id, "parquet"))))
    assert table.column("set_depth").to_pylist() == [t.configuration["depth"] for t in every]
    assert str(table.schema.field("set_depth").type) == "int64"
    assert table.column("score").to_pylist() == [t.mean for t in every]


def test_every_change_is_in_the_ledger_once(engine: Engine, tmp_path: Path) -> None:
    search_id = launch(engine, problem(engine, tmp_path), trials=3)
    assert engine.join(search_id, 60)
    with engine.workspace.database.read() as session:
        kinds = dict(session.execute(select(Ledger.kind, func.count()).group_by(Ledger.kind)).all())
        payloads = list(session.scalars(select(Ledger.payload).where(Ledger.kind == "fit")))
    assert sum('"state":"done"' in p for p in payloads) == 12
    assert kinds["trial"] == 4 * 3  # waiting, running, scored


def test_remarks_stay_and_the_shortlist_is_a_finalist_whatever_its_rank(engine: Engine, tmp_path: Path) -> None:
    workspace = engine.workspace
    problem_id = problem(engine, tmp_path)
    search_id = launch(engine, problem_id, trials=9)
    assert engine.join(search_id, 60)
    worst = min(rows(engine, search_id), key=lambda t: t.mean or 0)
    trials.annotate(workspace, worst.id, shortlisted=True, note="looks calm", tags=["calm"])
    found = finalists(workspace, problem_id, FinalistsQuery(top=2))
    assert worst.id in [f.trial.id for f in found.finalists]
    kept = trials.trial_detail(workspace, worst.id)
    assert (kept.note, kept.tags) == ("looks calm", ["calm"])


def test_a_brief_freezes_with_its_first_search(engine: Engine, tmp_path: Path) -> None:
    workspace = engine.workspace
    problem_id = problem(engine, tmp_path)
    brief = problems.stored_brief(workspace, problem_id)
    changed = BriefRequest(data=brief.data, target="label", metric="log loss", ignore=["amount"], seed=5)
    problems.change_problem(workspace, problem_id, changed)
    assert problems.problem_view(workspace, problem_id).brief.metric == "log loss"
    search_id = launch(engine, problem_id, trials=1)
    assert engine.join(search_id, 60)
    with pytest.raises(Conflict, match="frozen"):
        problems.change_problem(workspace, problem_id, changed)
    again = problems.create_problem(workspace, changed, derived_from=problem_id)
    assert problems.problem_view(workspace, again).derived_from == problem_id


def test_what_is_not_there_is_said_so(engine: Engine) -> None:
    for ask in (searches.search_view, searches.list_searches):
        with pytest.raises(NotFound):
            ask(engine, 99)  # type: ignore[operator]
    with pytest.raises(NotFound):
        trials.trial_detail(engine.workspace, 99)
    with pytest.raises(NotFound):
        open_table(engine.workspace, "../../etc")


def test_a_list_of_searches_asks_as_much_as_one(engine: Engine, tmp_path: Path) -> None:
    problem_id = problem(engine, tmp_path)
    asked: list[str] = []
    event.listen(engine.workspace.database.engine, "before_cursor_execute", lambda *given: asked.append(given[2]))
    counts = []
    for number in range(1, 6):
        request = SearchRequest(learner="tree", space=SPACE, plan=SettingsRequest(trials=number, strategy="random"))
        search = launching.draft(engine.workspace, problem_id, request)
        with engine.workspace.database.write() as session:
            runs.put_search(session, search, state="finished")
        asked.clear()
        listed = searches.list_searches(engine, problem_id)
        counts.append(len(asked))
        assert [s.budget_trials for s in listed] == list(range(number, 0, -1))
    assert len(set(counts)) == 1, counts
