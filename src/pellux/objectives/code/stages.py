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
    HEARD,
    KEEP,
    MARK,
    PREDICTIONS,
    SCORES,
    SETTINGS,
    Mark,
    MarkedResult,
    clear_folder,
    copy_folder,
    read_mark,
    write_mark,
)
from pellux.objectives.code.heard import Heard, settings_heard
from pellux.objectives.code.left import write_left
from pellux.objectives.code.predictions import Unreadable, read_predictions_file
from pellux.objectives.code.scores import Found, Said

OURS = {KEEP, MARK, HEARD, FACTS, SETTINGS, SCORES, PREDICTIONS}
SAID_NOTHING = ("no score said", "ended before a score")
Tell = Callable[[int, Said], None]


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

    def through(self, train: Callable[[Stage, Mark, Tell], Found], begun: float) -> FitResult:
        """All stages, each trained by `train`, from where the folder stands; nothing is trained where the folder has the result.

        What the code says is kept in its folder, and so is what a fit came to: a worker or a server that dies costs no more than what
        the code itself had not laid down. Only where it had come to its end by its own checkpoint and had not said its last score by
        then does the fit begin anew.
        """
        mark = self._begin()
        if mark.level == self._level and mark.result is not None:
            return self._result(mark, mark.result)
        try:
            return self._train(train, mark, begun)
        except FitFailed as failed:
            if failed.reason.code not in SAID_NOTHING or not self._found_more or self._context.nobody_waits():
                raise
        self._complaints.append(
            "An attempt before had come to its end, and its last score was lost with the worker: it was trained anew."
        )
        return self._train(train, self._anew(), begun)

    def _train(self, train: Callable[[Stage, Mark, Tell], Found], mark: Mark, begun: float) -> FitResult:
        result: MarkedResult | None = None
        for stage in self._to_do(mark):
            found, before = self._trained(train, stage, mark)
            mark, result = self._reached(stage, before, found, self._context.clock() - begun)
            if self._context.nobody_waits():
                break
        if result is None:
            raise FitFailed(because("ended before a score"))
        return self._result(mark, result)

    def _trained(self, train: Callable[[Stage, Mark, Tell], Found], stage: Stage, mark: Mark) -> tuple[Found, Mark]:
        """What a stage said; and the mark, with what an attempt before has said on its way from there."""
        point = self._context.point if stage.own and self.tells else _nobody
        if not (stage.own and self._goes_on):
            (self._folder / PREDICTIONS).unlink(missing_ok=True)
            return train(stage, mark, lambda level, said: point(level, said.score)), mark
        with Heard(self._folder, stage.configuration, mark.level, stage.level) as heard:
            if not heard.before:
                (self._folder / PREDICTIONS).unlink(missing_ok=True)  # of a lower rung

            def tell(level: int, said: Said) -> None:
                heard.note(level, said)
                point(level, said.score)

            try:
                found = train(stage, mark, tell)
            except FitFailed as failed:
                ended = heard.at_the_end()
                if ended is None or failed.reason.code not in SAID_NOTHING or self._context.nobody_waits():
                    raise
                found = ended
            return found, heard.added_to(mark)

    def _begin(self) -> Mark:
        """How far there is something to go on from; the folder is as it is to be."""
        if not self._goes_on:
            clear_folder(self._folder)
            return Mark()
        self._found_more = any(path.name not in OURS for path in self._folder.iterdir())
        mark = read_mark(self._folder)
        if self._left_by_another(mark):
            clear_folder(self._folder)
            mark, self._found_more = Mark(), False
        if mark.level == self._level and mark.result:
            return mark
        if mark.level or not self._order.ancestors:
            return mark if mark.level < self._level else self._anew()
        for ancestor in reversed(self._order.ancestors):
            with self._context.kept.folder(ancestor.trial, self._order.fold) as source:
                if read_mark(Path(source)).level == ancestor.level:
                    copy_folder(Path(source), self._folder)
                    self._write(Mark(ancestor.level))
                    return Mark(ancestor.level)
        return self._anew()

    def _left_by_another(self, mark: Mark) -> bool:
        """Whether the folder is of a trial of this number that a server had begun, but not written down, when it was killed."""
        whose = (settings_heard(self._folder), mark.result and mark.result.configuration)
        return any(settings is not None and settings != dict(self._order.configuration) for settings in whose)

    def _anew(self) -> Mark:
        clear_folder(self._folder)
        return Mark()

    def _to_do(self, mark: Mark) -> Iterator[Stage]:
        """The stages that are left."""
        for ancestor in self._order.ancestors:
            if mark.level < ancestor.level:
                yield Stage(ancestor.configuration, ancestor.level, own=False)
        yield Stage(self._order.configuration, self._level, own=True)

    def _reached(self, stage: Stage, before: Mark, found: Found, seconds: float) -> tuple[Mark, MarkedResult | None]:
        """Note how far the folder has come, when the stage was done in full; and what it came to, where it is the trial's own."""
        curve = _joined(before.curve, found.curve) if stage.own else ()
        result = None
        if curve:
            score = curve[-1][1] if found.score is None or not math.isfinite(found.score) else found.score
            result = MarkedResult(dict(stage.configuration), score, found.recorded, seconds, self._warnings(found))
        mark = Mark(stage.level, curve, {**before.others, **found.others} if stage.own else {}, result)
        if self._goes_on and not self._context.nobody_waits():
            self._write(mark)
        return mark, result

    def _write(self, mark: Mark) -> None:
        try:
            write_mark(self._folder, mark)
        except OSError as error:  # the score stands
            self._complaints.append(f"How far it came could not be written ({error.strerror}); if it goes on, it starts anew.")

    def _result(self, mark: Mark, result: MarkedResult) -> FitResult:
        """What the engine hears."""
        predictions, complaint = self._predictions()
        if self.tells and self._order.last:
            write_left(self._context.kept, self._order, mark, self._level, predictions)
        return FitResult(
            result.score, result.seconds, warnings=(*result.warnings, *self._complaints, *complaint),
            model_bytes=kept_bytes(self._folder) or None, curve=mark.curve if self.tells else (),
            checkpoint_bytes=size_of(self._folder) if self._goes_on else 0,
            recorded=result.recorded, predictions=None if self.tells else predictions,
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


def _nobody(level: int, score: float) -> None:
    """Listens to the points of a fit whose curve nobody looks at."""


def _joined(before: Points, after: Points) -> Points:
    """A curve that goes on: what was said later holds."""
    return tuple(sorted({**dict(before), **dict(after)}.items()))


def size_of(folder: Path) -> int:
    """Bytes of what a fit goes on from."""
    return sum(path.lstat().st_size for path in folder.rglob("*") if path.is_file() and path.relative_to(folder).parts[0] != KEEP)


def kept_bytes(folder: Path) -> int:
    return sum(path.lstat().st_size for path in (folder / KEEP).rglob("*") if path.is_file())
