"""Pellux: choose a model's settings by cross-validated score, and defend the choice.

From Python: `pellux.open` a workspace or a server; see help(pellux.api).
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from pellux.version import __version__

if TYPE_CHECKING:
    from pellux.api import Bench, Decision, Ended, Fit, LeasedFit, Problem, Search, Trial, open

__all__ = ["Bench", "Decision", "Ended", "Fit", "LeasedFit", "Problem", "Search", "Trial", "__version__", "open"]


def __getattr__(name: str) -> Any:
    """The Python interface, imported when it is first asked for: workers and the command line need little of it."""
    if name in __all__:
        import pellux.api

        return getattr(pellux.api, name)
    raise AttributeError(f"module 'pellux' has no attribute '{name}'")


def __dir__() -> list[str]:
    return __all__
