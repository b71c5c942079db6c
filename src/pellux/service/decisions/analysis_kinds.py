"""What can be analysed, and how each analysis is prepared here and computed in its own process."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import asdict
from pathlib import Path
from typing import Any

import numpy as np

from pellux.core.errors import Conflict
from pellux.core.judging.aims import Aim
from pellux.core.judging.honest_front import honest_front
from pellux.core.judging.honest_score import Resampler, honest_score
from pellux.core.judging.metrics import Metric
from pellux.core.judging.overfitting import verdict
from pellux.core.judging.predictions import as_needed, assemble_repeats
from pellux.core.objective import SCHEDULE
from pellux.core.space import Space, parse
from pellux.objectives.code.brief import KINDS as CODE
from pellux.objectives.code.brief import CodeBrief
from pellux.objectives.code.final_run import final_run
from pellux.objectives.code.ground import CodeGround
from pellux.objectives.code.objective import sent_file
from pellux.objectives.tabular.column_importance import column_importance
from pellux.objectives.tabular.drawn_tree import drawn_tree
from pellux.objectives.tabular.export.final_model import write_final_model
from pellux.objectives.tabular.holdout_judgement import judge_on_holdout
from pellux.objectives.tabular.whole_fit import Ground
from pellux.service.decisions.grounds import Judged, ground_of, judged_on
from pellux.service.engine.analyses import Job, Prepare
from pellux.service.evidence.kinds import SAYS, SURFACE, prepare, prepare_surface
from pellux.service.evidence.replaying import REPLAYED, prepare_replay
from pellux.service.searches.lookups import final_settings, learner_of, whose
from pellux.service.workspace import Workspace
from pellux.store.predictions import Key, read_predictions
from pellux.store.problems import get_problem
from pellux.store.records import Trial
from pellux.store.runs import get_search
from pellux.store.trials import by_ids

KEPT = "kept"  # the folder of a decision with what the final run kept
HONEST, IMPORTANCE, TREE, HOLDOUT_LOOK, MODEL = "honest score", "column importance", "tree", "holdout", "model"


def _chosen(workspace: Workspace, trial_id: int) -> tuple[str, dict[str, Any], Trial]:
    with workspace.database.read() as session:
        trial, search, problem = whose(session, trial_id)
        objective = workspace.objective(problem)
        return learner_of(objective, search, trial), final_settings(session, objective, search, trial), trial


def _honest(workspace: Workspace, problem_id: int, request: Mapping[str, Any]) -> Job:
    with workspace.database.read() as session:
        found = by_ids(session, request["trials"])
    keys, ids = [(trial.search_id, trial.number) for trial in found.values()], list(found)
    ground = judged_on(workspace, problem_id)
    if isinstance(ground, CodeGround) and not ground.named:
        raise Conflict(
            "The honest score is of metrics that are known here: call the score like one of them, such as 'recall' or 'RMSE'."
        )
    aims = workspace_aims(workspace, problem_id, request.get("against", []))
    told = [[(trial.measured or {}).get(aim.measure) for aim in aims] for trial in found.values()]
    return Job(compute_honest, (workspace.database.path, ground, keys, ids, aims, told))


def workspace_aims(workspace: Workspace, problem_id: int, names: Sequence[str]) -> tuple[Aim, ...]:
    with workspace.database.read() as session:
        return workspace.objective(get_problem(session, problem_id)).judging.weighed(names)


def compute_honest(
    database: Path,
    ground: Judged,
    keys: Sequence[Key],
    ids: Sequence[int],
    aims: Sequence[Aim] = (),
    told: Sequence[Sequence[float | None]] = (),
) -> dict[str, Any]:
    brief = ground.brief
    rows = np.flatnonzero(ground.assigned >= 0)
    lines, truth, classes = ground.folds.lines[:, rows], ground.target[rows], len(brief.classes)

    def predictions(chosen: Sequence[Key]) -> Iterable[np.ndarray[Any, Any] | None]:
        for parts in read_predictions(database, chosen):
            found = assemble_repeats(ground.matching(parts), lines, ground.folds.folds, classes)
            yield None if found is None else as_needed(found, brief.judged_by.needs)

    usable = [place for place, found in enumerate(predictions(keys)) if found is not None]
    found = honest_score(
        brief.judged_by, truth, lines, classes,
        lambda chosen: (p for p in predictions([keys[usable[i]] for i in chosen]) if p is not None),
        len(usable), np.random.default_rng([brief.seed, len(usable)]), ground.weight_of(rows),
    )  # fmt: skip
    wins = {ids[usable[i]]: share for i, share in enumerate(found.wins) if share > 0}
    places = [{**asdict(place), "trial": ids[usable[place.trial]]} for place in found.places]
    return {**asdict(found), "wins": [[trial, share] for trial, share in sorted(wins.items(), key=lambda w: -w[1])], "places": places,
            "trials": len(usable), "without_predictions": len(keys) - len(usable),
            "metrics": _honest_metrics(database, ground, keys, usable, aims, told)}  # fmt: skip


def _honest_metrics(
    database: Path,
    ground: Judged,
    keys: Sequence[Key],
    usable: Sequence[int],
    aims: Sequence[Aim],
    told: Sequence[Sequence[float | None]],
) -> list[dict[str, Any]]:
    """Where several metrics decide: what to expect of each of the knee's."""
    if not aims:
        return []
    brief, rows = ground.brief, np.flatnonzero(ground.assigned >= 0)
    lines, truth, classes = ground.folds.lines[:, rows], ground.target[rows], len(brief.classes)
    known = {metric.key: metric for metric in brief.metrics.every()}
    metrics = [brief.judged_by, *(known.get(aim.measure) for aim in aims)]

    def predictions(metric: Metric, chosen: Sequence[int]) -> Iterable[np.ndarray[Any, Any]]:
        for parts in read_predictions(database, [keys[usable[i]] for i in chosen]):
            found = assemble_repeats(ground.matching(parts), lines, ground.folds.folds, classes)
            given = None if found is None else as_needed(found, metric.needs)
            if given is None:
                raise Conflict(f"A trial on the front has not kept the predictions that {metric.key} is computed from.")
            yield given

    rng, counts = np.random.default_rng([brief.seed, len(usable), 1]), ground.weight_of(rows)
    score = _raw_scores(brief.judged_by, truth, lines, classes, predictions, len(usable), counts)
    beside = [[np.nan if v is None else aim.sign * v for aim, v in zip(aims, told[place], strict=True)] for place in usable]
    values = np.column_stack([score, np.array(beside, dtype=float)])
    if not np.isfinite(values).all(1).any():
        return []  # no trial that kept its predictions was measured for all of them
    found = honest_front(metrics, values, truth, lines, classes, predictions, rng, counts)
    names = [brief.metric, *(aim.measure for aim in aims)]
    # What is not predicted was turned so that larger is better.
    signs = [1, *(1 if known.get(aim.measure) else aim.sign for aim in aims)]
    return [
        {**asdict(one), "raw": sign * one.raw, "score": sign * one.score, "measure": name}
        for name, sign, one in zip(names, signs, found, strict=True)
    ]


def _raw_scores(metric: Metric, truth: Any, lines: Any, classes: int, predictions: Any, trials: int, counts: Any) -> list[float]:
    resampler = Resampler(metric, truth, lines, classes, counts)
    whole = np.ones((resampler.size, 1), dtype=np.float32)
    return [metric.sign * float(resampler.scores(p, whole)[0]) for p in predictions(metric, range(trials))]


def _importance(workspace: Workspace, problem_id: int, request: Mapping[str, Any]) -> Job:
    key, settings, _ = _chosen(workspace, request["trial"])
    return Job(compute_importance, (ground_of(workspace, problem_id), key, settings))


def compute_importance(ground: Ground, key: str, settings: Mapping[str, Any]) -> dict[str, Any]:
    return {"columns": [asdict(column) for column in column_importance(ground, key, settings)]}


def _tree(workspace: Workspace, problem_id: int, request: Mapping[str, Any]) -> Job:
    key, settings, _ = _chosen(workspace, request["trial"])
    if key != "tree":
        raise Conflict("Only a decision tree can be drawn; this trial is another learner's.")
    return Job(drawn_tree, (ground_of(workspace, problem_id), settings))


def _holdout(workspace: Workspace, problem_id: int, request: Mapping[str, Any]) -> Job:
    key, settings, trial = _chosen(workspace, request["trial"])
    baseline = request.get("baseline")
    other = _chosen(workspace, baseline)[:2] if baseline is not None else None
    return Job(compute_holdout, (ground_of(workspace, problem_id), (key, settings), trial.mean, trial.standard_error, other))


def compute_holdout(
    ground: Ground,
    chosen: tuple[str, dict[str, Any]],
    mean: float,
    error: float | None,
    baseline: tuple[str, dict[str, Any]] | None,
) -> dict[str, Any]:
    found = judge_on_holdout(ground, [chosen] if baseline is None else [chosen, baseline])
    views = [{k: v for k, v in asdict(one).items() if k != "predictions"} for one in found]
    sign = ground.brief.judged_by.sign
    words = verdict(
        sign * found[0].train, sign * mean, error, sign * found[0].holdout, found[0].error,
        sign * found[1].holdout if len(found) > 1 else None,
    )  # fmt: skip
    rows = int(ground.folds.held.sum())
    return {"chosen": views[0], "baseline": views[1] if len(views) > 1 else None, "verdict": words, "rows": rows, "folds": mean,
            "folds_error": error}  # fmt: skip


def _model(workspace: Workspace, problem_id: int, request: Mapping[str, Any]) -> Job:
    key, settings, trial = _chosen(workspace, request["trial"])
    with workspace.database.read() as session:
        problem, search = get_problem(session, problem_id), get_search(session, trial.search_id)
    if problem.objective in CODE:
        return _final_run(workspace, CodeBrief.from_json(problem.brief), settings, parse(search.space), request["decision"])
    folder = workspace.decision_folder(request["decision"])
    return Job(write_final_model, (ground_of(workspace, problem_id), key, settings, folder))


def _final_run(workspace: Workspace, brief: CodeBrief, settings: dict[str, Any], space: Space, decision_id: int) -> Job:
    """The winner trained on everything, where the program says that it can; else its folds keep what they kept."""
    if not brief.final:
        return Job(nothing_to_train, ())
    sent = sent_file(workspace.own_folder, brief.sent) if brief.sent else None
    devices = workspace.devices.names[: brief.holds.devices]
    target = workspace.decision_folder(decision_id) / KEPT
    return Job(final_run, (brief, stages_of(brief, settings), tuple(space.by_name), devices, target, sent))


def nothing_to_train() -> dict[str, Any]:
    return {}


def stages_of(brief: CodeBrief, settings: Mapping[str, Any]) -> list[tuple[dict[str, Any], int]]:
    """Final settings as the runs that train them: one, or one for each interval of a schedule."""
    counter = brief.grows.what if brief.grows else ""
    level = int(settings.get(counter, brief.most))
    own = {name: value for name, value in settings.items() if name not in (counter, SCHEDULE)}
    return [({**own, **changing}, int(until)) for until, changing in settings.get(SCHEDULE, [])] or [(own, level)]


KINDS: dict[str, Prepare] = {
    HONEST: _honest, IMPORTANCE: _importance, TREE: _tree, HOLDOUT_LOOK: _holdout, MODEL: _model, SAYS: prepare,
    SURFACE: prepare_surface, REPLAYED: prepare_replay,
}  # fmt: skip
