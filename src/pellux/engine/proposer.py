"""Asks a search's strategy: gathers the history the coordinator holds, and what was known before the search began."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from operator import itemgetter

from pellux.core.space import Configuration, Space, Value
from pellux.core.strategies import Chance, Observation, strategy
from pellux.engine.coordinator import Coordinator
from pellux.engine.model import Trial
from pellux.engine.strategy_process import Placed, StrategyProcess

Answer = Mapping[str, Value] | None


class StrategyProposer:
    """The driver's way to a strategy: at once for light ones, by a process of its own for heavy ones."""

    def __init__(
        self, space: Space, key: str, seed: int, sign: int, defaults: Configuration, earlier: Sequence[Observation] = ()
    ) -> None:
        self._space, self._key, self._entry, self._seed, self._sign = space, key, strategy(key), seed, sign
        self._defaults = defaults
        # What was known before stands first; then trials by number, whichever ended first.
        self._known: list[Placed] = [(place - len(earlier), observation) for place, observation in enumerate(earlier)]
        self._heard = 0
        self._process = StrategyProcess() if self._entry.heavy else None
        self._thread = ThreadPoolExecutor(1, thread_name_prefix="strategy") if self._entry.heavy else None

    def propose(self, number: int, coordinator: Coordinator) -> Answer | Future[Answer]:
        """The next configuration, or a promise of it; None when the space is exhausted."""
        news = coordinator.ended_since(self._heard)
        self._heard += len(news)
        self._known += [(t.number, self._observation(t, here)) for t in news if (here := self._place(t)) is not None]
        pending = [here for t in coordinator.live if (here := self._place(t)) is not None]
        chance = Chance(self._seed, number)
        if self._process is not None and self._thread is not None:
            return self._thread.submit(self._process.ask, self._key, self._space, list(self._known), pending, chance)
        history = [observation for _, observation in sorted(self._known, key=itemgetter(0))]
        found = self._entry.propose(self._space, history, pending, 1, chance)
        return found.configurations[0] if found.configurations else None

    def _place(self, trial: Trial) -> dict[str, Value] | None:
        """A trial's configuration as one of the space; the baseline, like a trial by hand, may lie outside."""
        return self._space.placed(trial.configuration, self._defaults)

    def _observation(self, trial: Trial, configuration: Configuration) -> Observation:
        scores = tuple(None if score is None else self._sign * score for score in trial.scores)
        return Observation(configuration, scores, trial.seconds, trial.state.value)

    def close(self) -> None:
        if self._process is not None and self._thread is not None:
            self._process.close()
            self._thread.shutdown(cancel_futures=True)  # at once: the process that it waits for is gone
            self._process.forget()


class NoProposals:
    """For a search whose trials are all known from the start."""

    def propose(self, number: int, coordinator: Coordinator) -> Answer:
        return None

    def close(self) -> None:
        pass
