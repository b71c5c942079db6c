"""Fits of learners on the folds of a table: the tabular objective's evaluator."""

from __future__ import annotations

import contextlib
import shutil
import time
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import numpy as np

from pellux.core.errors import FileGone
from pellux.core.judging import Brief
from pellux.core.judging.limits import PREDICT_MS
from pellux.core.objective import Elsewhere, FitContext, FitFailed, FitOrder, FitResult, Terms, Unavailable
from pellux.core.reasons import because
from pellux.core.stopping import ITERATIONS, ROWS
from pellux.objectives.tabular import checkpoints
from pellux.objectives.tabular.fitting import Fitted, fit_fold, model_bytes
from pellux.objectives.tabular.fold_data import FoldData, PreparedFold
from pellux.objectives.tabular.growing import Progress, Tending, grow_fold
from pellux.objectives.tabular.learners.settings import Learner
from pellux.objectives.tabular.own.declared import catalogue_of
from pellux.objectives.tabular.prediction_time import predict_ms
from pellux.objectives.tabular.prefixes import Prefixes
from pellux.objectives.tabular.preparation import steps_of
from pellux.tables.files import FOLDS, array
from pellux.tables.table import FILES, Table

EVERY = 5.0  # seconds of training that a crash may cost


@dataclass(frozen=True)
class TabularSource:
    """What a worker opens: where the table, the folds and people's own code lie, and how the search fits.

    `brief` is its JSON form: what it names is looked up where it is opened.
    """

    table: Path
    folds: Path
    brief: Mapping[str, Any]
    own: Path | None
    terms: Terms

    def open(self) -> TabularEvaluator:
        try:
            return TabularEvaluator(self)
        except FileGone as missing:
            raise Unavailable(because("file gone", file=missing.path, why=missing.message)) from None

    def files(self) -> Mapping[str, str]:
        found = {f"table/{name}": str(self.table / name) for name in FILES} | {"folds.npy": str(self.folds)}
        if self.own is not None and self.own.is_dir():
            for path in sorted(self.own.rglob("*")):
                if path.is_file() and "__pycache__" not in path.parts:
                    found[f"own/{path.relative_to(self.own)}"] = str(path)
        return found

    def moved(self, place: Elsewhere) -> TabularSource:
        root = Path(place.folder)
        own = None if self.own is None else root / "own"
        terms = replace(self.terms, shared=place.shared if self.terms.shared else "")
        return TabularSource(root / "table", root / "folds.npy", self.brief, own, terms)

    def tidy(self) -> None:
        if self.terms.shared:
            shutil.rmtree(self.terms.shared, ignore_errors=True)


class TabularEvaluator:
    """A worker's own copy of the problem, opened once."""

    def __init__(self, source: TabularSource) -> None:
        self.catalogue, self.terms = catalogue_of(source.own), source.terms
        self.brief = Brief.from_json(source.brief, self.catalogue.metrics)
        prefixes = Prefixes(self.terms.shared_bytes, Path(self.terms.shared) if self.terms.shared else None)
        self.data = FoldData(Table.open(source.table), self.brief, array(source.folds, FOLDS), prefixes)

    def evaluate(self, order: FitOrder, context: FitContext) -> FitResult:
        begun = context.clock()
        chosen, configuration = self.catalogue.learner(order.learner or self.terms.learner, self.brief.task).settle(
            order.configuration
        )
        if self.terms.resource == ITERATIONS:
            return self._grow(order, chosen, context)
        share = order.level / self.terms.most if self.terms.resource == ROWS else 1.0
        fold = self.data.prepared(order.fold, steps_of(chosen, configuration), share)
        fitted = fit_fold(fold, chosen, configuration, self.brief, context.clock)
        # Models of one trial are much alike: the size of the first says enough, and costs the others nothing.
        size = model_bytes(fitted.model) if order.fold == 0 else None
        if not np.isfinite(fitted.score):
            missed = because("no score", metric=self.brief.metric, score=str(fitted.score), rows=len(fold.test))
            raise FitFailed(missed, fitted.warnings)
        return FitResult(
            fitted.score, context.clock() - begun, fitted.predict_seconds, fitted.warnings, fitted.predictions, size,
            recorded=self._recorded(fitted, fold, context),
        )  # fmt: skip

    def _recorded(self, fitted: Fitted, fold: PreparedFold, context: FitContext) -> Mapping[str, float]:
        """Scores by other metrics, and how long the model predicts where the search has a limit on that."""
        if PREDICT_MS not in self.terms.limited:
            return fitted.recorded
        return {**fitted.recorded, PREDICT_MS: predict_ms(fitted.model, fold.test, self.brief, context.clock)}

    def _grow(self, order: FitOrder, chosen: Learner, context: FitContext) -> FitResult:
        """A fit that goes on from its checkpoint, tells its scores as they come, and leaves a checkpoint behind."""
        fold = self.data.prepared(order.fold, steps_of(chosen, order.configuration))
        keeping = _Keeping(context, order.trial, order.fold, [a.trial for a in reversed(order.ancestors)])
        begun = keeping.begin()
        stages = [*((a.configuration, a.level) for a in order.ancestors), (order.configuration, order.level)]
        tending = Tending(context.point, context.nobody_waits, keeping.now_and_then)
        fitted = grow_fold(fold, chosen, stages, self.terms.grid, self.brief, context.clock, begun, tending)
        first = order.ancestors[-1].level if order.ancestors else 0
        curve = tuple(point for point in begun.curve if point[0] > first)
        if not curve:
            missed = because("no score anywhere", metric=self.brief.metric, score=str(fitted.score))
            raise FitFailed(missed, fitted.warnings, fitted.seconds)
        size = keeping.leave(begun)
        if order.last:
            keeping.lay_down(begun)
        return FitResult(
            curve[-1][1], fitted.seconds, fitted.predict_seconds, (*keeping.complaints, *fitted.warnings),
            model_bytes=model_bytes(fitted.model) if order.fold == 0 else None, curve=curve, checkpoint_bytes=size,
            recorded=self._recorded(fitted, fold, context),
        )  # fmt: skip


class _Keeping:
    """The checkpoints of one fit: its own, else that of the nearest ancestor, to begin from; its own to leave behind."""

    def __init__(self, context: FitContext, trial: int, fold: int, ancestors: Sequence[int]) -> None:
        self._kept = context.kept
        self._trial, self._fold, self._ancestors = trial, fold, ancestors
        self._last = time.monotonic()
        self.complaints: tuple[str, ...] = ()

    def begin(self) -> Progress:
        """The furthest there is; a new beginning where nothing usable is left."""
        for trial in (self._trial, *self._ancestors):
            progress, complaint = checkpoints.read(self._kept, trial, self._fold)
            if complaint:
                self.complaints += (complaint,)
            if progress is not None:
                return progress
        return Progress()

    def now_and_then(self, progress: Progress) -> None:
        if time.monotonic() - self._last >= EVERY:
            self.leave(progress)
            self._last = time.monotonic()

    def lay_down(self, progress: Progress) -> None:
        """What was predicted at each iteration of a whole fit, for whoever learns which one counts."""
        with contextlib.suppress(OSError):  # the score stands; its predictions are missing then
            checkpoints.write_left(self._kept, self._trial, self._fold, progress)

    def leave(self, progress: Progress) -> int:
        """Write a checkpoint; its bytes. A full disk costs the checkpoint, not the fit."""
        try:
            return checkpoints.write(self._kept, self._trial, self._fold, progress)
        except OSError as error:
            self.complaints += (f"No checkpoint could be written ({error.strerror}); if it goes on, it starts anew.",)
            return 0
