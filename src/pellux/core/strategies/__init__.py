"""How the next configuration is proposed: one file a strategy, and their registry.

To add one, write `propose` in a file of its own and a line in `STRATEGIES`:

>>> from pellux.core.space import parse
>>> STRATEGIES["random"].propose(parse("depth: 2 .. 2 int"), [], [], 3, SeedStream(1, 1))
Suggest(configurations=({'depth': 2},))
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

from pellux.core.errors import InvalidPlan
from pellux.core.settings import NoSettings, names_of
from pellux.core.space import Configuration, Space
from pellux.core.strategies import (
    even_spread,
    evolution,
    gain_per_second,
    gaussian_process,
    grid,
    parzen_density,
    population_training,
    random_draws,
)
from pellux.core.strategies.automatic import Pick, grid_size, pick
from pellux.core.strategies.contract import (
    Answer,
    Continue,
    Exhausted,
    Growing,
    History,
    Observation,
    SeedStream,
    Strategy,
    Suggest,
    Wait,
)
from pellux.core.strategies.keeping import ordered
from pellux.core.strategies.known import Known, Placed
from pellux.core.strategies.lessons import Lesson, adapted
from pellux.core.strategies.partial import Growth, Partial
from pellux.core.strategies.several import ordered_by_front


@dataclass(frozen=True)
class Entry:
    """A strategy as people meet it: label, one sentence, the function.

    Attributes
    ----------
    propose : Strategy
        With settings as a last argument where `settings` is not NoSettings.
    settings : type
        A frozen dataclass that validates itself; what people may give has a sentence.
    heavy : bool
        A proposal takes long enough to be made in a process of its own.
    learns : bool
        Scores matter to it; without, it is told only what was tried.
    modelled : bool
        Proposals are what a model of the score expects most of.
    models_all : bool
        It has models of limits and of all metrics that decide; others are told of them by the order of the scores.
    remembers : int
        So many trials it learns from what other problems taught, too; 0 where it cannot.
    first : function of (configuration, seeds, settings), or None
        A start value as an answer, where that is not just a suggestion.
    divide : function of (settings, Growing), or None
        Of one whose trials go on from each other: its settings in full, the number of trials, and the levels of their rungs.
    """

    label: str
    sentence: str
    propose: Callable[..., Answer]
    settings: type[Any] = NoSettings
    heavy: bool = False
    learns: bool = True
    modelled: bool = False
    models_all: bool = False
    remembers: int = 0
    first: Callable[[Configuration, SeedStream, Any], Answer] | None = None
    divide: Callable[[Any, Growing], tuple[Any, int, tuple[int, ...]]] | None = None

    @property
    def names(self) -> dict[str, tuple[Any, str]]:
        """Its settings as people write them, with default and sentence."""
        return names_of(self.settings)

    @property
    def continues(self) -> bool:
        """Whether its trials go on from each other's checkpoints, each at the rung it is told."""
        return self.first is not None

    def ask(
        self, space: Space, history: History, pending: Sequence[Configuration], count: int, seeds: SeedStream, settings: Any,
        lessons: Sequence[Lesson] = (),
    ) -> Answer:  # fmt: skip
        """Its answer, whether it has settings or not; `lessons` are for one that remembers."""
        history = ordered(ordered_by_front(history)) if self.learns and not self.models_all else history
        if lessons and self.remembers:
            return self.propose(space, history, pending, count, seeds, lessons=lessons)
        if self.settings is NoSettings:
            return self.propose(space, history, pending, count, seeds)
        return self.propose(space, history, pending, count, seeds, settings)

    def begin(self, start: Configuration, seeds: SeedStream, settings: Any) -> Answer:
        """The answer that a start value is."""
        return Suggest((dict(start),)) if self.first is None else self.first(start, seeds, settings)


AUTOMATIC = "automatic"
STRATEGIES: dict[str, Entry] = {
    "grid": Entry(
        "Grid",
        "Every combination of levels, once; only for small spaces, and it learns nothing on the way.",
        grid.propose,
        learns=False,
    ),
    "random": Entry(
        "Random",
        "Independent draws, weighted by the priors; the honest yardstick for everything cleverer.",
        random_draws.propose,
        learns=False,
    ),
    "even spread": Entry(
        "Even spread",
        "Points that fill the space without gaps or clumps; learns nothing, but leaves nothing unvisited.",
        even_spread.propose,
        learns=False,
    ),
    "gaussian process": Entry(
        "Gaussian process",
        "A model of the score with its own doubt; goes where the most improvement is to be expected.",
        gaussian_process.propose,
        heavy=True,
        modelled=True,
        models_all=True,
        remembers=gaussian_process.REMEMBERED,
    ),
    "parzen density": Entry(
        "Parzen density",
        "Draws where good trials are dense and poor ones rare; cheap with thousands of trials or many conditions.",
        parzen_density.propose,
        heavy=True,
        remembers=parzen_density.REMEMBERED,
    ),
    "evolution": Entry(
        "Evolution",
        "A population whose members step towards the best and along each other's differences; wants some hundred trials.",
        evolution.propose,
    ),
    "population training": Entry(
        "Population training",
        "Members train in intervals; the weak go on as changed copies of the strong, so settings change during training.",
        population_training.propose,
        settings=population_training.PopulationSettings,
        first=population_training.first,
        divide=population_training.divide,
    ),
    "gain per second": Entry(
        "Gain per second",
        "The Gaussian process that counts what a trial costs: goes where a second of training promises most, cheapest first.",
        gain_per_second.propose,
        heavy=True,
        models_all=True,
        remembers=gaussian_process.REMEMBERED,
    ),
}


def labelled(key: str) -> str:
    """How a strategy is called on screen."""
    return "Automatic" if key == AUTOMATIC else strategy(key).label


CONTINUING = tuple(key for key, entry in STRATEGIES.items() if entry.continues)
# Names of earlier versions, which workspaces and plans may still have.
RENAMED = {"thrifty descent": "gain per second"}


def strategy(key: str) -> Entry:
    """A registry entry by its key; InvalidPlan names the new one for a key that was renamed."""
    if key in RENAMED:
        raise InvalidPlan(f"Strategy '{key}' is called '{RENAMED[key]}' now.", at="plan.strategy")
    if key not in STRATEGIES:
        raise InvalidPlan(f"Strategy '{key}' is unknown. Allowed: {', '.join([AUTOMATIC, *STRATEGIES])}.", at="plan.strategy")
    return STRATEGIES[key]


__all__ = [
    "AUTOMATIC",
    "CONTINUING",
    "RENAMED",
    "STRATEGIES",
    "Answer",
    "Continue",
    "Entry",
    "Exhausted",
    "Growing",
    "Growth",
    "History",
    "Known",
    "Lesson",
    "Observation",
    "Partial",
    "Pick",
    "Placed",
    "SeedStream",
    "Strategy",
    "Suggest",
    "Wait",
    "adapted",
    "grid_size",
    "labelled",
    "pick",
    "strategy",
]  # fmt: skip
