"""Reads plan files (YAML) and applies `--set key=value` to them."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import yaml

from pellux.core.errors import InvalidPlan
from pellux.service.planning.requests import PlanFile, checked


def read_plan(path: Path, overrides: Sequence[str] = ()) -> PlanFile:
    """The plan in a file, its data path made absolute; InvalidPlan with one line where it cannot be read."""
    try:
        found = plain_yaml(path.read_text("utf-8"))
    except FileNotFoundError:
        raise InvalidPlan(f"There is no plan file {path}.") from None
    except (OSError, UnicodeDecodeError) as error:
        raise InvalidPlan(f"The plan file {path} cannot be read: {error}.") from None
    except yaml.YAMLError as error:
        mark = getattr(error, "problem_mark", None)
        where = f" in line {mark.line + 1}, column {mark.column + 1}" if mark else ""
        raise InvalidPlan(f"{path} is not YAML{where}: {getattr(error, 'problem', error)}.") from None
    if not isinstance(found, dict):
        raise InvalidPlan(f"{path} is not a plan: it holds no keys.")
    for override in overrides:
        apply_override(found, override)
    plan = checked(PlanFile, {**found, **({"overrides": list(overrides)} if overrides else {})})
    if plan.code is not None:
        plan.code.folder = str(_from(path, plan.code.folder or "."))
        return plan
    if not plan.learner:
        raise InvalidPlan("The plan lacks 'learner'.", at="learner")
    plan.table.data = str(_from(path, plan.table.data))
    if is_own(plan.learner):
        place, _, name = plan.learner.rpartition(":")
        plan.learner = f"{_from(path, place) if place.endswith('.py') else place}:{name}"
    for own in plan.metrics:
        place, _, name = own.where.rpartition(":")
        own.where = f"{_from(path, place)}:{name}"
    return plan


def own_folders(path: Path, plan: PlanFile) -> list[Path]:
    """Folders from which code may run for whoever runs a plan on their own machine: the plan's, and the one that it names."""
    return [path.parent, *([Path(plan.code.folder)] if plan.code is not None else [])]


def own_modules(plan: PlanFile) -> list[str]:
    """Modules that whoever runs a plan on their own machine names in it: a learner's class in an installed package."""
    place = plan.learner.rpartition(":")[0] if is_own(plan.learner) else ""
    return [place] if place and not place.endswith(".py") else []


class _Plain(yaml.SafeLoader):
    """YAML without what a plan has no use for: a key twice, of which one would be lost, and aliases, which a few bytes blow up."""

    def construct_mapping(self, node: Any, deep: bool = False) -> dict[Any, Any]:
        seen = set[str]()
        for key, _ in node.value:
            if key.value in seen:
                raise yaml.constructor.ConstructorError(None, None, f"the key '{key.value}' stands there twice", key.start_mark)
            seen.add(key.value)
        return super().construct_mapping(node, deep)

    def compose_node(self, parent: Any, index: Any) -> Any:
        if self.check_event(yaml.events.AliasEvent):
            mark = self.peek_event().start_mark  # type: ignore[no-untyped-call]
            raise yaml.composer.ComposerError(None, None, "aliases (*name) are not read: write it out", mark)
        return super().compose_node(parent, index)


def plain_yaml(text: str) -> Any:
    """What a YAML text says; yaml.YAMLError where it cannot be read."""
    return yaml.load(text, _Plain)  # noqa: S506 - it is a safe loader


def is_own(key: str) -> bool:
    """Whether a learner is named by where its code is."""
    return ":" in key


def _from(plan: Path, place: str) -> Path:
    """Paths in a plan are relative to it."""
    found = Path(place)
    return found if found.is_absolute() else (plan.parent / found).resolve()


def apply_override(found: dict[str, Any], text: str) -> None:
    """Put the value of `key=value` where the dotted key says."""
    key, sign, value = text.partition("=")
    if not sign or not key.strip():
        raise InvalidPlan(f"'--set {text}' is not key=value, such as plan.trials=10.", at=key)
    steps = key.strip().split(".")
    place = found
    for step in steps[:-1]:
        place = place.setdefault(step, {})
        if not isinstance(place, dict):
            raise InvalidPlan(f"'--set {text}': '{step}' holds a value, not keys.", at=key)
    if steps == ["space"]:  # space notation has colons of its own
        place["space"] = value or None
        return
    try:
        place[steps[-1]] = plain_yaml(value)
    except yaml.YAMLError:
        raise InvalidPlan(f"'--set {text}': '{value}' is not a value.", at=key) from None


def plan_hash(plan: PlanFile, brief: str) -> str:
    """Equal for plans that ask for the same search of the same data or code, wherever the file lies."""
    found = plan.model_dump(exclude={"overrides", "metrics", "reading"})
    if plan.code is not None:
        found["brief"] = brief
    else:
        found["brief"]["data"] = brief
    return hashlib.sha256(json.dumps(found, sort_keys=True).encode()).hexdigest()
