"""Asks a search's strategy: gathers the history the coordinator holds, and what was known before the search began."""

from __future__ import annotations

import math
from collections.abc import Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass, field, replace
from typing import Any

from pellux.core.settings import NoSettings
from pellux.core.space import Configuration, Space
from pellux.core.strategies import Answer, Exhausted, Growth, Lesson, Observation, Partial, Placed, SeedStream, strategy
from pellux.engine.coordinator import Coordinator
from pellux.engine.limiting import beside, slack
from pellux.engine.model import Limits, Trial
from pellux.engine.strategy_process import Asked, StrategyProcess


@dataclass(frozen=True)
class Strategist:
    """Whom to ask, and with what: everything about a search's strategy that stays as it is.

    Attributes
    ----------
    sign : int
        Turns scores so that larger is better.
    defaults : Configuration
        What a configuration that leaves something out means.
    settings : object
        The strategy's own settings.
    starts : sequence of Configuration
        What is tried first.
    lessons : sequence of Lesson
        What other problems taught.
    """

    space: Space
    key: str
    seed: int
    sign: int
    defaults: Configuration
    settings: Any = field(default_factory=NoSettings)
    starts: Sequence[Configuration] = ()
    lessons: Sequence[Lesson] = ()


class StrategyProposer:
    """The driver's way to a strategy: at once for light ones, by a process of its own for heavy ones."""

    def __init__(self, strategist: Strategist, earlier: Sequence[Observation] = ()) -> None:
        self._who, self._entry = strategist, strategy(strategist.key)
        # What was known before stands first; then trials by number, whichever ended first.
        self._news: list[Placed] = [(place - len(earlier), observation) for place, observation in enumerate(earlier)]
        self._heard = 0
        self._places: dict[int, Configuration | None] = {}  # of the trials that are worked on
        self._mind: _Here | _Elsewhere | None = None

    @property
    def pid(self) -> int | None:
        """The process that the strategy thinks in; None when it is this one."""
        return self._mind.pid if isinstance(self._mind, _Elsewhere) else None

    def origin(self, number: int) -> str:
        return "start" if number <= len(self._who.starts) else "proposed"

    def propose(self, number: int, coordinator: Coordinator) -> Answer | Future[Answer]:
        """The next configuration, or a promise of it."""
        who, seeds = self._who, SeedStream(self._who.seed, number)
        if number <= len(who.starts):
            return self._entry.begin(who.starts[number - 1], seeds, who.settings)
        if self._mind is None:
            asked = Asked(who.key, who.space, self._growth(coordinator), who.settings, who.lessons)
            self._mind = _Elsewhere(asked) if self._entry.heavy else _Here(asked)
        changed = coordinator.changed_since(self._heard)
        self._heard += len(changed)
        trials = [coordinator.trials[n] for n in dict.fromkeys(changed)]
        limits = coordinator.limits
        if limits.measures and self._news:  # what was known before says nothing of limits, nor of other metrics
            keep, against = (math.nan,) * len(limits.keep), (math.nan,) * len(limits.against)
            self._news = [(place, replace(known, slack=keep, beside=against)) for place, known in self._news]
        news = [*self._news, *((t.number, self._partial(t, here, limits)) for t in trials if (here := self._place(t)) is not None)]
        pending = [here for t in coordinator.live if not t.results and (here := self._place(t)) is not None]
        self._news = []
        for trial in trials:
            self._places.pop(trial.number, None)
        return self._mind.ask(news, pending, seeds)

    def _growth(self, coordinator: Coordinator) -> Growth:
        """Trials that go on from each other are each whole at their own rung."""
        ladder = coordinator.pruning.ladder
        return Growth(coordinator.limits.folds, *(("", 0) if self._entry.continues else (ladder.resource, ladder.top)))

    def _place(self, trial: Trial) -> Configuration | None:
        """A trial's configuration as one of the space; the baseline, like a trial by hand, may lie outside."""
        if trial.number not in self._places:
            self._places[trial.number] = self._who.space.placed(trial.configuration, self._who.defaults)
        return self._places[trial.number]

    def _turned(self, scores: Sequence[float | None]) -> tuple[float | None, ...]:
        return tuple(None if score is None else self._who.sign * score for score in scores)

    def _partial(self, trial: Trial, configuration: Configuration, limits: Limits) -> Partial:
        results = {rung: self._turned(scores) for rung, scores in trial.results.items()}
        scores = self._turned(trial.scores)
        return Partial(
            configuration, results, trial.seconds, trial.state.value, trial.number, trial.rung, trial.cohort, scores,
            slack=slack(trial, limits.keep), beside=beside(trial, limits.against),
        )  # fmt: skip

    def close(self) -> None:
        if self._mind is not None:
            self._mind.close()


class _Here:
    """A light strategy answers at once."""

    def __init__(self, asked: Asked) -> None:
        self._asked, self._known = asked, asked.known()

    def ask(self, news: Sequence[Placed], pending: Sequence[Configuration], seeds: SeedStream) -> Answer:
        self._known.put(news)
        return self._asked.answer(self._known, pending, seeds)

    def close(self) -> None:
        pass


class _Elsewhere:
    """A heavy one promises, and answers from a process of its own, which is told everything again when it was replaced."""

    def __init__(self, asked: Asked) -> None:
        self._told: list[Placed] = []
        self._process = StrategyProcess(asked)
        self._thread = ThreadPoolExecutor(1, thread_name_prefix="strategy")

    def ask(self, news: Sequence[Placed], pending: Sequence[Configuration], seeds: SeedStream) -> Future[Answer]:
        self._told += news
        return self._thread.submit(self._process.ask, list(self._told), pending, seeds)

    @property
    def pid(self) -> int | None:
        return self._process.pid

    def close(self) -> None:
        self._process.close()
        self._thread.shutdown(cancel_futures=True)  # at once: the process that it waits for is gone
        self._process.forget()


class NoProposals:
    """For a search whose trials are all known from the start, but for the starts it is given."""

    def __init__(self, starts: Sequence[Configuration] = ()) -> None:
        self._starts = starts

    def origin(self, number: int) -> str:
        return "start"

    def propose(self, number: int, coordinator: Coordinator) -> Answer:
        if number <= len(self._starts):
            return strategy("random").begin(self._starts[number - 1], SeedStream(0, number), NoSettings())
        return Exhausted()

    def close(self) -> None:
        pass
