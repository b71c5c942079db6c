"""Before and beside the proposals: forecasts, rehearsals, warm starts, past results, starts, trials by hand, budgets, repeats."""

from __future__ import annotations

import os
import signal
from pathlib import Path
from typing import Any

import pytest

from pellux.core.errors import Conflict, InvalidData, InvalidPlan, InvalidSpace, PelluxError
from pellux.core.space import parse
from pellux.engine.proposer import StrategyProposer
from pellux.service.engine.engine import Engine
from pellux.service.planning import launching
from pellux.service.planning.forecasts import forecast
from pellux.service.planning.prior_knowledge import PastResultsRequest, keep_past_results, observations
from pellux.service.planning.rehearsals import rehearse
from pellux.service.planning.requests import LimitsRequest, SearchRequest, SettingsRequest
from pellux.service.searches import searches
from pellux.store.problems import get_problem
from tests.making import mixed_columns
from tests.service.test_searches import SPACE, launch, problem, rows
from tests.waiting import until

pytestmark = pytest.mark.slow


def request(space: str | None = SPACE, key: str = "tree", **plan: Any) -> SearchRequest:
    return SearchRequest(learner=key, space=space, plan=SettingsRequest.model_validate({"trials": 6, "workers": 2, **plan}))


def known(engine: Engine, problem_id: int, space: str, wanted: Any, key: str = "tree") -> list[dict[str, Any]]:
    plan = SettingsRequest.model_validate({"warm start": wanted})
    with engine.workspace.database.read() as session:
        objective = engine.workspace.objective(get_problem(session, problem_id))
        return [dict(o.configuration) for o in observations(session, objective, problem_id, key, parse(space), plan)]


def test_a_rehearsal_proves_the_setup_and_calibrates_the_forecast(engine: Engine, tmp_path: Path) -> None:
    problem_id = problem(engine, tmp_path)
    before = forecast(engine.workspace, problem_id, request())
    assert (before.trials, before.folds, before.fits) == (6, 3, 21)
    assert before.seconds is None
    fits = rehearse(engine.workspace, problem_id, request())
    assert [fit.what for fit in fits][:2] == ["default configuration", "cheapest start"]
    assert all(fit.state == "done" and fit.seconds > 0 and fit.score is not None for fit in fits)
    after = forecast(engine.workspace, problem_id, request())
    assert after.seconds_low is not None
    assert after.seconds is not None
    assert after.seconds_high is not None
    assert 0 < after.seconds_low < after.seconds < after.seconds_high
    twice = forecast(engine.workspace, problem_id, request(trials=13))
    assert twice.seconds == pytest.approx(2 * after.seconds, rel=0.1), "twice the fits take twice as long"
    assert not searches.list_searches(engine, problem_id), "a rehearsal is no search"


def test_a_rehearsal_shows_what_would_fail(engine: Engine, tmp_path: Path) -> None:
    problem_id = problem(engine, tmp_path)
    fits = rehearse(engine.workspace, problem_id, request("trees: 40000 .. 50000 int", "forest", **{"fit seconds": 2}))
    assert fits[0].state == "done"
    assert fits[1].state == "too long"
    assert "limit of 2 s" in fits[1].message


def test_earlier_trials_inside_the_new_space_are_known(engine: Engine, tmp_path: Path) -> None:
    problem_id = problem(engine, tmp_path)
    assert engine.join(launch(engine, problem_id), 60)
    first = [t.configuration for t in rows(engine, 1)]
    narrow = "depth: 2 .. 5 int\nmin_leaf: 1 .. 40 int log"
    inside = [c for c in first if 2 <= int(c["depth"]) <= 5]
    found = known(engine, problem_id, narrow, "all")
    assert {(c["depth"], c["min_leaf"]) for c in found} == {(c["depth"], c["min_leaf"]) for c in inside}
    assert known(engine, problem_id, narrow, [1]) == found
    assert known(engine, problem_id, narrow, "none") == []
    assert known(engine, problem_id, SPACE, "all", key="forest") == []
    with pytest.raises(InvalidPlan, match="no search 7 of this problem"):
        launch(engine, problem_id, **{"warm start": [7]})
    view = forecast(engine.workspace, problem_id, request(narrow, **{"warm start": "all"}))
    assert (view.known, view.knowable) == (len(found), 7)
    # The second search does not try again what the first one did.
    second = launch(engine, problem_id, **{"warm start": "all"})
    assert engine.join(second, 60)
    again = {(t.configuration["depth"], t.configuration["min_leaf"]) for t in rows(engine, second)}
    assert not again & {(c["depth"], c["min_leaf"]) for c in first}
    assert searches.search_view(engine, second).warm_start == "all"


def past(text: str, **more: Any) -> PastResultsRequest:
    return PastResultsRequest.model_validate({"learner": "tree", "text": text, **more})


def test_past_results_are_known_and_never_ranked(engine: Engine, tmp_path: Path) -> None:
    problem_id = problem(engine, tmp_path)
    text = "max_depth,min_leaf,ap,who\n4,10,0.91,anna\n30,10,0.5,ben\n"
    columns = {"max_depth": "depth", "who": "-"}
    view = keep_past_results(engine.workspace, problem_id, past(text, score="ap", columns=columns))
    assert (view.rows, view.best) == (2, 0.91)
    assert known(engine, problem_id, SPACE, "all") == [{"depth": 4, "min_leaf": 10}], "depth 30 lies outside"
    lines = '{"score": 0.7, "configuration": {"depth": 7, "min_leaf": 3}}\n'
    keep_past_results(engine.workspace, problem_id, past(lines, format="jsonl"))
    assert {c["depth"] for c in known(engine, problem_id, SPACE, "all")} == {4, 7}
    more = "depth,min_leaf,score\n7,3,0.7\n7,3,0.71\n"
    again = keep_past_results(engine.workspace, problem_id, past(more))
    assert (again.rows, again.known) == (1, 1), "one of them was brought before"
    with pytest.raises(Conflict, match="All 2 results are known already"):
        keep_past_results(engine.workspace, problem_id, past(more))
    search = launch(engine, problem_id, **{"warm start": "all"})
    assert engine.join(search, 60)
    baseline, first = rows(engine, search)[:2]
    assert (baseline.origin, first.number) == ("baseline", 1)
    assert first.seen + first.pending == 2 + 1, (
        "what lies in the space was known to the first proposal; the baseline ran, or had ended"
    )
    best = searches.search_view(engine, search).best
    assert best is not None
    assert best.score < 0.91 or best.folds


@pytest.mark.parametrize(
    ("text", "more", "words"),
    [
        ("depth,speed,score\n4,1,0.5\n", {}, "Column 'speed' is no setting of Decision tree"),
        ("depth,score\n0,0.5\n", {}, "Line 2: depth: 0 is not accepted"),
        ("depth,score\n3.5,0.5\n", {}, "Line 2: depth: 3.5 is not accepted"),
        ("depth,score\n3,good\n", {}, "Line 2: the score 'good' is not a number"),
        ("depth,score\n3,nan\n", {}, "is not a number"),
        ("depth,score\n3,1.4\n", {}, "Line 2: average precision is between 0 and 1. Got 1.4"),
        ("depth\n3\n", {}, "has no column 'score'"),
        ("", {}, "no rows"),
        ("{nonsense", {"format": "jsonl"}, "Line 1 is not JSON"),
        ("[1]", {"format": "jsonl"}, "not a JSON object"),
        ("depth,score\n3,0.5", {"format": "xlsx"}, "read from csv or jsonl"),
    ],
)
def test_wrong_past_results_are_refused_whole(engine: Engine, tmp_path: Path, text: str, more: Any, words: str) -> None:
    problem_id = problem(engine, tmp_path)
    with pytest.raises(InvalidData, match=words):
        keep_past_results(engine.workspace, problem_id, past(text, **more))
    assert known(engine, problem_id, SPACE, "all") == []


def test_starts_come_first_and_count(engine: Engine, tmp_path: Path) -> None:
    problem_id = problem(engine, tmp_path)
    starts = [{"depth": 3}, {"depth": 4, "min_leaf": 7}]
    search = launch(engine, problem_id, space="depth: 2 .. 9 int, start 5\nmin_leaf: 1 .. 40 int log, start 2", starts=starts)
    assert engine.join(search, 60)
    found = rows(engine, search)
    assert [(t.origin, t.configuration["depth"], t.configuration["min_leaf"]) for t in found[1:4]] == [
        ("start", 3, 2), ("start", 4, 7), ("start", 5, 2)
    ]  # fmt: skip
    assert len(found) == 7
    with pytest.raises(InvalidPlan, match="Start 1: depth: 99 is outside"):
        launch(engine, problem_id, starts=[{"depth": 99}])


def test_a_trial_by_hand_runs_beside_the_budget(engine: Engine, tmp_path: Path) -> None:
    problem_id = problem(engine, tmp_path)
    search = launch(engine, problem_id, key="forest", space="trees: 20 .. 40 int", trials=6, workers=1)
    searches.try_configuration(engine, search, {"trees": 43, "depth": 3})
    with pytest.raises(InvalidSpace, match="no such setting"):
        searches.try_configuration(engine, search, {"wheels": 4})
    with pytest.raises(InvalidSpace, match="not accepted"):
        searches.try_configuration(engine, search, {"trees": -3})
    assert engine.join(search, 100)
    found = rows(engine, search)
    by_hand = [t for t in found if t.origin == "by hand"]
    assert [t.configuration["trees"] for t in by_hand] == [43]
    assert by_hand[0].state == "scored"
    assert sum(t.origin == "proposed" for t in found) == 6
    with pytest.raises(Conflict, match="launch a new one"):
        searches.try_configuration(engine, search, {"trees": 5})


def test_budgets_end_a_search_and_say_which(engine: Engine, tmp_path: Path) -> None:
    problem_id = problem(engine, tmp_path)
    first = launch(engine, problem_id, trials=50, **{"target score": 0.01})
    assert engine.join(first, 60)
    view = searches.search_view(engine, first)
    assert view.reason.startswith("The target score of 0.01 is reached: trial ")
    second = launch(engine, problem_id, trials=200, **{"no gain in": 4})
    assert engine.join(second, 60)
    view = searches.search_view(engine, second)
    assert view.reason.startswith("No gain in ")
    assert view.trials.scored < 200
    for target in (-0.5, 1.5):
        with pytest.raises(InvalidPlan, match="cannot be: average precision is from 0 to 1"):
            launch(engine, problem_id, **{"target score": target})


def test_a_budget_is_raised_while_the_search_runs(engine: Engine, tmp_path: Path) -> None:
    problem_id = problem(engine, tmp_path, mixed_columns(rows=600))
    search = launch(engine, problem_id, key="forest", space="trees: 10 .. 20 int", trials=3, workers=1, minutes=60)
    searches.set_limits(engine, search, LimitsRequest(trials=5, minutes=None))
    assert engine.join(search, 100)
    view = searches.search_view(engine, search)
    assert (view.budget_trials, view.budget_minutes, view.reason) == (5, None, "All 5 trials are done.")
    with pytest.raises(Conflict, match="cannot change"):
        searches.set_limits(engine, search, LimitsRequest(trials=50))


def test_a_plan_is_launched_again_with_a_value_changed(engine: Engine, tmp_path: Path) -> None:
    problem_id = problem(engine, tmp_path)
    first = launch(engine, problem_id)
    assert engine.join(first, 60)
    again = launching.repeat(engine, first, ["plan.trials=2", "plan.seed=4"])
    assert engine.join(again, 60)
    view = searches.search_view(engine, again)
    assert (view.budget_trials, view.seed, view.space) == (2, 4, searches.search_view(engine, first).space)
    assert view.overrides == ["plan.trials=2", "plan.seed=4"]
    with pytest.raises(PelluxError, match="unknown key 'plan.trails'"):
        launching.repeat(engine, first, ["plan.trails=2"])


def test_automatic_is_resolved_when_it_is_launched(engine: Engine, tmp_path: Path) -> None:
    problem_id = problem(engine, tmp_path)
    search = launch(engine, problem_id, strategy="automatic", space="depth: 2 .. 4 int\nbalance: yes | no", trials=30)
    assert engine.join(search, 60)
    view = searches.search_view(engine, search)
    assert (view.strategy, view.chosen_by) == ("Grid", "Automatic")
    assert "all are tried" in view.strategy_reason
    assert view.trials.scored == 7
    assert "exhausted" in view.reason


def test_a_strategy_whose_process_is_killed_goes_on(engine: Engine, tmp_path: Path) -> None:
    problem_id = problem(engine, tmp_path)
    search = launch(engine, problem_id, strategy="gaussian process", trials=14, workers=1, space=SPACE + "trim: 0 .. 0.02")
    proposer = engine._drivers[search]._proposer
    assert isinstance(proposer, StrategyProposer)
    until(lambda: searches.search_view(engine, search).trials.scored >= 6)
    os.kill(until(lambda: proposer.pid), signal.SIGKILL)
    assert engine.join(search, 100)
    view = searches.search_view(engine, search)
    assert (view.state, view.trials.scored) == ("finished", 15)


def test_trials_keep_their_sightline(engine: Engine, tmp_path: Path) -> None:
    problem_id = problem(engine, tmp_path)
    search = launch(engine, problem_id, workers=1, trials=5)
    assert engine.join(search, 60)
    assert [(t.seen, t.pending) for t in rows(engine, search)] == [(0, 0), (1, 0), (2, 0), (3, 0), (4, 0), (5, 0)]
