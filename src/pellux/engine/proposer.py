"""Asks a search's strategy: gathers the history the coordinator holds, and what was known before the search began."""

from __future__ import annotations

from collections.abc import Sequence
from concurrent.futures import Future, ThreadPoolExecutor

from pellux.core.space import Configuration, Space, Value
from pellux.core.strategies import Chance, Observation, Partial, Proposed, strategy
from pellux.core.strategies.population_training import Line
from pellux.engine.coordinator import Coordinator
from pellux.engine.model import Trial
from pellux.engine.strategy_process import Growth, Placed, StrategyProcess, answer


class StrategyProposer:
    """The driver's way to a strategy: at once for light ones, by a process of its own for heavy ones."""

    def __init__(
        self,
        space: Space,
        key: str,
        seed: int,
        sign: int,
        defaults: Configuration,
        earlier: Sequence[Observation] = (),
        line: Line | None = None,
    ) -> None:
        self._space, self._key, self._entry, self._seed, self._sign = space, key, strategy(key), seed, sign
        self._defaults, self._line = defaults, line
        # What was known before stands first; then trials by number, whichever ended first.
        self._known: list[Placed] = [(place - len(earlier), observation) for place, observation in enumerate(earlier)]
        self._heard = 0
        self._process = StrategyProcess() if self._entry.heavy else None
        self._thread = ThreadPoolExecutor(1, thread_name_prefix="strategy") if self._entry.heavy else None

    def propose(self, number: int, coordinator: Coordinator) -> Proposed | Future[Proposed]:
        """The next configuration, or a promise of it; none when the space is exhausted."""
        news = coordinator.changed_since(self._heard)
        self._heard += len(news)
        trials = [coordinator.trials[n] for n in dict.fromkeys(news)]
        self._known += [(t.number, self._partial(t, here)) for t in trials if (here := self._place(t)) is not None]
        pending = [here for t in coordinator.live if not t.results and (here := self._place(t)) is not None]
        chance = Chance(self._seed, number)
        ladder = coordinator.referee.ladder
        growth = Growth(coordinator.limits.folds, ladder.resource, ladder.top, self._line)
        if self._process is not None and self._thread is not None:
            return self._thread.submit(self._process.ask, self._key, self._space, list(self._known), pending, chance, growth)
        return answer(self._key, self._space, dict(self._known), pending, chance, growth)

    def _place(self, trial: Trial) -> dict[str, Value] | None:
        """A trial's configuration as one of the space; the baseline, like a trial by hand, may lie outside."""
        return self._space.placed(trial.configuration, self._defaults)

    def _turned(self, scores: Sequence[float | None]) -> tuple[float | None, ...]:
        return tuple(None if score is None else self._sign * score for score in scores)

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
    """For a search whose trials are all known from the start."""

    def propose(self, number: int, coordinator: Coordinator) -> Proposed:
        return Proposed((), exhausted=True)

    def close(self) -> None:
        pass
