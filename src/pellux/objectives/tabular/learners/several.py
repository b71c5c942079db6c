"""Several learners in one search: the learner is a choice, and each brings its own parameters.

In such a space the parameter `model` says which learner a configuration is of. A setting that several of them have keeps
its bare name where it means the same to all that have it (`balance`), and is written `forest_features` where it does not.
"""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

from pellux.core.errors import InvalidPlan, InvalidSpace
from pellux.core.space import Choice, Fixed, Space, Value
from pellux.core.space.expressions import names
from pellux.objectives.tabular.learners.settings import Learner, Setting, check_within

MODEL = "model"
Weighted = tuple[Learner, float]


def split_key(key: str) -> list[tuple[str, float]]:
    """`logistic | forest *2` as keys with their prior weights."""
    found = []
    for part in key.split("|"):
        name, star, weight = part.strip().partition("*")
        if not name.strip() or (star and not re.fullmatch(r"\s*\d+(\.\d+)?\s*", weight)) or (star and float(weight) <= 0):
            raise InvalidPlan(f"'{key}' does not name learners. Write 'forest', or 'logistic | forest *2'.", at="learner")
        found.append((name.strip(), float(weight) if star else 1.0))
    if len({name for name, _ in found}) < len(found):
        raise InvalidPlan(f"'{key}' names a learner twice.", at="learner")
    return found


@dataclass(frozen=True)
class Several(Learner):
    """Learners that are searched together."""

    members: tuple[Learner, ...] = ()

    @cached_property
    def _by_key(self) -> dict[str, Learner]:
        return {m.key: m for m in self.members}

    def baselines(self, space: Space) -> tuple[dict[str, Value], ...]:
        return tuple(self.whole({MODEL: m.key}) for m in self.members)

    def settle(self, configuration: Mapping[str, Any]) -> tuple[Learner, dict[str, Any]]:
        chosen = self._by_key.get(str(configuration.get(MODEL)))
        if chosen is None:
            raise InvalidPlan(f"The configuration names no learner: '{MODEL}' is one of {', '.join(self._by_key)}.", at=MODEL)
        own = {s.name for s in chosen.settings}
        bare = {name: value for name, value in configuration.items() if name in own}
        return chosen, {**bare, **{n: configuration[f"{chosen.key}_{n}"] for n in own if f"{chosen.key}_{n}" in configuration}}

    def whole(self, configuration: Mapping[str, Any]) -> dict[str, Any]:
        chosen, settings = self.settle(configuration)
        named = {self._named(chosen, name): value for name, value in {**chosen.defaults, **settings}.items()}
        return {MODEL: chosen.key, **named}

    def adopt(self, key: str, settings: Mapping[str, Any]) -> dict[str, Any]:
        """A configuration of one of the learners, as it is written here."""
        return {MODEL: key, **{self._named(self._by_key[key], name): value for name, value in settings.items()}}

    def _named(self, member: Learner, name: str) -> str:
        qualified = f"{member.key}_{name}"
        return qualified if any(s.name == qualified for s in self.settings) else name

    def line(self, setting: Setting) -> str:
        if setting.name == MODEL:
            return super().line(setting)
        return super().line(setting) + self._condition(self._owners(setting.name))

    def _condition(self, owners: Sequence[str]) -> str:
        if len(owners) == len(self.members):
            return ""
        # In quotes where it would be taken for a parameter: the nearest neighbours have a setting 'neighbours'.
        words = [f'"{key}"' if any(s.name == key for s in self.settings) else key for key in owners]
        return f" if {MODEL} == {words[0]}" if len(words) == 1 else f" if {MODEL} in ({', '.join(words)})"

    def _owners(self, name: str) -> list[str]:
        return [m.key for m in self.members if name.startswith(f"{m.key}_") or any(s.name == name for s in m.settings)]

    def check(self, space: Space) -> None:
        model = space.by_name.get(MODEL)
        options = model.options if isinstance(model, Choice) else (model.value,) if isinstance(model, Fixed) else ()
        unknown = [o for o in options if o not in self._by_key]
        if not options or unknown:
            wrong = (
                f"'{unknown[0]}' is not among this search's learners" if unknown else f"the space must say which '{MODEL}' to use"
            )
            raise InvalidSpace(f"{MODEL}: {wrong}: {', '.join(self._by_key)}.", at=MODEL)
        for parameter in space.parameters:
            if parameter.name == MODEL:
                continue
            found = [s for m in self.members for s in m.settings if parameter.name in (s.name, f"{m.key}_{s.name}")]
            if not found:
                raise InvalidSpace(f"{parameter.name}: none of {', '.join(self._by_key)} has such a setting.", at=parameter.name)
            for setting in found:
                check_within(parameter, setting)
            owners = self._owners(parameter.name)
            if len(owners) < len(options) and (parameter.condition is None or MODEL not in names(parameter.condition)):
                hint = self._condition(owners).strip()
                raise InvalidSpace(
                    f"{parameter.name}: not every learner has this setting. Write '{hint}' after it.", at=parameter.name
                )


def several(members: Sequence[Weighted]) -> Learner:
    """Learners and their prior weights as one."""
    learners = tuple(learner for learner, _ in members)
    options = " | ".join(m.key + (f" *{weight:g}" if weight != 1 else "") for m, weight in members)
    model = Setting(MODEL, "Which learner is trained.", learners[0].key, options, " | ".join(m.key for m in learners))
    tasks = tuple(task for task in learners[0].tasks if all(task in m.tasks for m in learners))
    return Several(
        key=options, label=" or ".join(m.label for m in learners), tasks=tasks, preparation=learners[0].preparation,
        sentence="Several learners in one search: which of them is best is searched along with their settings.",
        settings=(model, *_settings(learners)), build=learners[0].build, members=learners,
        missing=all(m.missing for m in learners), categories=all(m.categories for m in learners),
        weights=all(m.weights for m in learners),
    )  # fmt: skip


def _settings(learners: Sequence[Learner]) -> list[Setting]:
    """Each setting once where it means the same to all that have it, else once a learner under its full name."""
    having: dict[str, list[tuple[Learner, Setting]]] = {}
    for member in learners:
        for setting in member.settings:
            having.setdefault(setting.name, []).append((member, setting))
    found: list[Setting] = []
    for name, owners in having.items():
        settings = [s for _, s in owners]
        if all(_alike(s, settings[0]) for s in settings):
            found.append(settings[0])
        else:
            found += [
                Setting(f"{m.key}_{name}", s.sentence, s.default, s.domain, s.limits, s.cost, s.tasks, s.part, s.for_uneven)
                for m, s in owners
            ]
    return found


def _alike(one: Setting, other: Setting) -> bool:
    return (one.default, one.domain, one.limits, one.cost) == (other.default, other.domain, other.limits, other.cost)
