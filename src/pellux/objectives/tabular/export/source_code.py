"""A scikit-learn estimator as the Python expression that builds it, pipelines and their parts included."""

from __future__ import annotations

import inspect
import math
from typing import Any

import numpy as np

from pellux.core.errors import Conflict

WIDTH = 100


def expression(thing: Any, imports: dict[str, set[str]], indent: int = 0) -> str:
    """The expression; classes that it names are added to `imports`, by module. Conflict where there is none."""
    if hasattr(thing, "get_params") and not isinstance(thing, type):
        return _call(thing, imports, indent)
    if callable(getattr(thing, "fit", None)) and not isinstance(thing, type):  # somebody's own class
        return _call(thing, imports, indent)
    if type(thing).__module__.startswith("sklearn."):  # a splitter: its representation builds it
        imports.setdefault(".".join(type(thing).__module__.split(".")[:2]), set()).add(type(thing).__name__)
        return " ".join(repr(thing).split())
    if callable(thing) and getattr(thing, "__module__", "").startswith("sklearn."):
        imports.setdefault(".".join(thing.__module__.split(".")[:2]), set()).add(thing.__name__)
        return str(thing.__name__)
    if isinstance(thing, (list, tuple)):
        return _sequence(thing, imports, indent)
    if isinstance(thing, np.generic):
        thing = thing.item()
    if isinstance(thing, float) and not math.isfinite(thing):
        return f'float("{thing}")'
    if isinstance(thing, (set, frozenset, dict, bytes, str, int, float, complex, type(None))):
        return repr(thing)
    raise Conflict(f"A setting of the pipeline is a {type(thing).__name__}, which a script cannot write down.")


def _call(estimator: Any, imports: dict[str, set[str]], indent: int) -> str:
    kind = type(estimator)
    imports.setdefault(".".join(kind.__module__.split(".")[:2]), set()).add(kind.__name__)
    defaults = {name: p.default for name, p in inspect.signature(kind.__init__).parameters.items()}
    given = {
        name: value for name, value in _parameters(estimator).items() if not _same(value, defaults.get(name))
    }  # fmt: skip
    return _wrapped(
        f"{kind.__name__}(", [f"{name}={expression(value, imports, indent + 4)}" for name, value in given.items()], ")", indent
    )  # fmt: skip


def _parameters(estimator: Any) -> dict[str, Any]:
    if hasattr(estimator, "get_params"):
        found: dict[str, Any] = estimator.get_params(deep=False)
        return found
    names = list(inspect.signature(type(estimator).__init__).parameters)[1:]
    return {name: getattr(estimator, name) for name in names if hasattr(estimator, name)}


def _sequence(thing: list[Any] | tuple[Any, ...], imports: dict[str, set[str]], indent: int) -> str:
    opening, closing = ("[", "]") if isinstance(thing, list) else ("(", ",)" if len(thing) == 1 else ")")
    return _wrapped(opening, [expression(part, imports, indent + 4) for part in thing], closing, indent)


def _wrapped(opening: str, parts: list[str], closing: str, indent: int) -> str:
    line = opening + ", ".join(parts) + closing
    if len(line) + indent <= WIDTH and "\n" not in line:
        return line
    inner = " " * (indent + 4)
    return opening + "\n" + "".join(f"{inner}{part},\n" for part in parts) + " " * indent + closing.lstrip(",")


def _same(value: Any, default: Any) -> bool:
    if isinstance(value, float) and isinstance(default, float) and math.isnan(value) and math.isnan(default):
        return True
    return type(value) is type(default) and bool(value == default)
