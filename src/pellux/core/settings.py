"""Settings of rules and strategies: frozen dataclasses that validate themselves and say in words what each field does."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, fields
from typing import Any, ClassVar

from pellux.core.errors import InvalidPlan


@dataclass(frozen=True)
class NoSettings:
    """For what has none."""

    sentences: ClassVar[Mapping[str, str]] = {}


def demanding(place: str) -> Callable[[bool, str, str], None]:
    """A check for settings that stand at `place` in a plan: InvalidPlan with the sentence where it is not true."""

    def demand(true: bool, sentence: str, at: str) -> None:
        if not true:
            raise InvalidPlan(sentence, at=f"{place}.{at}")

    return demand


def names_of(kind: type[Any]) -> dict[str, tuple[Any, str]]:
    """The settings that people may give, as they write them, with default and sentence."""
    return {
        f.name.replace("_", " "): (f.default, kind.sentences[f.name]) for f in fields(kind) if f.name in kind.sentences
    }  # fmt: skip


def settings_of(kind: type[Any], given: Mapping[str, Any], *, whose: str = "rule", place: str = "plan.stopping") -> Any:
    """Settings from what a person gave; InvalidPlan with the key when one is unknown or of the wrong kind."""
    known = {f.name.replace("_", " "): f for f in fields(kind) if f.name in kind.sentences}
    made: dict[str, Any] = {}
    for key, value in given.items():
        name = key.replace("_", " ")
        if name not in known:
            allowed = ", ".join(known) or "none"
            raise InvalidPlan(f"'{key}' is not a setting of this {whose}. It has: {allowed}.", at=f"{place}.{key}")
        wanted: type[Any] = type(known[name].default)
        if isinstance(value, bool) != (wanted is bool) or not isinstance(value, (int, float)):
            raise InvalidPlan(f"'{key}' must be a number. Got {value!r}.", at=f"{place}.{key}")
        if wanted is int and float(value) != int(value):
            raise InvalidPlan(f"'{key}' must be a whole number. Got {value!r}.", at=f"{place}.{key}")
        made[known[name].name] = wanted(value)
    return kind(**made)
