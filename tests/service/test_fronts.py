"""Several metrics, from the plan to the signed choice: real fits, a front, its knee, and what to expect of it."""

from __future__ import annotations

import csv
import io
import json
from pathlib import Path

import jsonschema
import numpy as np
import pytest

from pellux.core.errors import Conflict, InvalidPlan
from pellux.core.judging.fronts import choose, hypervolume, on_front, reference_point
from pellux.service.decisions.candidates import FinalistsQuery
from pellux.service.decisions.decisions import DecisionRequest, decide, decision_detail, honest_request
from pellux.service.decisions.finalists import finalists
from pellux.service.decisions.judgements import ask_honest_score, honest_score_view
from pellux.service.engine.engine import Engine
from pellux.service.planning.requests import BriefRequest
from pellux.service.problems.problems import problem_view
from pellux.service.searches.fronts import front_view, random_course
from pellux.service.searches.searches import search_view, summary
from pellux.service.searches.trials import export
from tests.service.test_limits import forests
from tests.service.test_searches import launch, problem, rows
from tests.waiting import until

SCHEMA = Path(__file__).parents[2] / "docs" / "decision.schema.json"


def test_a_list_of_metrics_is_one_and_what_it_is_weighed_against() -> None:
    found = BriefRequest.model_validate({"data": "x", "target": "y", "metric": ["recall", "predict ms"]})
    assert (found.metric, found.against) == ("recall", ["predict ms"])


@pytest.mark.slow
def test_a_front_from_real_fits_to_a_signed_knee(engine: Engine, tmp_path: Path) -> None:
    workspace = engine.workspace
    problem_id = problem(engine, tmp_path, against=["model mb", "log loss"], folds=3)
    judging = problem_view(workspace, problem_id).judging
    assert (judging.against, judging.recorded) == (["model mb", "log loss"], ["log loss"]), "what is weighed is recorded"
    search = forests(engine, problem_id, 14, strategy="gaussian process", seed=5)
    scored = [row for row in rows(engine, search) if row.state == "scored"]
    assert {aim.measure for aim in search_view(engine, search).against} == {"model mb", "log loss"}
    values = np.array([(row.mean, -(row.measured or {})["model mb"], -(row.measured or {})["log loss"]) for row in scored])
    on = {row.id for row, front in zip(scored, on_front(values), strict=True) if front}

    found = front_view(workspace, search)
    assert {point.trial_id for point in found.points if point.on_front} == on
    assert any(point.origin == "baseline" for point in found.points)
    reference = reference_point(values, values[[row.origin == "baseline" for row in scored]][0])
    assert found.reference == pytest.approx(reference * [1, -1, -1])
    covered = hypervolume(values, reference) / np.prod(values[on_front(values)].max(0) - reference)
    assert found.course[-1][0] == len(scored)
    assert found.course[-1][1] == pytest.approx(covered)
    knee = scored[choose(values) or 0]
    assert found.knee == knee.id
    shares = [share for _, share in random_course(workspace, search).course]
    assert shares == sorted(shares)
    assert 0 < shares[-1] <= 1

    weighed = finalists(workspace, problem_id, FinalistsQuery(weights="1 0 0"))
    assert (set(weighed.front), weighed.leader) == (on, knee.id)
    by = {s.rule: s.trial_id for s in weighed.suggestions}
    assert by["knee"] == knee.id
    assert by["weights"] == by["highest mean"]
    leading = next(f for f in weighed.finalists if f.trial.id == knee.id)
    assert [m.value for m in leading.metrics] == pytest.approx(
        [(knee.measured or {})["model mb"], (knee.measured or {})["log loss"]]
    )
    other = next(f for f in weighed.finalists if f.trial.id != knee.id)
    assert all(m.comparison and abs(m.comparison.better + m.comparison.same + m.comparison.worse - 1) < 1e-9 for m in other.metrics)

    behind = next(row for row in scored if row.id not in on)
    with pytest.raises(InvalidPlan, match="not on the front"):
        decide(engine, problem_id, DecisionRequest(trial_id=behind.id))
    ask_honest_score(engine, problem_id)
    honest = until(lambda: (view := honest_score_view(workspace, problem_id)) and view.state != "running" and view, 60)
    assert [m.measure for m in honest.metrics] == ["average precision", "model mb", "log loss"], honest.message
    assert honest.metrics[0].raw == pytest.approx(knee.mean, abs=1e-4)
    assert (honest.metrics[1].low, honest.metrics[2].low is None) == (None, False)
    made = decision_detail(workspace, decide(engine, problem_id, DecisionRequest(trial_id=knee.id, rule="knee", signer="R. Fern")))
    assert made.record["metrics"]["front"] == weighed.front
    jsonschema.validate(made.record, json.loads(SCHEMA.read_text("utf-8")))
    assert "furthest out" in made.reason or "better than every other" in made.reason

    told = summary(engine, search)
    assert {one["trial"] for one in told["front"]} == {row.number for row in scored if row.id in on}
    lines = csv.DictReader(io.StringIO(b"".join(export(workspace, search, "csv")).decode()))
    assert {int(line["trial"]) for line in lines if line["on_front"] == "True"} == {row.number for row in scored if row.id in on}


@pytest.mark.slow
def test_who_was_not_measured_before_is_measured_for_the_front(engine: Engine, tmp_path: Path) -> None:
    problem_id = problem(engine, tmp_path, folds=3)
    forests(engine, problem_id, 2)
    alone = forests(engine, problem_id, 2, seed=4)
    assert all(row.origin != "baseline" for row in rows(engine, alone)), "its baseline was scored before"
    with pytest.raises(Conflict, match="decides alone"):
        front_view(engine.workspace, alone)
    both = forests(engine, problem_id, 4, against=["predict ms"])
    baseline = next(row for row in rows(engine, both) if row.origin == "baseline")
    assert (baseline.measured or {})["predict ms"] > 0
    weighed = finalists(engine.workspace, problem_id, FinalistsQuery())
    assert [f.trial.id for f in weighed.finalists if f.is_baseline] == [baseline.id], "it stands there once"
    forests(engine, problem_id, 2, seed=7)
    assert not finalists(engine.workspace, problem_id, FinalistsQuery()).decides, "the newest search decides by its score"
    asked = finalists(engine.workspace, problem_id, FinalistsQuery(search=both))
    assert [measure.key for measure in asked.decides] == ["average precision", "predict ms"]
    assert asked.front
    assert honest_request(engine.workspace, problem_id)["against"] == ["predict ms"], "of the newest that weighs"


@pytest.mark.parametrize(
    ("plan", "at", "words"),
    [
        ({"against": ["predict ms"], "target score": 0.9}, "plan.target score", "a limit says"),
        ({"against": ["recall"]}, "plan.against", "is not measured"),
        ({"against": ["average precision"]}, "plan.against", "decides already"),
        ({"against": ["predict ms", "model mb", "fit seconds"]}, "plan.against", "4 metrics"),
        ({"against": ["predict ms"], "limits": ["predict ms >= 5"]}, "plan.limits", "smaller is better"),
        (
            {"against": ["predict ms"], "early stopping": "plateau", "stopping": {"resource": "iterations"}},
            "plan.early stopping", "the curve of one metric",
        ),
    ],
)  # fmt: skip
def test_what_does_not_go_together_is_refused(engine: Engine, tmp_path: Path, plan: dict[str, object], at: str, words: str) -> None:
    problem_id = problem(engine, tmp_path)
    boosted = "early stopping" in plan
    with pytest.raises(InvalidPlan, match=words) as refused:
        launch(
            engine, problem_id, key="boosting" if boosted else "tree", space="rate: 0.01 .. 0.3 log" if boosted else None, **plan
        )
    assert refused.value.at == at


@pytest.mark.parametrize(("weights", "words"), [("2", "as many weights"), ("a b", "no weights"), ("0 0", "one of them is more")])
def test_weights_that_cannot_be_meant_are_refused(engine: Engine, tmp_path: Path, weights: str, words: str) -> None:
    problem_id = problem(engine, tmp_path, against=["model mb"])
    with pytest.raises(InvalidPlan, match=words):
        finalists(engine.workspace, problem_id, FinalistsQuery(weights=weights))
