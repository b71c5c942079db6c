"""Fits of somebody's own program: one run of a command for each stage of a fit, its scores read from what it prints."""

from __future__ import annotations

import math
import os
import re
import sys
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

from pellux.core.objective import Elsewhere, FitContext, FitFailed, FitOrder, FitResult, Terms, Unavailable
from pellux.core.reasons import because
from pellux.core.space import Value
from pellux.objectives.code.brief import CodeBrief, variable
from pellux.objectives.code.elsewhere import code_files, moved_brief
from pellux.objectives.code.fingerprint import Watch
from pellux.objectives.code.folders import Mark, Scores, prepare_folder
from pellux.objectives.code.guardian import VARIABLE, Guardian
from pellux.objectives.code.paths import search_path
from pellux.objectives.code.process import OUT, Ended, NotStarted, run_program
from pellux.objectives.code.scores import Found, Said, ScoreReader, TooSlow
from pellux.objectives.code.stages import Stage, Staged, Tell
from pellux.objectives.code.templates import fill

ALL = "all"  # what {fold} says when everything is trained on
THREADS = ("OMP_NUM_THREADS", "OPENBLAS_NUM_THREADS", "MKL_NUM_THREADS", "NUMEXPR_NUM_THREADS")
DEVICES = ("CUDA_VISIBLE_DEVICES", "HIP_VISIBLE_DEVICES", "ROCR_VISIBLE_DEVICES", "ZE_AFFINITY_MASK")
LOG_TAIL = 4000
FULL = re.compile(r"no space left on device|disk quota exceeded|ENOSPC|EDQUOT", re.IGNORECASE)
QUOTED = 200  # characters of output that a reason quotes
Heard = Callable[[str, str, Said | None], None]


@dataclass(frozen=True)
class ProgramSource:
    """What a worker opens."""

    brief: CodeBrief
    terms: Terms

    def open(self) -> ProgramEvaluator:
        return ProgramEvaluator(self)

    def files(self) -> Mapping[str, str]:
        return code_files(self.brief)

    def moved(self, place: Elsewhere) -> ProgramSource:
        return ProgramSource(moved_brief(self.brief, place.folder), replace(self.terms, memory_bytes=place.memory_bytes))

    def tidy(self) -> None:
        pass


@dataclass(frozen=True)
class Run:
    """One run of the program: for whom, from where to where, in which folder."""

    configuration: Mapping[str, Value]
    trial: int
    fold: str
    begun: int
    level: int
    folder: Path


class ProgramEvaluator:
    """Runs the program in a worker; `heard` is told every line and what was read from it."""

    def __init__(self, source: ProgramSource, heard: Heard = lambda stream, line, said: None) -> None:
        self.brief, self.terms, self._memory = source.brief, source.terms, source.terms.memory_bytes
        self._heard = heard
        self._folder = Path(source.brief.folder)
        self._guardian = Guardian()
        self._watch = Watch(self._folder, source.brief.files, source.brief.fingerprint)

    def close(self) -> None:
        self._guardian.close()

    def evaluate(self, order: FitOrder, context: FitContext) -> FitResult:
        self._watch.require_the_same()
        begun = context.clock()
        with context.kept.folder(order.trial, order.fold) as place:
            folder = Path(place)
            staged = Staged(self.brief, self.terms, order, context, folder)
            return staged.through(lambda stage, mark, tell: self._stage(order, context, folder, stage, mark, tell), begun)

    def _stage(
        self, order: FitOrder, context: FitContext, folder: Path, stage: Stage, mark: Mark, tell: Tell
    ) -> Found:  # fmt: skip
        run = Run(stage.configuration, order.trial, str(order.fold), mark.level, stage.level, folder)
        found, ended = self.run(run, context.devices, context.nobody_waits, tell)
        sys.stdout.write(ended.tail[-LOG_TAIL:])
        sys.stdout.flush()
        if (
            ended.ended.status != 0 and not ended.ended.told_to and FULL.search(ended.tail)
        ):  # of the machine, not of this configuration
            raise Unavailable(because("no space said", folder=str(folder), said=_end(ended.tail)))
        refuse(self.brief, found, ended, self._memory)
        return found

    def run(
        self, run: Run, devices: Sequence[str] = (), nobody_waits: Callable[[], bool] = lambda: False,
        tell: Tell = lambda level, said: None,
    ) -> tuple[Found, _Heard]:  # fmt: skip
        """One run of the program, and what it said; whether that is a result is for the caller to judge."""
        brief, counter = self.brief, self.brief.grows.what if self.brief.grows else ""
        reader = ScoreReader(brief.metric, brief.recorded, counter, brief.pick_out, run.begun, tell)
        facts = facts_of(brief, run)
        prepare_folder(run.folder, run.configuration, {**facts, "counter": counter, "devices": list(devices)})
        scores, slow = Scores(run.folder), False

        def hear(stream: str, line: str) -> None:
            nonlocal slow
            try:
                said = None if slow else reader.printed(line, aside=stream != OUT)
            except TooSlow:
                said, slow = None, True
            self._heard(stream, line, said)

        def look() -> bool:
            for line in scores.new_lines():
                reader.written(line)
            return slow or nobody_waits()

        texts = {name: str(value) for name, value in facts.items()}
        arguments = fill(brief.runs, run.configuration, texts, self._settings(run.configuration))
        try:
            ended = run_program(arguments, self._folder, self._environment(run, texts, devices), hear, look, self._memory)
        except NotStarted as refusal:
            raise FitFailed(because("not started", why=str(refusal))) from None
        for line in scores.rest():
            reader.written(line)
        orphans = self._guardian.sweep()
        found = reader.found(run.level)
        return found, _Heard(ended, slow, reader.last_line, orphans)

    def _settings(self, configuration: Mapping[str, Value]) -> set[str]:
        return {*self.terms.settings, *configuration}

    def _environment(self, run: Run, texts: Mapping[str, str], devices: Sequence[str]) -> dict[str, str]:
        found = {**os.environ, VARIABLE: self._guardian.token, "PYTHONUNBUFFERED": "1"}
        found["PATH"] = search_path(found)
        found |= dict.fromkeys(THREADS, str(self.brief.holds.cores))
        if devices or self.brief.holds.devices == 0:
            found |= dict.fromkeys(DEVICES, ",".join(devices))
        found |= {f"PELLUX_{name.upper()}": text for name, text in texts.items()}
        for name, value in run.configuration.items():
            found[variable(name)] = str(value).lower() if isinstance(value, bool) else str(value)
        return found


@dataclass(frozen=True)
class _Heard:
    """How a run ended, and what it said last."""

    ended: Ended
    too_slow: bool
    last_line: str
    orphans: int

    @property
    def tail(self) -> str:
        return self.ended.tail


def facts_of(brief: CodeBrief, run: Run) -> dict[str, Any]:
    """What the placeholders other than settings stand for; folds and trials are numbers from 0."""
    fold = int(run.fold) if run.fold.isdigit() else run.fold
    return {
        "trial": run.trial, "fold": fold, "folds": brief.folds, "seed": brief.seed, "level": run.level, "from": run.begun,
        "folder": str(run.folder), "settings": str(run.folder / "settings.json"),
    }  # fmt: skip


def refuse(brief: CodeBrief, found: Found, heard: _Heard, memory_bytes: int | None = None) -> None:
    """Raise FitFailed where a run gave no score that counts."""
    ended = heard.ended
    if heard.too_slow:
        raise FitFailed(because("pattern too slow"))
    if ended.too_large:
        raise FitFailed(because("program too large", limit=(memory_bytes or 0) // 2**20))
    if not ended.told_to and ended.status != 0:
        raise FitFailed(because("exit status", status=ended.status, said=_end(ended.tail)))
    if found.score is None and not found.curve:
        if ended.told_to:
            raise FitFailed(because("ended before a score"))
        raise FitFailed(because("no score said", metric=brief.metric, said=_end(ended.tail)))
    if (found.score is None or not math.isfinite(found.score)) and not (ended.told_to and found.curve):
        raise FitFailed(because("score not finite", metric=brief.metric, score=str(found.score)))


def _end(text: str) -> str:
    return text.strip()[-QUOTED:]


__all__ = ["ALL", "ProgramEvaluator", "ProgramSource", "Run", "facts_of", "refuse"]
