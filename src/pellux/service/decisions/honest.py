"""The honest score, computed in a process of its own; predictions are read one after another, without what else a database needs."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import asdict
from pathlib import Path
from typing import Any

import numpy as np

from pellux.core.errors import Conflict
from pellux.core.judging.aims import Aim
from pellux.core.judging.honest_front import honest_front
from pellux.core.judging.honest_score import Resampler, honest_score
from pellux.core.judging.metrics import Metric
from pellux.core.judging.predictions import as_needed, assemble_repeats
from pellux.objectives.code.ground import CodeGround
from pellux.objectives.tabular.whole_fit import Ground
from pellux.store.predictions import Key, read_predictions

Judged = Ground | CodeGround


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
