"""From where to where a fit of somebody's code goes, in which steps, and what it comes to."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from pathlib import Path

from pellux.core.objective import FitContext, FitFailed, FitOrder, FitResult, Points, Terms
from pellux.core.reasons import because
from pellux.core.space import Value
from pellux.core.stopping import ITERATIONS
from pellux.objectives.code.brief import CodeBrief
from pellux.objectives.code.folders import (
    FACTS,
    KEEP,
    MARK,
    PREDICTIONS,
    SCORES,
    SETTINGS,
    Mark,
    clear_folder,
    copy_folder,
    read_mark,
    write_mark,
)
from pellux.objectives.code.left import write_left
from pellux.objectives.code.predictions import Unreadable, read_predictions_file
from pellux.objectives.code.scores import Found

OURS = {KEEP, MARK, FACTS, SETTINGS, SCORES, PREDICTIONS}
SAID_NOTHING = ("no score said", "ended before a score")


@dataclass(frozen=True)
class Stage:
    """Train up to a level by these settings; `own` where it is the trial's own, not that of one it goes on from."""

    configuration: Mapping[str, Value]
    level: int
    own: bool


class Staged:
    """One fit: mostly one stage, more where it goes on from other trials whose folders are gone.

    Attributes
    ----------
    tells : bool
        Whether the engine looks at points of its curve.
    """

    def __init__(self, brief: CodeBrief, terms: Terms, order: FitOrder, context: FitContext, folder: Path) -> None:
        self._brief, self._order, self._context, self._folder = brief, order, context, folder
        self.tells = terms.resource == ITERATIONS
        self._level = order.level if self.tells else brief.most
        self._goes_on = brief.grows is not None and brief.grows.goes_on
        self._complaints: list[str] = []
        self._found_more = False  # something lies there that the code may go on from

    def through(self, train: Callable[[Stage, Mark], Found], begun: float) -> FitResult:
        """All stages, each trained by `train`, from where the folder stands.

        A worker that dies takes the scores along that it has heard, but not what the code has laid down by then: code that finds
        itself at its end already has nothing more to say. Then the fit begins anew.
        """
        mark = self._begin()
        try:
            return self._train(train, mark, begun)
        except FitFailed as failed:
            if failed.reason.code not in SAID_NOTHING or not self._found_more or self._context.nobody_waits():
                raise
        self._complaints.append(
            "An attempt before had come to its end, and its scores were lost with the worker: it was trained anew."
        )
        return self._train(train, self._anew(), begun)

    def _train(self, train: Callable[[Stage, Mark], Found], mark: Mark, begun: float) -> FitResult:
        last: Found | None = None
        for stage in self._to_do(mark):
            last = train(stage, mark)
            mark = self._reached(stage, mark, last)
            if self._context.nobody_waits():
                break
        return self._result(mark, last, self._context.clock() - begun)

    def _begin(self) -> Mark:
        """How far there is something to go on from; the folder is as it is to be."""
        if not self._goes_on:
            clear_folder(self._folder)
            return Mark()
        self._found_more = any(path.name not in OURS for path in self._folder.iterdir())
        mark = read_mark(self._folder)
        if mark.level or not self._order.ancestors:
            return mark if mark.level < self._level else self._anew()
        for ancestor in reversed(self._order.ancestors):
            with self._context.kept.folder(ancestor.trial, self._order.fold) as source:
                if read_mark(Path(source)).level == ancestor.level:
                    copy_folder(Path(source), self._folder)
                    return Mark(ancestor.level)
        return self._anew()

    def _anew(self) -> Mark:
        clear_folder(self._folder)
        return Mark()

    def _to_do(self, mark: Mark) -> Iterator[Stage]:
        """The stages that are left."""
        for ancestor in self._order.ancestors:
            if mark.level < ancestor.level:
                yield Stage(ancestor.configuration, ancestor.level, own=False)
        yield Stage(self._order.configuration, self._level, own=True)

    def _reached(self, stage: Stage, before: Mark, found: Found) -> Mark:
        """Note how far the folder has come, when the stage was done in full."""
        curve = _joined(before.curve, found.curve) if stage.own else ()
        mark = Mark(stage.level, curve, {**before.others, **found.others} if stage.own else {})
        if self._goes_on and not self._context.nobody_waits():
            try:
                write_mark(self._folder, mark)
            except OSError as error:  # the score stands
                self._complaints.append(f"How far it came could not be written ({error.strerror}); if it goes on, it starts anew.")
        return mark

    def _result(self, mark: Mark, found: Found | None, seconds: float) -> FitResult:
        """What the engine hears; FitFailed when it was told to end before there was any score of its own."""
        if found is None or not mark.curve:
            raise FitFailed(because("ended before a score"))
        score = mark.curve[-1][1] if found.score is None or not math.isfinite(found.score) else found.score
        predictions, complaint = self._predictions()
        if self.tells and self._order.last:
            write_left(self._context.kept, self._order, mark, self._level, predictions)
        return FitResult(
            score, seconds, warnings=(*self._warnings(found), *self._complaints, *complaint), model_bytes=kept_bytes(self._folder) or None,
            curve=mark.curve if self.tells else (), checkpoint_bytes=size_of(self._folder) if self._goes_on else 0,
            recorded=found.recorded, predictions=None if self.tells else predictions,
        )  # fmt: skip

    def _predictions(self) -> tuple[bytes | None, tuple[str, ...]]:
        """What the code predicted of the fold's rows, and a complaint where that cannot be used."""
        try:
            return read_predictions_file(self._folder) if self._order.last else None, ()
        except Unreadable as why:
            return None, (str(why),)

    def _warnings(self, found: Found) -> tuple[str, ...]:
        last = found.curve[-1][0] if found.curve else self._level
        if not self.tells or not found.counted or last == self._level or self._context.nobody_waits():
            return ()
        what = self._brief.grows.what if self._brief.grows else "levels"
        return (
            f"{found.counted} scores were read for {self._level} {what}, and lines that say no level count one on: "
            f'say it, as in {{"{self._brief.metric}": 0.7, "level": 3}}.',
        )


def _joined(before: Points, after: Points) -> Points:
    """A curve that goes on: what was said later holds."""
    return tuple(sorted({**dict(before), **dict(after)}.items()))


def size_of(folder: Path) -> int:
    """Bytes of what a fit goes on from."""
    return sum(path.lstat().st_size for path in folder.rglob("*") if path.is_file() and path.relative_to(folder).parts[0] != KEEP)


def kept_bytes(folder: Path) -> int:
    return sum(path.lstat().st_size for path in (folder / KEEP).rglob("*") if path.is_file())
