"""What functions of people's own meet: the fit that they are given, and what ends them when nobody waits any more."""

from pellux.objectives.code.function import Ended, Fit

__all__ = ["Ended", "Fit"]
