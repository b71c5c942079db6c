"""Deciding with real trials: finalists, re-judging, honest score, holdout, the signed record, what is taken away."""

from __future__ import annotations

import io
import json
import os
import sqlite3
import subprocess
import sys
import tomllib
import zipfile
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest
import yaml
from jsonschema import Draft202012Validator
from sklearn import metrics as reference
from sklearn.linear_model import LogisticRegression
from sklearn.pipeline import Pipeline
from sqlalchemy.exc import IntegrityError, OperationalError

from pellux.core.errors import Conflict, InvalidPlan
from pellux.core.judging import standard_error
from pellux.core.judging.predictions import assemble, decode, encode
from pellux.engine.background_process import BackgroundFailed, BackgroundProcess
from pellux.objectives.tabular.export.onnx_form import onnx_form
from pellux.objectives.tabular.preparation import Steps, transformer
from pellux.objectives.tabular.target import target_array
from pellux.service.decisions.candidates import FinalistsQuery
from pellux.service.decisions.decisions import DecisionRequest, decide, decision_detail, fingerprint, list_decisions
from pellux.service.decisions.diagnostics import diagnostics
from pellux.service.decisions.finalists import finalists
from pellux.service.decisions.judgements import (
    OpeningRequest,
    ask_honest_score,
    ask_importance,
    ask_tree,
    honest_score_view,
    open_holdout,
    openings,
)
from pellux.service.decisions.rejudging import RejudgeRequest, rejudge
from pellux.service.decisions.shortlisting import ShortlistRequest, shortlist
from pellux.service.decisions.takeaway import FILES, content, write_all
from pellux.service.engine.analyses import DONE
from pellux.service.engine.engine import Engine
from pellux.service.planning import launching
from pellux.service.planning.requests import BriefRequest, SearchRequest, SettingsRequest
from pellux.service.problems import problems
from pellux.service.problems.datasets import open_table
from pellux.service.searches import trials
from pellux.service.searches.searches import list_searches, search_view, try_configuration
from pellux.service.workspace import Workspace
from pellux.store.models import Decision, Trial
from pellux.store.predictions import read_predictions
from tests import forking
from tests.making import imported, mixed_columns, write_csv

pytestmark = pytest.mark.slow
DOCS = Path(__file__).parents[2] / "docs"
SPACES = {
    "tree": "depth: 2 .. 9 int\nmin_leaf: 1 .. 40 int log\n",
    "logistic": "C: 1e-3 .. 10 log\n",
    "boosting": "rounds: 10 .. 30 int\nleaves: 3 .. 12 int\n",
    "forest": "trees: 10 .. 20 int\ndepth: 2 .. 8 int\n",
}


def searched(engine: Engine, folder: Path, *keys: str, trials: int = 4, **brief: object) -> int:
    table = imported(engine.workspace, folder)
    wanted = {"data": table.hash, "target": "label", "metric": "average precision", "ignore": ["amount"], "seed": 4, **brief}
    problem_id = problems.create_problem(engine.workspace, BriefRequest.model_validate(wanted))
    for key in keys:
        plan = SettingsRequest(strategy="random", trials=trials, workers=2, seed=9)
        search_id = launching.launch(engine, problem_id, SearchRequest(learner=key, space=SPACES[key], plan=plan))
        assert engine.join(search_id, 90)
    return problem_id


@pytest.fixture(scope="module")
def decided(tmp_path_factory: pytest.TempPathFactory) -> Iterator[tuple[Engine, int]]:
    """A problem with a search of trees and one of boosting; tests that change it make their own."""
    folder = tmp_path_factory.mktemp("decided")
    workspace = Workspace(folder / "workspace")
    engine = Engine(workspace)
    yield engine, searched(engine, folder, "tree", "boosting", trials=5)
    engine.close()
    workspace.close()


def weighed(engine: Engine, problem_id: int, **query: object):
    return finalists(engine.workspace, problem_id, FinalistsQuery.model_validate(query))


def signed(engine: Engine, problem_id: int, trial_id: int, **more: object) -> int:
    made = decide(engine, problem_id, DecisionRequest(**{"trial_id": trial_id, "reason": "As good as any.", **more}))
    engine.analyst.finish(60)
    return made


def test_predictions_are_kept_and_score_as_the_trial_did(decided: tuple[Engine, int]) -> None:
    engine, problem_id = decided
    brief = problems.stored_brief(engine.workspace, problem_id)
    assigned = np.load(engine.workspace.folds_file(problem_id))
    truth = target_array(open_table(engine.workspace, brief.data), brief)[0]
    inside = assigned >= 0
    for f in weighed(engine, problem_id, top=50).finalists:
        [parts] = read_predictions(engine.workspace.database.path, [(f.trial.search_id, f.trial.number)])
        predicted = assemble(parts, assigned[inside], 2)
        assert predicted is not None
        again = [
            reference.average_precision_score(truth[inside][assigned[inside] == k], predicted[assigned[inside] == k, 1])
            for k in range(5)
        ]
        assert again == pytest.approx(f.trial.scores, abs=1e-12)
        assert (f.model_bytes or 0) > 500


def test_rules_and_comparisons_span_all_searches(decided: tuple[Engine, int]) -> None:
    engine, problem_id = decided
    found = weighed(engine, problem_id, top=50)
    assert [f.trial.mean for f in found.finalists] == sorted((f.trial.mean for f in found.finalists), reverse=True)
    assert {f.learner for f in found.finalists} == {"tree", "boosting"}
    assert sum(f.is_baseline for f in found.finalists) == 2
    assert {s.rule for s in found.suggestions} == {"highest mean", "one standard error", "best lower bound"}
    leader = found.finalists[0]
    assert found.leader == leader.trial.id
    assert leader.comparison is None
    for f in found.finalists[1:]:
        assert f.comparison is not None
        assert f.comparison.better + f.comparison.same + f.comparison.worse == pytest.approx(1)
        assert f.comparison.p_adjusted >= f.comparison.p_value
        assert f.comparison.difference == pytest.approx(np.mean(np.subtract(f.trial.scores, leader.trial.scores)))
    cheapest = next(s for s in found.suggestions if s.rule == "one standard error")
    allowed = [f for f in found.finalists if f.trial.mean >= leader.trial.mean - leader.trial.standard_error]
    least = min(f.fit_seconds for f in allowed)
    quick = max((f for f in allowed if f.fit_seconds <= 1.25 * least), key=lambda f: f.trial.mean)
    assert cheapest.trial_id == (leader if leader.fit_seconds <= 1.25 * quick.fit_seconds else quick).trial.id
    smallest = next(s for s in weighed(engine, problem_id, cost="model size").suggestions if s.rule == "one standard error")
    assert smallest.trial_id == min(allowed, key=lambda f: f.model_bytes or 0).trial.id


def test_limits_and_the_trade_off_front(decided: tuple[Engine, int]) -> None:
    engine, problem_id = decided
    every = weighed(engine, problem_id, top=50, beside="log loss").finalists
    losses = [f.beside for f in every]
    assert all(loss is not None for loss in losses)
    limit = float(np.median(losses))
    found = weighed(engine, problem_id, top=50, beside="log loss", limit_on="log loss", limit=limit)
    assert {f.trial.id for f in found.finalists if f.admitted} == {f.trial.id for f in every if f.beside <= limit}
    assert found.leader == next(f.trial.id for f in every if f.beside <= limit)
    assert "log loss ≤" in found.suggestions[0].reason
    beaten = {
        f.trial.id for f in every
        if any(g.trial.mean >= f.trial.mean and g.beside <= f.beside and g is not f and (g.trial.mean, g.beside) != (f.trial.mean, f.beside) for g in every)
    }  # fmt: skip
    assert set(found.front) == {f.trial.id for f in every} - beaten
    none = weighed(engine, problem_id, limit_on="log loss", limit=0.0)
    assert (none.admitted, none.suggestions, none.leader) == (0, [], None)
    for wrong, at in (({"beside": "speed"}, "beside"), ({"cost": "beauty"}, "cost"), ({"limit_on": "log loss"}, "limit")):
        with pytest.raises(InvalidPlan) as refusal:
            weighed(engine, problem_id, **wrong)
        assert refusal.value.at == at
    with pytest.raises(Exception, match="suit"):
        weighed(engine, problem_id, beside="RMSE")


def test_rejudging_uses_fresh_folds_and_ranks_nothing(decided: tuple[Engine, int]) -> None:
    engine, problem_id = decided
    before = problems.problem_view(engine.workspace, problem_id)
    chosen = [f.trial.id for f in weighed(engine, problem_id, top=2).finalists]
    search_id = rejudge(engine, problem_id, RejudgeRequest(trials=chosen, repeats=2, workers=2))
    assert engine.join(search_id, 90)
    view = search_view(engine, search_id)
    assert (view.kind, view.state, view.reason) == ("re-judge", "finished", f"All {view.trials.scored} trials are done.")
    folds = np.load(engine.workspace.fresh_folds_file(search_id))
    own = np.load(engine.workspace.folds_file(problem_id))
    assert ((folds < 0) == (own < 0)).all(), "the holdout stays sealed"
    assert (folds[0] != own).any()
    assert (folds[0] != folds[1]).any()
    found = {f.trial.id: f for f in weighed(engine, problem_id, top=50).finalists}
    again = found[chosen[0]].rejudged
    assert again is not None
    assert len(again.scores) == 10
    assert (again.mean, again.standard_error) == pytest.approx((np.mean(again.scores), standard_error(again.scores) * 2**0.5))
    assert found[chosen[1]].comparison.basis == "re-judged"
    after = problems.problem_view(engine.workspace, problem_id)
    assert (after.best, after.trials, after.spark) == (before.best, before.trials, before.spark)
    with pytest.raises(Conflict, match="nothing else; it can be paused"):
        try_configuration(engine, search_id, {"depth": 3})
    with pytest.raises(Conflict, match="no plan to repeat"):
        launching.repeat(engine, search_id, [])
    with pytest.raises(InvalidPlan, match="fits"):
        rejudge(engine, problem_id, RejudgeRequest(trials=list(found), repeats=50).model_copy(update={"repeats": 5000}))


def test_a_rejudging_goes_on_after_the_engine_ends(engine: Engine, tmp_path: Path) -> None:
    problem_id = searched(engine, tmp_path, "tree", trials=3)
    chosen = [f.trial.id for f in weighed(engine, problem_id).finalists]
    search_id = rejudge(engine, problem_id, RejudgeRequest(trials=chosen, repeats=4, workers=1))
    engine.close()
    again = Engine(engine.workspace)
    try:
        again.take_up()
        assert again.join(search_id, 90)
        view = search_view(again, search_id)
        assert (view.state, view.fits.run) == ("finished", len(chosen) * 20)
    finally:
        again.close()


def test_the_honest_score_lies_under_the_raw_one_and_is_kept(decided: tuple[Engine, int]) -> None:
    engine, problem_id = decided
    started = ask_honest_score(engine, problem_id)
    row = engine.analyst.wait(started.id, 60)
    assert (row.state, row.message) == (DONE, "")
    found = honest_score_view(engine.workspace, problem_id)
    best = weighed(engine, problem_id).finalists[0]
    assert found.raw == pytest.approx(best.trial.mean, abs=1e-6)
    assert found.low < found.score < found.high
    assert found.score <= found.raw + 1e-9
    assert sum(share for _, share in found.wins) == pytest.approx(1)
    assert (found.trials, found.without_predictions) == (12, 0)
    assert ask_honest_score(engine, problem_id).id == started.id, "the same question is not computed twice"


def test_diagnostics_show_trial_and_baseline(decided: tuple[Engine, int]) -> None:
    engine, problem_id = decided
    best = weighed(engine, problem_id).finalists[0]
    found = diagnostics(engine.workspace, best.trial.id)
    assert found.baseline is not None
    assert found.baseline.name == "Baseline"
    assert sum(map(sum, found.trial.labels.confusion)) == found.rows == 192
    assert found.trial.cuts.hits[-1] == found.trial.cuts.positives
    lines = {m.key: m for m in found.metrics}
    assert lines["average precision"].decides
    assert lines["average precision"].trial == best.trial.mean
    assert 0.5 < lines["ROC AUC"].trial <= 1


def test_importance_and_tree(decided: tuple[Engine, int]) -> None:
    engine, problem_id = decided
    every = weighed(engine, problem_id, top=50).finalists
    boosting = next(f for f in every if f.learner == "boosting")
    row = engine.analyst.wait(ask_importance(engine, boosting.trial.id).id, 60)
    columns = {c["column"]: c["drop"] for c in row.result["columns"]}
    assert set(columns) == {"a", "b", "whole", "kind"}
    assert min(columns["a"], columns["b"]) > columns["whole"]
    tree = next(f for f in every if f.learner == "tree" and not f.is_baseline)
    drawn = engine.analyst.wait(ask_tree(engine, tree.trial.id).id, 60).result
    assert drawn["root"]["rows"] == 192
    questions = []

    def walk(node: dict) -> int:
        if node["question"] is None:
            return 1 + (node["hidden"] - 1 if node["hidden"] else 0)
        questions.append(node["question"])
        assert node["rows"] == node["yes"]["rows"] + node["no"]["rows"]
        return walk(node["yes"]) + walk(node["no"])

    assert walk(drawn["root"]) == drawn["leaves"]
    assert any(q.startswith(("a ≤", "b ≤")) for q in questions)
    with pytest.raises(Conflict, match="Only a decision tree"):
        ask_tree(engine, boosting.trial.id)


def test_the_holdout_opens_once_unless_one_insists(engine: Engine, tmp_path: Path) -> None:
    problem_id = searched(engine, tmp_path, "logistic", trials=2)
    best = weighed(engine, problem_id).finalists[0].trial
    analysis = open_holdout(engine, problem_id, OpeningRequest(trial_id=best.id, opener="Ada"))
    row = engine.analyst.wait(analysis, 60)
    assert row.state == DONE, row.message
    [look] = openings(engine.workspace, problem_id)
    assert (look.nth, look.opener, look.rows) == (1, "Ada", 48)
    assert look.chosen.low <= look.chosen.holdout <= look.chosen.high
    assert look.chosen.train > 0.5
    assert "holdout" in look.verdict.lower()
    with pytest.raises(Conflict, match="opened before"):
        open_holdout(engine, problem_id, OpeningRequest(trial_id=best.id))
    engine.analyst.wait(open_holdout(engine, problem_id, OpeningRequest(trial_id=best.id, again=True)), 60)
    assert [look.nth for look in openings(engine.workspace, problem_id)] == [1, 2]
    made = signed(engine, problem_id, best.id)
    assert len(decision_detail(engine.workspace, made).record["holdout"]) == 2
    exported = json.loads(content(engine.workspace, made, "record.json")[0])
    Draft202012Validator(json.loads((DOCS / "decision.schema.json").read_text())).validate(exported)


def test_no_holdout_no_opening(engine: Engine, tmp_path: Path) -> None:
    problem_id = searched(engine, tmp_path, "logistic", trials=2, holdout=0)
    best = weighed(engine, problem_id).finalists[0].trial
    with pytest.raises(Conflict, match="no holdout"):
        open_holdout(engine, problem_id, OpeningRequest(trial_id=best.id))


def test_a_decision_is_signed_superseded_and_never_edited(engine: Engine, tmp_path: Path) -> None:
    problem_id = searched(engine, tmp_path, "tree", trials=3)
    best, second = (f.trial for f in weighed(engine, problem_id).finalists[:2])
    first = signed(engine, problem_id, best.id, rule="highest mean", reason="best", signer="Ada <script>")
    later = signed(engine, problem_id, second.id, reason="simpler")
    views = list_decisions(engine.workspace, problem_id)
    assert [(v.id, v.superseded_by) for v in views] == [(later, None), (first, later)]
    detail = decision_detail(engine.workspace, first)
    assert detail.fingerprint == fingerprint(detail.record)
    assert detail.record["trial"]["fold_scores"] == best.scores
    assert detail.record["comparisons"]["against_leader"]
    for statement in ("UPDATE decision SET reason = 'other'", "DELETE FROM decision"):
        with sqlite3.connect(engine.workspace.database.path) as raw, pytest.raises(sqlite3.IntegrityError, match="never changed"):
            raw.execute(statement)
    with pytest.raises((IntegrityError, OperationalError)), engine.workspace.database.write() as session:
        session.get_one(Decision, first).reason = "other"
    exported = json.loads(content(engine.workspace, first, "record.json")[0])
    Draft202012Validator(json.loads((DOCS / "decision.schema.json").read_text())).validate(exported)
    page = content(engine.workspace, first, "report.html")[0].decode()
    assert "Ada &lt;script&gt;" in page
    assert "<script" not in page
    assert "http://" not in page
    assert "src=" not in page


def test_a_worse_trial_is_signed_with_a_reason_only_and_a_rule_signs_its_own(engine: Engine, tmp_path: Path) -> None:
    problem_id = searched(engine, tmp_path, "tree", trials=4)
    found = weighed(engine, problem_id)
    best, last = found.finalists[0].trial, found.finalists[-1].trial
    assert best.mean > last.mean
    with pytest.raises(InvalidPlan, match=r"worse than the (leader|baseline) by \d.*Say why") as refused:
        decide(engine, problem_id, DecisionRequest(trial_id=last.id, reason="  "))
    assert refused.value.at == "reason"
    with pytest.raises(Conflict, match="'highest mean' chooses the trial with the id"):
        decide(engine, problem_id, DecisionRequest(trial_id=last.id, rule="highest mean", reason="because"))
    assert list_decisions(engine.workspace, problem_id) == []
    by_rule = next(s for s in found.suggestions if s.rule == "one standard error")
    decide(engine, problem_id, DecisionRequest(trial_id=by_rule.trial_id, rule=by_rule.rule))
    decide(engine, problem_id, DecisionRequest(trial_id=last.id, reason="It is the one that we can explain."))
    assert [d.reason for d in list_decisions(engine.workspace, problem_id)] == [
        "It is the one that we can explain.",
        by_rule.reason,
    ]
    assert [s.label for s in found.suggestions] == ["highest mean", "one standard error", "best lower bound"]


def test_an_opening_under_way_is_on_record(engine: Engine, tmp_path: Path) -> None:
    problem_id = searched(engine, tmp_path, "logistic", trials=2)
    best = weighed(engine, problem_id).finalists[0].trial
    opened = open_holdout(engine, problem_id, OpeningRequest(trial_id=best.id, opener="Ada"))
    made = signed(engine, problem_id, best.id)
    [look] = decision_detail(engine.workspace, made).record["holdout"]
    assert (look["opener"], look["trial"]) == ("Ada", best.id)
    assert look["state"] in ("running", "done")
    assert engine.analyst.wait(opened, 60).state == DONE
    exported = json.loads(content(engine.workspace, made, "record.json")[0])
    Draft202012Validator(json.loads((DOCS / "decision.schema.json").read_text())).validate(exported)


def test_what_cannot_be_decided_says_so(engine: Engine, tmp_path: Path) -> None:
    problem_id = searched(engine, tmp_path, "logistic", trials=2)
    other = searched(engine, tmp_path, "logistic", trials=2, metric="accuracy")
    foreign = weighed(engine, other).finalists[0].trial.id
    own = weighed(engine, problem_id).finalists[0].trial.id
    with pytest.raises(Conflict, match="judged by accuracy"):
        decide(engine, problem_id, DecisionRequest(trial_id=foreign))
    with pytest.raises(Conflict, match="cannot be compared"):
        rejudge(engine, problem_id, RejudgeRequest(trials=[own, foreign]))
    with pytest.raises(InvalidPlan, match="Rule 'lucky'"):
        decide(engine, problem_id, DecisionRequest(trial_id=own, rule="lucky"))
    with engine.workspace.database.write() as session:
        unscored = Trial(
            search_id=session.get_one(Trial, own).search_id, number=99, origin="proposed", state="failed", configuration={},
            scores=[0.5, None], mean=None, standard_error=None, rank_score=None, created_at=0.0,
        )  # fmt: skip
        session.add(unscored)
        session.flush()
        missing = unscored.id
    for act in (
        lambda: decide(engine, problem_id, DecisionRequest(trial_id=missing)),
        lambda: rejudge(engine, problem_id, RejudgeRequest(trials=[missing])),
        lambda: open_holdout(engine, problem_id, OpeningRequest(trial_id=missing)),
        lambda: diagnostics(engine.workspace, missing),
    ):
        with pytest.raises(Conflict, match="failed"):
            act()


def test_trials_without_predictions_are_counted_and_explained(engine: Engine, tmp_path: Path) -> None:
    problem_id = searched(engine, tmp_path, "logistic", trials=3)
    best = weighed(engine, problem_id).finalists[0].trial
    with sqlite3.connect(engine.workspace.database.path) as raw:
        raw.execute("DELETE FROM prediction WHERE trial = ? AND fold = 1", (best.number,))
    found = honest_score_view(engine.workspace, problem_id) or ask_honest_score(engine, problem_id)
    engine.analyst.wait(found.id, 60)
    kept = honest_score_view(engine.workspace, problem_id)
    assert (kept.trials, kept.without_predictions) == (3, 1)
    assert "kept no predictions" in diagnostics(engine.workspace, best.id).trial.missing


@pytest.mark.parametrize(
    ("key", "brief"),
    [
        ("forest", {"metric": "balanced accuracy", "holdout": 0}),
        ("logistic", {"target": "kind", "metric": "ROC AUC", "folds": 3, "ignore": ["amount"]}),
        ("boosting", {"target": "amount", "metric": "R2", "ignore": ["label"]}),
    ],
)
def test_what_is_taken_away_works_on_its_own(engine: Engine, tmp_path: Path, key: str, brief: dict[str, object]) -> None:
    problem_id = searched(engine, tmp_path, key, trials=2, **brief)
    best = next(f.trial for f in weighed(engine, problem_id).finalists if not f.is_baseline)
    made = signed(engine, problem_id, best.id)
    out = tmp_path / "out"
    names = write_all(engine.workspace, made, out)
    assert set(names) == {file.name for file in FILES}, (out / "MISSING.txt").read_text() if "MISSING.txt" in names else ""
    data = write_csv(tmp_path / "mixed.csv", mixed_columns())
    # An interpreter of its own: what the script forgot to import is loaded already where it is forked.
    checked = subprocess.run(
        [sys.executable, "train.py", str(data), "--check"], cwd=out, capture_output=True, text=True, timeout=120
    )  # fmt: skip
    assert checked.returncode == 0, checked.stderr + checked.stdout
    found = json.loads(checked.stdout)
    assert found["difference"] <= 1e-9
    assert found["stored"] == best.scores

    predicted = forking.run([sys.executable, "train.py", str(data), "--predict"], 120, cwd=out)
    assert predicted.returncode == 0, predicted.stderr
    lines = predicted.stdout.splitlines()
    assert len(lines) == 241
    onnx_agrees(out, [[float(v) for v in line.split(",")] for line in lines[1:]])

    settings = json.loads((out / "configuration.json").read_text())
    assert settings["learner"] == key
    assert settings["settings"].items() >= best.configuration.items()
    assert tomllib.loads((out / "configuration.toml").read_text()) == settings
    assert yaml.safe_load((out / "configuration.yaml").read_text()) == settings
    every = [json.loads(line) for line in (out / "trials.jsonl").read_text().splitlines()]
    assert len(every) == 3
    assert zipfile.ZipFile(io.BytesIO(content(engine.workspace, made, "everything.zip")[0])).testzip() is None


def onnx_agrees(out: Path, wanted: list[list[float]]) -> None:
    """The ONNX file, fed by what model.json says, gives what the script's own prediction gives."""
    import csv

    import onnxruntime

    layout = json.loads((out / "model.json").read_text())
    with (out.parent / "mixed.csv").open(newline="") as file:
        rows = list(csv.DictReader(file))

    def value(text: str, column: dict) -> float:
        if text == "":
            return np.nan
        return float(text) if column["kind"] == "number" else column["categories"].index(text)

    given = np.array([[value(row[c["name"]], c) for c in layout["columns"]] for row in rows], dtype=np.float32)
    session = onnxruntime.InferenceSession(out / "model.onnx", providers=["CPUExecutionProvider"])
    got = session.run(None, {"rows": given})[-1].reshape(len(rows), -1)
    assert np.asarray(got, dtype=float) == pytest.approx(np.array(wanted), abs=1e-4)


def test_exports_of_trials_of_several_searches_line_up(decided: tuple[Engine, int]) -> None:
    engine, problem_id = decided
    ids = [s.id for s in list_searches(engine, problem_id) if s.kind == "search"]
    text = b"".join(trials.export(engine.workspace, ids, "csv")).decode()
    header = text.splitlines()[0].split(",")
    assert {"set_depth", "set_leaves", "fold_5", "learner"} <= set(header)
    assert len(text.splitlines()) == 13


def test_a_decision_starts_another_problems_search(engine: Engine, tmp_path: Path) -> None:
    first = searched(engine, tmp_path, "tree", trials=2)
    best = next(f.trial for f in weighed(engine, first).finalists if not f.is_baseline)
    made = signed(engine, first, best.id)
    other = searched(engine, tmp_path, metric="accuracy")
    plan = SettingsRequest(strategy="random", trials=2, workers=2, from_decisions=[made])

    def launched(**change: object) -> int:
        wanted = {"learner": "tree", "space": SPACES["tree"], "plan": plan, **change}
        return launching.launch(engine, other, SearchRequest.model_validate(wanted))

    search_id = launched()
    assert engine.join(search_id, 60)
    rows = trials.trial_page(engine.workspace, search_id).trials
    assert [(t.number, t.configuration) for t in rows if t.origin == "start"] == [(1, best.configuration)]
    for change, words in (
        ({"learner": "forest", "space": SPACES["forest"]}, "of tree; this search is of forest"),
        ({"space": "depth: 20 .. 30 int"}, f"Decision {made}"),
        ({"plan": plan.model_copy(update={"from_decisions": [99]})}, "no decision 99"),
    ):
        with pytest.raises(InvalidPlan, match=words):
            launched(**change)
    again = launching.repeat(engine, search_id, ["plan.seed=5"])
    assert engine.join(again, 60)
    assert sum(t.origin == "start" for t in trials.trial_page(engine.workspace, again).trials) == 1


def test_an_analysis_is_taken_up_after_the_engine_died(engine: Engine, tmp_path: Path) -> None:
    problem_id = searched(engine, tmp_path, "logistic", trials=2)
    started = ask_honest_score(engine, problem_id)
    engine.analyst.close()  # its process is killed; the row stays as a crash would leave it
    left = honest_score_view(engine.workspace, problem_id)
    again = Engine(engine.workspace)
    try:
        again.take_up()
        assert again.analyst.wait(started.id, 60).state == DONE
        assert left.state in ("running", DONE)
    finally:
        again.close()


def test_a_decision_whose_model_was_never_fitted_gets_it_at_the_next_start(engine: Engine, tmp_path: Path) -> None:
    problem_id = searched(engine, tmp_path, "logistic", trials=2)
    made = signed(engine, problem_id, weighed(engine, problem_id).finalists[0].trial.id)
    with sqlite3.connect(engine.workspace.database.path) as raw:
        raw.execute("DELETE FROM analysis WHERE kind = 'model'")
    assert (
        "when Pellux is started" in next(f for f in decision_detail(engine.workspace, made).files if f.name == "model.onnx").message
    )
    engine.take_up()
    engine.analyst.finish(60)
    assert {f.state for f in decision_detail(engine.workspace, made).files} == {"ready"}


def test_a_computation_that_raises_or_dies_says_why(engine: Engine, tmp_path: Path) -> None:
    problem_id = searched(engine, tmp_path, "logistic", trials=2)
    best = weighed(engine, problem_id).finalists[0].trial
    engine.workspace.folds_file(problem_id).rename(tmp_path / "gone.npy")
    row = engine.analyst.wait(ask_importance(engine, best.id).id, 60)
    assert row.state == "failed"
    assert "is gone: it holds the folds" in row.message
    (tmp_path / "gone.npy").rename(engine.workspace.folds_file(problem_id))
    assert engine.analyst.wait(ask_importance(engine, best.id).id, 60).state == DONE, "a failed one may be asked for again"
    with pytest.raises(BackgroundFailed, match="killed"):
        BackgroundProcess(os.abort).result()


def test_the_shortlist_by_rule(engine: Engine, tmp_path: Path) -> None:
    problem_id = searched(engine, tmp_path, "tree", trials=6)

    def by(rule: str, **query: object) -> set[int]:
        shortlist(engine.workspace, problem_id, ShortlistRequest(by="nothing"))
        weighing = FinalistsQuery.model_validate(query)
        count = shortlist(engine.workspace, problem_id, ShortlistRequest.model_validate({"by": rule, "weighing": weighing}))
        listed = {f.trial.id for f in weighed(engine, problem_id).finalists if f.trial.shortlisted}
        assert len(listed) == count
        return listed

    found = weighed(engine, problem_id, beside="log loss")
    tuned = [f for f in found.finalists if not f.is_baseline]
    assert by("rules") == {s.trial_id for s in found.suggestions} & {f.trial.id for f in tuned}
    leader = found.finalists[0].trial
    assert by("one standard error") == {f.trial.id for f in tuned if f.trial.mean >= leader.mean - leader.standard_error}
    assert by("front", beside="log loss") == set(found.front) & {f.trial.id for f in tuned}
    assert by("indistinguishable", region=1.0) == {f.trial.id for f in tuned}
    assert by("nothing") == set()
    with pytest.raises(InvalidPlan, match="second measure"):
        by("front")


def test_one_finalist_and_equal_scores(engine: Engine, tmp_path: Path) -> None:
    problem_id = searched(engine, tmp_path, "logistic", trials=2)
    with sqlite3.connect(engine.workspace.database.path) as raw:
        raw.execute("UPDATE trial SET mean = 0.5, standard_error = 0, rank_score = 0.5, scores = '[0.5, 0.5, 0.5, 0.5, 0.5]'")
    even = weighed(engine, problem_id)
    assert {f.comparison.words for f in even.finalists if f.comparison} == {"practically the same as the leader"}
    cheapest = min(even.finalists, key=lambda f: f.fit_seconds)
    assert next(s for s in even.suggestions if s.rule == "one standard error").trial_id == cheapest.trial.id
    with sqlite3.connect(engine.workspace.database.path) as raw:
        raw.execute("UPDATE trial SET state = 'failed', mean = NULL WHERE origin != 'baseline'")
    alone = weighed(engine, problem_id)
    assert [f.is_baseline for f in alone.finalists] == [True]
    assert len({s.trial_id for s in alone.suggestions}) == 1
    assert engine.analyst.wait(ask_honest_score(engine, problem_id).id, 60).state == DONE
    assert diagnostics(engine.workspace, alone.finalists[0].trial.id).baseline is None


def test_labels_without_probabilities(engine: Engine, tmp_path: Path) -> None:
    """As a learner that only labels would leave them: no curves, and the honest score of a label metric all the same."""
    problem_id = searched(engine, tmp_path, "logistic", trials=2, metric="accuracy")
    with sqlite3.connect(engine.workspace.database.path) as raw:
        for key, data in raw.execute("SELECT id, data FROM prediction").fetchall():
            raw.execute("UPDATE prediction SET data = ? WHERE id = ?", (encode(decode(data, 2).argmax(axis=1), "labels"), key))
    best = weighed(engine, problem_id).finalists[0].trial
    shown = diagnostics(engine.workspace, best.id)
    assert "without probabilities" in shown.trial.missing
    assert (shown.trial.cuts, shown.trial.labels is None) == (None, False)
    assert {m.key: m.trial for m in shown.metrics}["ROC AUC"] is None
    row = engine.analyst.wait(ask_honest_score(engine, problem_id).id, 60)
    assert row.result["raw"] == pytest.approx(best.mean, abs=1e-6)


def test_two_hundred_classes(engine: Engine, tmp_path: Path) -> None:
    rng = np.random.default_rng(0)
    codes = np.tile(np.arange(200), 6)
    columns = {
        "x": list(codes % 20 + rng.normal(0, 0.2, 1200)),
        "y": list(codes // 20 + rng.normal(0, 0.2, 1200)),
        "kind": [f"k{c:03d}" for c in codes],
    }
    table = imported(engine.workspace, tmp_path, columns, "many.csv")
    brief = BriefRequest(data=table.hash, target="kind", metric="log loss", folds="2 stratified", holdout=0, seed=1)
    problem_id = problems.create_problem(engine.workspace, brief)
    plan = SettingsRequest(strategy="random", trials=2, workers=2)
    search = launching.launch(engine, problem_id, SearchRequest(learner="tree", space="depth: 8 .. 12 int", plan=plan))
    assert engine.join(search, 90)
    best = weighed(engine, problem_id, beside="macro F1").finalists[0]
    assert best.beside is not None
    shown = diagnostics(engine.workspace, best.trial.id)
    assert shown.trial.labels.confusion is None, "40,000 cells are nobody's table"
    assert len(shown.trial.labels.classes) == 200
    assert 0 < len(shown.trial.labels.confused) <= 12
    assert engine.analyst.wait(ask_honest_score(engine, problem_id).id, 90).state == DONE
    page = content(engine.workspace, signed(engine, problem_id, best.trial.id), "report.html")[0].decode()
    assert page.count("<tr><td>k") == 200


def test_what_has_no_onnx_form_is_refused_in_words() -> None:
    rng = np.random.default_rng(0)
    rows = np.column_stack([rng.normal(size=900), rng.integers(0, 90, 900)]).astype(float)
    target = (rows[:, 0] > 0).astype(int)
    pooled = Pipeline([("prepare", transformer(Steps(), 2, (90,), "binary")), ("learn", LogisticRegression())]).fit(rows, target)
    with pytest.raises(Conflict, match="pooled"):
        onnx_form(pooled, rows, classes=True)

    class Odd(LogisticRegression):
        def predict_proba(self, given):
            return np.full((len(given), 2), 0.5)

    wrong = Pipeline([("learn", Odd())]).fit(rows, target)
    with pytest.raises(Conflict, match="no ONNX form|differ"):
        onnx_form(wrong, rows, classes=True)
