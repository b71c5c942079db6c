"""Asks a search's strategy: gathers the history the coordinator holds, and what was known before the search began."""

from __future__ import annotations

from collections.abc import Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass, field
from typing import Any

from pellux.core.settings import NoSettings
from pellux.core.space import Configuration, Space, Value
from pellux.core.strategies import Answer, Exhausted, Observation, Partial, SeedStream, strategy
from pellux.engine.coordinator import Coordinator
from pellux.engine.model import Trial
from pellux.engine.strategy_process import Growth, Placed, StrategyProcess, answer


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
    """

    space: Space
    key: str
    seed: int
    sign: int
    defaults: Configuration
    settings: Any = field(default_factory=NoSettings)
    starts: Sequence[Configuration] = ()


class StrategyProposer:
    """The driver's way to a strategy: at once for light ones, by a process of its own for heavy ones."""

    def __init__(self, strategist: Strategist, earlier: Sequence[Observation] = ()) -> None:
        self._who, self._entry = strategist, strategy(strategist.key)
        # What was known before stands first; then trials by number, whichever ended first.
        self._known: list[Placed] = [(place - len(earlier), observation) for place, observation in enumerate(earlier)]
        self._heard = 0
        self._process = StrategyProcess() if self._entry.heavy else None
        self._thread = ThreadPoolExecutor(1, thread_name_prefix="strategy") if self._entry.heavy else None

    def origin(self, number: int) -> str:
        return "start" if number <= len(self._who.starts) else "proposed"

    def propose(self, number: int, coordinator: Coordinator) -> Answer | Future[Answer]:
        """The next configuration, or a promise of it."""
        who, seeds = self._who, SeedStream(self._who.seed, number)
        if number <= len(who.starts):
            return self._entry.begin(who.starts[number - 1], seeds, who.settings)
        news = coordinator.changed_since(self._heard)
        self._heard += len(news)
        trials = [coordinator.trials[n] for n in dict.fromkeys(news)]
        self._known += [(t.number, self._partial(t, here)) for t in trials if (here := self._place(t)) is not None]
        pending = [here for t in coordinator.live if not t.results and (here := self._place(t)) is not None]
        ladder = coordinator.pruning.ladder
        # Trials that go on from each other are each whole at their own rung.
        growth = Growth(coordinator.limits.folds, *(("", 0) if self._entry.continues else (ladder.resource, ladder.top)))
        asked = (who.key, who.space, pending, seeds, growth, who.settings)
        if self._process is not None and self._thread is not None:
            return self._thread.submit(self._process.ask, list(self._known), *asked)
        return answer(dict(self._known), *asked)

    def _place(self, trial: Trial) -> dict[str, Value] | None:
        """A trial's configuration as one of the space; the baseline, like a trial by hand, may lie outside."""
        return self._who.space.placed(trial.configuration, self._who.defaults)

    def _turned(self, scores: Sequence[float | None]) -> tuple[float | None, ...]:
        return tuple(None if score is None else self._who.sign * score for score in scores)

    def _partial(self, trial: Trial, configuration: Configuration) -> Partial:
        results = {rung: self._turned(scores) for rung, scores in trial.results.items()}
        scores = self._turned(trial.scores)
        return Partial(
            configuration, results, trial.seconds, trial.state.value, trial.number, trial.rung, trial.cohort, scores
        )  # fmt: skip

    def close(self) -> None:
        if self._process is not None and self._thread is not None:
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
