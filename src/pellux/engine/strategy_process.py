"""A process of its own for strategies that take long: neither the web server nor the workers wait for a surrogate.

What it holds is a copy of the history and nothing else, so it can die and be started again at any moment.
"""

from __future__ import annotations

import contextlib
import os
from collections.abc import Sequence
from dataclasses import dataclass
from multiprocessing.connection import Connection
from typing import Any

from pellux.core.space import Configuration, Space
from pellux.core.strategies import Answer, Growth, Known, Lesson, Placed, SeedStream, strategy
from pellux.engine.parent_death import tie
from pellux.engine.processes import prepare

NICE = 5  # fits go first when there are fewer cores than processes


@dataclass(frozen=True)
class Asked:
    """Whom is asked: what stays the same all through a search."""

    key: str
    space: Space
    growth: Growth
    settings: Any
    lessons: Sequence[Lesson] = ()

    def known(self) -> Known:
        """Nothing yet, of what this strategy wants to know."""
        return Known(self.space, self.growth, learns=strategy(self.key).learns)

    def answer(self, known: Known, pending: Sequence[Configuration], seeds: SeedStream) -> Answer:
        """What the strategy says to all that is known."""
        return strategy(self.key).ask(self.space, known.history(), pending, 1, seeds, self.settings, self.lessons)


@dataclass(frozen=True)
class Question:
    """The history that is new since the last question, what is pending, and the proposal's own randomness."""

    news: Sequence[Placed]
    pending: Sequence[Configuration]
    seeds: SeedStream


class StrategyProcess:
    """The asking side. One question at a time."""

    def __init__(self, asked: Asked) -> None:
        self._asked = asked
        self._process: Any = None
        self._pipe: Connection | None = None
        self._parent_end: Connection | None = None
        self._known = 0
        self._ended = False

    def ask(self, history: Sequence[Placed], pending: Sequence[Configuration], seeds: SeedStream) -> Answer:
        """The next configuration, given all that is known in the order in which it came; raises what the strategy raised. A process that died is replaced once."""
        for last in (False, True):
            try:
                return self._exchange(history, pending, seeds)
            except (EOFError, OSError) as error:
                self.forget()
                if last or self._ended:
                    raise RuntimeError(f"The strategy's process died: {error or 'killed'}.") from None
        raise AssertionError("unreachable")

    def _exchange(self, history: Sequence[Placed], pending: Sequence[Configuration], seeds: SeedStream) -> Answer:
        if self._ended:
            raise EOFError("ended")
        pipe = self._started()
        pipe.send(Question(history[self._known :], pending, seeds))
        self._known = len(history)
        kind, said = pipe.recv()
        if kind == "error":
            raise RuntimeError(said)
        found: Answer = said
        return found

    def _started(self) -> Connection:
        if self._pipe is None:
            context = prepare()
            self._pipe, theirs = context.Pipe()
            listening, self._parent_end = context.Pipe(duplex=False)
            self._process = context.Process(target=_main, args=(self._asked, theirs, listening), daemon=True)
            self._process.start()
            theirs.close()
            listening.close()
            self._known = 0
        return self._pipe

    @property
    def pid(self) -> int | None:
        return None if self._process is None else self._process.pid

    def close(self) -> None:
        """End it for good, also while another thread waits for its answer."""
        self._ended = True
        if self._process is not None:
            self._process.kill()
            self._process.join(5)

    def forget(self) -> None:
        """Forget a process that died, so that the next question starts another."""
        if self._process is not None:
            self._process.kill()
            self._process.join(5)
        for pipe in (self._pipe, self._parent_end):
            if pipe is not None:
                pipe.close()
        self._process = self._pipe = self._parent_end = None


def _main(asked: Asked, pipe: Connection, parent_end: Connection) -> None:
    tie(parent_end.fileno())
    os.nice(NICE)
    known = asked.known()
    with contextlib.suppress(EOFError, OSError):
        while True:
            question: Question = pipe.recv()
            known.put(question.news)
            try:
                pipe.send(("answer", asked.answer(known, question.pending, question.seeds)))
            except Exception as error:
                pipe.send(("error", f"{type(error).__name__}: {error}"))
