"""Runs the whole comparison and prints, for each kind of number, how many were compared and the largest difference."""

from __future__ import annotations

import io
import os
import subprocess
import sys
import tempfile
import time
import warnings
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, field
from datetime import date
from pathlib import Path
from typing import Any

import joblib
import numpy as np

from benchmarks.document import put
from benchmarks.numbers import by_hand
from benchmarks.numbers.problems import Case, cases, ground, write
from pellux.core.judging import fingerprint
from pellux.core.judging.honest_score import honest_score
from pellux.core.judging.predictions import as_needed, assemble_repeats
from pellux.core.objective import FitContext, Terms
from pellux.core.space import draw
from pellux.engine.artifacts import MemoryArtifacts
from pellux.engine.messages import StartFit
from pellux.objectives.tabular.evaluator import TabularEvaluator, TabularSource
from pellux.objectives.tabular.export.onnx_form import onnx_form
from pellux.objectives.tabular.export.training_script import Origin, training_script
from pellux.objectives.tabular.learners.catalogue import OURS
from pellux.objectives.tabular.whole_fit import Ground, fitted
from pellux.service.errors import Conflict
from pellux.service.workspace import Workspace

DRAWS = 1  # configurations drawn for each learner and problem, beside its defaults
# What would take long and shows nothing more.
CAPS = {"trees": 20, "rounds": 25, "epochs": 8, "width": 16, "layers": 2, "steps": 2000}
DECIDES = {"binary": "log loss", "multiclass": "log loss", "regression": "RMSE"}
MOST = {
    "fold scores": 1e-12, "recorded scores": 1e-12, "honest score: raw against the mean that was ranked": 1e-6,
    "model.joblib: predictions": 1e-12, "train.py --check: fold scores": 1e-9, "ONNX: probabilities": 1e-4,
    "ONNX: numbers, in units of their spread": 1e-5,
}  # fmt: skip


@dataclass
class Found:
    """How many numbers of a kind were compared, and where they differ most."""

    compared: dict[str, int] = field(default_factory=dict)
    furthest: dict[str, tuple[float, str]] = field(default_factory=dict)
    refused: list[str] = field(default_factory=list)

    def compare(self, kind: str, ours: Any, theirs: Any, where: str) -> None:
        one, other = np.atleast_1d(np.asarray(ours, dtype=float)), np.atleast_1d(np.asarray(theirs, dtype=float))
        gap = np.abs(one - other) / np.maximum(1.0, np.abs(other))
        gap = np.where(np.isnan(one) & np.isnan(other), 0.0, np.where(np.isnan(gap), np.inf, gap))
        self.note(kind, len(one), float(gap.max()), where)

    def note(self, kind: str, count: int, gap: float, where: str) -> None:
        self.compared[kind] = self.compared.get(kind, 0) + count
        if gap >= self.furthest.get(kind, (-1.0, ""))[0]:
            self.furthest[kind] = gap, where

    def add(self, other: Found) -> None:
        for kind, count in other.compared.items():
            self.note(kind, count, *other.furthest[kind])
        self.refused += other.refused


def configurations(key: str, task: str, seed: int) -> Iterator[dict[str, Any]]:
    learner, rng = OURS.learner(key, task), np.random.default_rng([seed, len(key)])
    for drawn in ({}, *(draw(learner.default_space(), rng) for _ in range(DRAWS))):
        whole = {**learner.defaults, **drawn}
        yield {name: min(value, CAPS[name]) if name in CAPS else value for name, value in whole.items()}


def learners(case: Case) -> list[str]:
    found = [one for one in OURS.every() if one.installed and case.task in one.tasks]
    return [one.key for one in found if one.weights or not case.weighted]


def evaluator(here: Ground, key: str) -> TabularEvaluator:
    return TabularSource(here.table_folder, here.folds_file, here.brief.to_json(), None, Terms(learner=key)).open()


def fits(case: Case, folder: Path, path: Path) -> Found:
    """Fold scores and recorded scores of every learner on a problem."""
    found, rows = Found(), by_hand.read(path, case.target, case.weighted)
    workspace = Workspace(folder)
    here = ground(workspace, path, case, DECIDES[case.task])
    folds = list(by_hand.cuts(rows, case.cut))
    context = FitContext(lambda level, score: None, lambda: False, MemoryArtifacts(), time.perf_counter)
    for key in learners(case):
        ours = evaluator(here, key)
        for number, settings in enumerate(configurations(key, case.task, len(case.plan))):
            for fold, (train, test) in enumerate(folds):
                result = ours.evaluate(StartFit(0, number, fold, 1, settings, key), context)
                model = by_hand.fitted(rows, key, case.task, settings, case.cut["seed"], train)
                weight = None if rows.weight is None else rows.weight[test]
                theirs = by_hand.scores(rows.target[test], model, rows.matrix[test], weight, case.classes)
                where = f"{key}, {case.task}, {case.plan}, fold {fold + 1}, {settings}"
                found.compare("fold scores", result.score, theirs.pop(here.brief.metric), where)
                for metric, score in theirs.items():
                    found.compare("recorded scores", result.recorded.get(metric, np.nan), score, f"{metric}, {where}")
    workspace.close()
    return found


def honest(case: Case, folder: Path, path: Path) -> Found:
    """For every metric: what the honest score calls raw, from kept predictions, against the best mean of fold scores."""
    found, workspace = Found(), Workspace(folder)
    context = FitContext(lambda level, score: None, lambda: False, MemoryArtifacts(), time.perf_counter)
    keys = ("ridge", "tree", "boosting") if case.task == "regression" else ("bayes", "tree", "logistic")
    for metric in OURS.metrics.of_task(case.task):
        here = ground(workspace, path, case, metric.key)
        rows = np.flatnonzero(here.assigned >= 0)
        lines, classes = here.folds.lines[:, rows], case.classes
        means, kept = [], []
        for key in keys:
            ours = evaluator(here, key)
            results = [ours.evaluate(StartFit(0, 1, fold, 1, {}, key), context) for fold in range(here.folds.folds * len(lines))]
            parts = {fold: result.predictions or b"" for fold, result in enumerate(results)}
            predicted = assemble_repeats(parts, lines, here.folds.folds, classes)
            given = None if predicted is None else as_needed(predicted, metric.needs)
            assert given is not None
            means.append(float(np.mean([result.score for result in results])))
            kept.append(given)
        raw = honest_score(
            metric, here.target[rows], lines, classes, lambda some, kept=kept: (kept[i] for i in some), len(keys),  # type: ignore[misc]
            np.random.default_rng(1), here.weight_of(rows),
        ).raw  # fmt: skip
        best = max(means) if metric.larger_is_better else min(means)
        found.compare("honest score: raw against the mean that was ranked", raw, best, f"{metric.key}, {case.task}, {case.plan}")
    workspace.close()
    return found


def exports(case: Case, folder: Path, path: Path) -> Found:
    """Script, model and ONNX of every learner's defaults, against a pipeline by hand on all rows."""
    import onnxruntime

    found, rows = Found(), by_hand.read(path, case.target, case.weighted)
    workspace = Workspace(folder)
    here = ground(workspace, path, case, DECIDES[case.task])
    everything = np.arange(len(rows.target))
    for key in learners(case):
        settings, where = next(configurations(key, case.task, 0)), f"{key}, {case.task}"
        model = by_hand.fitted(rows, key, case.task, settings, case.cut["seed"], everything)
        wanted = model.predict_proba(rows.matrix) if case.classes else model.predict(rows.matrix)
        packed = io.BytesIO()
        joblib.dump(fitted(key, settings, here, here.known), packed)
        packed.seek(0)
        loaded = joblib.load(packed)
        said = loaded.predict_proba(here.matrix) if case.classes else loaded.predict(here.matrix)
        found.compare("model.joblib: predictions", said.ravel(), wanted.ravel(), where)
        found.add(_script(here, key, settings, rows, case, path, folder / f"train_{key}.py", where))
        try:
            form = onnx_form(loaded, here.matrix, classes=bool(case.classes))
        except Conflict as refusal:
            found.refused.append(f"{where}: {refusal.message[:90]}")
            continue
        session = onnxruntime.InferenceSession(form.model, providers=["CPUExecutionProvider"])
        got = np.asarray(session.run(None, {"rows": here.matrix.astype(np.float32)})[-1], dtype=float).reshape(wanted.shape)
        kind, scale = (
            ("ONNX: probabilities", 1.0) if case.classes else ("ONNX: numbers, in units of their spread", float(np.std(wanted)))
        )
        found.note(kind, wanted.size, float(np.abs(got - wanted).max()) / scale, where)
    workspace.close()
    return found


def _script(
    here: Ground, key: str, settings: dict[str, Any], rows: by_hand.Rows, case: Case, path: Path, script: Path, where: str
) -> Found:
    """`train.py --check`, told the scores that were computed by hand: it has to find the same."""
    found, theirs = Found(), []
    for train, test in by_hand.cuts(rows, case.cut):
        model = by_hand.fitted(rows, key, case.task, settings, case.cut["seed"], train)
        theirs.append(by_hand.scores(rows.target[test], model, rows.matrix[test], None, case.classes)[here.brief.metric])
    origin = Origin("numbers", "by hand", theirs, fingerprint(here.folds.kept), {})
    script.write_text(training_script(here, key, settings, origin), "utf-8")
    done = subprocess.run([sys.executable, str(script), str(path), "--check"], capture_output=True, text=True)
    if done.returncode not in (0, 1) or not done.stdout.startswith("{"):
        raise RuntimeError(f"{where}: {done.stderr}")
    import json

    found.compare("train.py --check: fold scores", json.loads(done.stdout)["scores"], theirs, where)
    return found


def one(job: tuple[str, Case]) -> Found:
    kind, case = job
    warnings.simplefilter("ignore")
    with tempfile.TemporaryDirectory() as folder:
        path = write(Path(folder) / "rows.csv")
        does = {"fits": fits, "honest": honest, "exports": exports}[kind]
        return does(case, Path(folder) / "workspace", path)


def main() -> int:
    begun = time.monotonic()
    os.environ.update(OMP_NUM_THREADS="1", OPENBLAS_NUM_THREADS="1")
    every = list(cases())
    plain = [
        case for case in every if case.plan in ("stratified", "shuffled") and (case.plan == "stratified") == bool(case.classes)
    ]
    repeated = [case for case in every if " x " in case.plan or "weighted" in case.plan]
    jobs = [("exports", c) for c in plain] + [("fits", c) for c in every] + [("honest", c) for c in [*plain, *repeated]]
    found = Found()
    with ProcessPoolExecutor(2) as pool:
        for job, part in zip(jobs, pool.map(one, jobs), strict=True):
            found.add(part)
            print(f"{time.monotonic() - begun:5.0f} s  {job[0]}: {job[1].task}, {job[1].plan}", file=sys.stderr, flush=True)
    wrong = [kind for kind, most in MOST.items() if not found.furthest.get(kind, (np.inf, ""))[0] <= most]
    put("numbers", _table(found, wrong, time.monotonic() - begun))
    for line in found.refused:
        print(f"no ONNX form: {line}")
    return 1 if wrong else 0


def _table(found: Found, wrong: list[str], seconds: float) -> list[str]:
    lines = [
        "## Numbers", "",
        f"Written by `make check-numbers` on {date.today().isoformat()} in {seconds:.0f} s. Every learner, task and split plan (with repeats, gap, groups,",
        "folds of the data's own and weights): the same scores computed by hand, from the CSV file on, with scikit-learn and nothing of Pellux.",
        f"Differences are relative where a number is larger than 1. {'All within what is allowed.' if not wrong else 'WRONG: ' + ', '.join(wrong)}",
        f"{len(found.refused)} of the models have no ONNX form that agrees, and are not handed out.", "",
        "| numbers | compared | largest difference | allowed |", "|---|---|---|---|",
    ]  # fmt: skip
    for kind, most in MOST.items():
        gap, where = found.furthest.get(kind, (np.inf, "nothing was compared"))
        lines.append(f"| {kind} | {found.compared.get(kind, 0):,} | {gap:.1e} | {most:.0e} |")
        print(f"{gap:.1e}  {kind}: {where}", file=sys.stderr)
    return lines


if __name__ == "__main__":
    sys.exit(main())
