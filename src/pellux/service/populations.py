"""A population's size and line, as a search's plan and resolved intervals give them."""

from __future__ import annotations

from pellux.core.strategies.population_training import Line
from pellux.learners.settings import Learner
from pellux.service.requests import SettingsRequest
from pellux.service.resolving import Resolved

FEWEST = 4


def members(settings: SettingsRequest, resolved: Resolved) -> int:
    """As many as the budget trains through all intervals."""
    return max(settings.trials // len(resolved.levels), FEWEST)


def population_size(settings: SettingsRequest, resolved: Resolved) -> int:
    """Trials of a population: one for each member's each interval."""
    return members(settings, resolved) * len(resolved.levels)


def population_line(settings: SettingsRequest, resolved: Resolved, chosen: Learner) -> Line:
    steerable = chosen.growth.steerable if chosen.growth else ()
    return Line(members(settings, resolved), resolved.ladder.top, steerable)
