"""Fits of somebody's own function, plain or generator, in a worker process."""

from __future__ import annotations

import hashlib
import importlib.util
import inspect
import math
import os
import pickle
import sys
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

from threadpoolctl import threadpool_limits

from pellux.core.errors import InvalidOwnCode
from pellux.core.objective import Elsewhere, FitContext, FitFailed, FitOrder, FitResult, Terms
from pellux.core.reasons import because
from pellux.objectives.code.brief import CodeBrief
from pellux.objectives.code.elsewhere import code_files, moved_brief
from pellux.objectives.code.fingerprint import Watch
from pellux.objectives.code.folders import KEEP, Mark
from pellux.objectives.code.program import DEVICES, THREADS, Run
from pellux.objectives.code.scores import Found, ScoreReader, number
from pellux.objectives.code.stages import Stage, Staged, Tell

SENT = "sent.pickle"  # a function that came by value


class Ended(BaseException):
    """Raised by `fit.point` when nobody waits for this fit any more: let it through. No `except Exception` catches it."""


class Fit:
    """What a function is given beside its settings.

    Attributes
    ----------
    fold, folds : int
        Which fold, from 0, of how many.
    seed : int
    start, level : int
        From where to where to train, in what grows; start is 0 unless it goes on.
    folder : Path
        Kept between rungs; what is put into its `keep` stays with the trial.
    device : str or None
        The first of `devices`, the devices that are this fit's alone.
    """

    def __init__(
        self, brief: CodeBrief, run: Run, devices: tuple[str, ...], reader: ScoreReader, nobody_waits: Callable[[], bool]
    ) -> None:
        self.fold: int | str = int(run.fold) if run.fold.isdigit() else run.fold
        self.folds, self.seed = brief.folds, brief.seed
        self.start, self.level, self._folder = run.begun, run.level, run.folder
        self.devices = devices
        self.device = devices[0] if devices else None
        self._metric, self._reader, self._nobody_waits = brief.metric, reader, nobody_waits

    @property
    def folder(self) -> Path:
        """Of this trial and fold, with `keep` in it: laid down when it is first asked for."""
        (self._folder / KEEP).mkdir(exist_ok=True)
        return self._folder

    def point(self, level: int, score: float | None = None, **metrics: float) -> None:
        """Tell a score on the way; raises Ended when nobody waits any more.

        >>> fit.point(3, recall=0.71)                                      # doctest: +SKIP
        """
        told = {**metrics, **({} if score is None else {self._metric: score})}
        if self._metric not in told:
            raise ValueError(f"fit.point was told no {self._metric}; it decides.")
        self._reader.told(int(level), told)
        if self._nobody_waits():
            raise Ended


@dataclass(frozen=True)
class FunctionSource:
    """What a worker opens; `sent` is the file of a function that came by value."""

    brief: CodeBrief
    terms: Terms
    sent: Path | None = None

    def open(self) -> FunctionEvaluator:
        return FunctionEvaluator(self)

    def files(self) -> Mapping[str, str]:
        return {SENT: str(self.sent)} if self.sent else code_files(self.brief)

    def moved(self, place: Elsewhere) -> FunctionSource:
        terms = replace(self.terms, memory_bytes=place.memory_bytes)
        if self.sent:
            return FunctionSource(self.brief, terms, Path(place.folder) / SENT)
        return FunctionSource(moved_brief(self.brief, place.folder), terms)

    def tidy(self) -> None:
        pass


class FunctionEvaluator:
    """Loads the function with the first fit, when it is known which devices are its own."""

    def __init__(self, source: FunctionSource) -> None:
        self.brief, self._terms, self._sent = source.brief, source.terms, source.sent
        self._watch = None if source.sent else Watch(Path(source.brief.folder), source.brief.files, source.brief.fingerprint)
        self._function: Callable[..., Any] | None = None
        threadpool_limits(source.brief.holds.cores)

    def evaluate(self, order: FitOrder, context: FitContext) -> FitResult:
        begun = context.clock()
        function = self._loaded(context.devices)
        with context.kept.folder(order.trial, order.fold) as place:
            folder = Path(place)
            staged = Staged(self.brief, self._terms, order, context, folder)
            return staged.through(lambda stage, mark, tell: self._stage(function, order, context, folder, stage, mark, tell), begun)

    def _stage(
        self, function: Callable[..., Any], order: FitOrder, context: FitContext, folder: Path, stage: Stage, mark: Mark, tell: Tell
    ) -> Found:  # fmt: skip
        run = Run(stage.configuration, order.trial, str(order.fold), mark.level, stage.level, folder)
        found = call(self.brief, function, run, context.devices, context.nobody_waits, tell)
        if found.score is None:
            raise FitFailed(because("ended before a score"))
        if not math.isfinite(found.score) and not (context.nobody_waits() and found.curve):
            raise FitFailed(because("score not finite", metric=self.brief.metric, score=str(found.score)))
        return found

    def _loaded(self, devices: tuple[str, ...]) -> Callable[..., Any]:
        if self._watch is not None:
            self._watch.require_the_same()
        if self._function is None:
            os.environ.update(dict.fromkeys(THREADS, str(self.brief.holds.cores)))
            if devices or self.brief.holds.devices == 0:
                os.environ.update(dict.fromkeys(DEVICES, ",".join(devices)))
            self._function = load(self.brief, self._sent)
        return self._function


def load(brief: CodeBrief, sent: Path | None) -> Callable[..., Any]:
    """The function itself; imports the user's file, so only ever in a process of its own."""
    if sent is not None:
        content = sent.read_bytes()
        if hashlib.sha256(content).hexdigest() != brief.sent:
            raise InvalidOwnCode(f"{sent} is not the function that was sent.", at="brief.function")
        found = pickle.loads(content)
    else:
        place, _, name = brief.function.rpartition(":")
        os.chdir(brief.folder)
        sys.path.insert(0, brief.folder)
        spec = importlib.util.spec_from_file_location(f"pellux_own_{Path(place).stem}", Path(brief.folder) / place)
        assert spec is not None
        assert spec.loader is not None
        module = importlib.util.module_from_spec(spec)
        sys.modules[spec.name] = module
        try:
            spec.loader.exec_module(module)
        except SystemExit as end:
            raise InvalidOwnCode(
                f"Importing {place} ended the process (exit status {end.code}). Does it train when it is imported? "
                "Put that under: if __name__ == '__main__'.",
                at="brief.function",
            ) from None
        found = getattr(module, name, None)
    if not callable(found):
        raise InvalidOwnCode(f"{brief.function} is no function.", at="brief.function")
    return found  # type: ignore[no-any-return]


def call(
    brief: CodeBrief, function: Callable[..., Any], run: Run, devices: tuple[str, ...], nobody_waits: Callable[[], bool],
    tell: Tell,
) -> Found:  # fmt: skip
    """One call, plain or generator, and the scores that it told or gave back."""
    reader = ScoreReader(brief.metric, brief.recorded, brief.grows.what if brief.grows else "", "", run.begun, tell)
    fit = Fit(brief, run, devices, reader, nobody_waits)
    returned: Any = None
    try:
        if inspect.isgeneratorfunction(function):
            returned = _drawn(function(dict(run.configuration), fit), reader, brief.metric, nobody_waits)
        else:
            returned = function(dict(run.configuration), fit)
    except Ended:
        pass
    except SystemExit as end:
        raise FitFailed(because("error", kind="SystemExit", text=f"the function ended with status {end.code}")) from None
    if returned is not None:
        reader.told(run.level, _as_scores(returned, brief.metric))
    return reader.found(run.level)


def _drawn(steps: Any, reader: ScoreReader, metric: str, nobody_waits: Callable[[], bool]) -> Any:
    """Take what a generator yields, until it ends or nobody waits; what it returned."""
    try:
        while True:
            told = dict(_as_scores(next(steps), metric))
            level = number(told.pop("level", None))
            reader.told(None if level is None else int(level), told)
            if nobody_waits():
                steps.close()
                return None
    except StopIteration as end:
        return end.value


def _as_scores(told: Any, metric: str) -> Mapping[str, float]:
    """A score alone, or a mapping of metrics to scores; ValueError for anything else."""
    if isinstance(told, Mapping):
        if metric not in told:
            raise ValueError(f"The function gave {', '.join(map(str, told)) or 'nothing'}, but no {metric}, which decides.")
        return {str(key): float(value) for key, value in told.items()}
    try:
        return {metric: float(told)}
    except (TypeError, ValueError):
        raise ValueError(
            f"The function gave {told!r:.80}, which is no score. Return a number, or {{'{metric}': number}}."
        ) from None
