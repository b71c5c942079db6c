"""What own code predicted: read, refused, and what follows from it — honest score, curves — against an independent computation."""

from __future__ import annotations

import json
import textwrap
from collections.abc import Iterator
from contextlib import closing
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from sklearn.metrics import confusion_matrix, log_loss, roc_auc_score

from pellux.core.errors import Conflict
from pellux.core.judging.predictions import decode, truth_in
from pellux.objectives.code.predictions import Truth, Unreadable, read_predictions_file
from pellux.service.decisions.candidates import FinalistsQuery
from pellux.service.decisions.decisions import DecisionRequest, decide
from pellux.service.decisions.diagnostics import diagnostics
from pellux.service.decisions.finalists import finalists
from pellux.service.decisions.judgements import ask_honest_score, honest_score_view
from pellux.service.decisions.report.page import report
from pellux.service.engine.engine import Engine
from pellux.service.planning.code_requests import CodeBriefRequest
from pellux.service.planning.launching import launch
from pellux.service.planning.requests import SearchRequest, checked
from pellux.service.problems.code_problems import create_code_problem
from pellux.service.searches.searches import search_view, set_state
from pellux.service.searches.trials import trial_detail
from pellux.service.workspace import Workspace
from pellux.store.decisions import get_decision
from pellux.store.problems import get_problem
from tests.waiting import until

HEAD = "row,truth,"


@pytest.mark.parametrize(
    ("text", "task", "classes", "truth", "predicted"),
    [
        (HEAD + "predicted\n10,1,0\n9,0,0\n", "binary", ("0", "1"), [0, 1], [0, 0]),
        (HEAD + "predicted\nb,cat,dog\na,ox,ox\n", "multiclass", ("cat", "dog", "ox"), [2, 0], [2, 1]),
        (HEAD + "predicted\n1,0.5,0.25\n2,1.5,1.75\n", "regression", (), [0.5, 1.5], [0.25, 1.75]),
        (HEAD + "no,yes\n1,yes,0.25,0.75\n2,no,1,0\n", "binary", ("no", "yes"), [1, 0], [[0.25, 0.75], [1, 0]]),
    ],
)
def test_a_file_is_read_in_the_order_of_its_rows(
    tmp_path: Path, text: str, task: str, classes: Any, truth: Any, predicted: Any
) -> None:
    (tmp_path / "predictions.csv").write_text(text)
    found = read_predictions_file(tmp_path)
    assert found is not None
    told = Truth.from_bytes(truth_in(found) or b"")
    assert (told.task, told.classes, told.truth.tolist()) == (task, classes, truth)
    assert decode(found, max(len(classes), 1)).tolist() == predicted


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("", "it is empty"), ("id,truth,predicted\n1,1,1\n", "begins with row, truth"), (HEAD + "predicted\n", "has 0 rows"),
        (HEAD + "predicted\n1,1\n", "line 2"), (HEAD + "predicted\n1,1,1\n1,0,0\n", "a row twice"), (HEAD + "predicted\n1,a,a\n", "1 classes"),
        (HEAD + "no,yes\n1,maybe,0.5,0.5\n", "the truth 'maybe'"), (HEAD + "no,yes\n1,no,0.9,0.9\n", "sum to 1"),
        (HEAD + "no,yes\n1,no,x,1\n", "no finite number"), (HEAD + "no,yes\n1,no,nan,1\n", "no finite number"), (HEAD + "no,no\n1,no,0,1\n", "each once"),
    ],
)  # fmt: skip
def test_a_file_that_cannot_be_used_says_why(tmp_path: Path, text: str, words: str) -> None:
    (tmp_path / "predictions.csv").write_text(text)
    with pytest.raises(Unreadable, match=words):
        read_predictions_file(tmp_path)


PROGRAM = """
import csv, json, os, sys
import numpy as np
x, fold, folds, folder = float(sys.argv[1]), int(sys.argv[2]), int(sys.argv[3]), sys.argv[4]
rng = np.random.default_rng(5)
truth = rng.random(400) < 0.4
seen = truth + rng.normal(0, 1, 400)
noise = np.random.default_rng(int(x * 1e6) % 2**31).normal(0, abs(x - 0.3) + 0.05, 400)
chance = 1 / (1 + np.exp(-2 * (seen + noise - 0.5)))
here = np.flatnonzero(np.arange(400) % folds == fold)
with open(os.path.join(folder, "predictions.csv"), "w", newline="") as file:
    lines = csv.writer(file)
    lines.writerow(["row", "truth", "cool", "warm"])
    for row in here[::-1]:
        lines.writerow([row, "warm" if truth[row] else "cool", 1 - chance[row], chance[row]])
above = chance[here][truth[here]][:, None] > chance[here][~truth[here]]
print(json.dumps({"val_roc_auc": above.mean()}))
"""


@pytest.fixture(scope="module")
def searched(tmp_path_factory: pytest.TempPathFactory) -> Iterator[tuple[Engine, int, int]]:
    folder = tmp_path_factory.mktemp("predicted")
    (folder / "train.py").write_text(PROGRAM)
    workspace = Workspace(folder / "w", allowed=[folder])
    with closing(workspace), closing(Engine(workspace)) as engine:
        brief = checked(
            CodeBriefRequest,
            {
                "runs": "python train.py {x} {fold} {folds} {folder}",
                "judged by": {"score": "val_roc_auc"},
                "folds": 4,
                "name": "Warm?",
            },
        )
        problem = create_code_problem(workspace, brief)
        plan = {"strategy": "random", "trials": 6, "seed": 2, "workers": 2}
        search = launch(engine, problem, checked(SearchRequest, {"space": "x: -1 .. 1", "plan": plan}))
        assert engine.join(search, 90)
        yield engine, problem, search


@pytest.mark.slow
def test_curves_tables_and_the_honest_score_follow_from_them(searched: tuple[Engine, int, int]) -> None:
    engine, problem, _ = searched
    found = finalists(engine.workspace, problem, FinalistsQuery())
    assert found.predicted
    best = found.finalists[0].trial
    shown = diagnostics(engine.workspace, best.id)
    assert (shown.task, shown.classes, shown.rows) == ("binary", ["cool", "warm"], 400)
    rng = np.random.default_rng(5)
    truth = rng.random(400) < 0.4
    seen = truth + rng.normal(0, 1, 400)
    x = best.configuration["x"]
    noise = np.random.default_rng(int(x * 1e6) % 2**31).normal(0, abs(x - 0.3) + 0.05, 400)
    chance = 1 / (1 + np.exp(-2 * (seen + noise - 0.5)))
    assert shown.trial.cuts.area == pytest.approx(roc_auc_score(truth, chance))
    assert shown.trial.labels.confusion == confusion_matrix(truth, chance > 0.5).tolist()
    told = {m.key: m for m in shown.metrics}
    folds = [np.arange(400) % 4 == k for k in range(4)]
    assert told["log loss"].trial == pytest.approx(np.mean([log_loss(truth[f], chance[f]) for f in folds]))
    assert told["ROC AUC"].decides
    assert told["ROC AUC"].trial == pytest.approx(best.mean)
    engine.analyst.wait(ask_honest_score(engine, problem).id, 60)
    honest = honest_score_view(engine.workspace, problem)
    assert honest.state == "done", honest.message
    assert honest.trials == 7
    assert honest.raw == pytest.approx(best.mean)
    assert honest.low < honest.score < honest.high


@pytest.mark.slow
def test_the_report_has_them_and_a_program_without_them_says_so(searched: tuple[Engine, int, int], tmp_path: Path) -> None:
    engine, problem, _ = searched
    workspace = engine.workspace
    best = finalists(workspace, problem, FinalistsQuery()).finalists[0].trial
    made = decide(engine, problem, DecisionRequest(trial_id=best.id))
    with workspace.database.read() as session:
        page = report(workspace, get_decision(session, made))
    assert "Tuned against baseline" in page
    assert "cool" in page
    (workspace.allowed[0] / "plain.py").write_text("import sys; print(-float(sys.argv[1]) ** 2)")
    brief = checked(CodeBriefRequest, {"runs": "python plain.py {x}", "judged by": {"score": "closeness"}, "folds": 2})
    plain = create_code_problem(workspace, brief)
    search = launch(engine, plain, checked(SearchRequest, {"space": "x: -1 .. 1", "plan": {"trials": 2, "strategy": "random"}}))
    engine.join(search, 60)
    found = finalists(workspace, plain, FinalistsQuery())
    assert not found.predicted
    with pytest.raises(Conflict, match=r"left no predictions of its rows \(predictions.csv\)"):
        diagnostics(workspace, found.finalists[0].trial.id)


@pytest.mark.slow
def test_code_that_changes_pauses_the_search_and_begins_a_new_problem(tmp_path: Path) -> None:
    code = textwrap.dedent("""
        import sys, time
        time.sleep(0.1)
        print(-float(sys.argv[1]) ** 2)
    """)
    (tmp_path / "train.py").write_text(code)
    workspace = Workspace(tmp_path / "w", allowed=[tmp_path])
    with closing(workspace), closing(Engine(workspace)) as engine:
        brief = checked(CodeBriefRequest, {"runs": "python train.py {x}", "judged by": {"score": "s"}})
        problem = create_code_problem(workspace, brief, reuse=True)
        plan = {"trials": 30, "strategy": "random", "workers": 1}
        search = launch(engine, problem, checked(SearchRequest, {"space": "x: -1 .. 1", "plan": plan}))
        until(lambda: search_view(engine, search).trials.scored >= 2)
        (tmp_path / "train.py").write_text(code.replace("** 2", "** 4"))
        until(lambda: search_view(engine, search).state == "paused")
        view = search_view(engine, search)
        assert view.reason.startswith("Its code changed while it ran (train.py)")
        assert view.trials.failed == 0
        other = create_code_problem(workspace, brief, reuse=True)
        assert other != problem
        with workspace.database.read() as session:
            assert get_problem(session, other).derived_from == problem
        (tmp_path / "train.py").write_text(code)
        assert create_code_problem(workspace, brief, reuse=True) == problem, "it is the old one again"
        set_state(engine, search, "running")
        assert engine.join(search, 90)
        view = search_view(engine, search)
        assert (view.state, view.trials.scored, view.trials.failed) == ("finished", 31, 0)
        best = view.best
        detail = trial_detail(workspace, best.trial_id)
        assert detail.command == ["python", "train.py", json.dumps(detail.configuration["x"])]
