"""The JSON form of a space and its JSON Schema (2020-12), published in docs/space.schema.json."""

from __future__ import annotations

from typing import Any

from pellux.core.errors import InvalidSpace
from pellux.core.space.distributions import FAMILIES, Distributed
from pellux.core.space.expression_reader import read_expression
from pellux.core.space.expressions import Expression
from pellux.core.space.feasibility import verify
from pellux.core.space.parameters import Choice, Fixed, Integer, Parameter, Real, YesNo
from pellux.core.space.space import Space

KINDS = {"real": Real, "integer": Integer, "distribution": Distributed, "choice": Choice, "yes-no": YesNo, "fixed": Fixed}


def to_json(space: Space) -> list[dict[str, Any]]:
    """The space as plain lists and dictionaries; `from_json(to_json(space)) == space`."""
    requirements = [{"kind": "requirement", "expression": str(r)} for r in space.requirements]
    return [_parameter_to_json(p) for p in space.parameters] + requirements


def _parameter_to_json(p: Parameter) -> dict[str, Any]:
    kind = next(key for key, value in KINDS.items() if type(p) is value)
    found = {"name": p.name, "kind": kind, **_domain(p)}
    if p.start is not None:
        found["start"] = p.start
    if p.costly:
        found["costly"] = True
    if p.condition is not None:
        found["condition"] = str(p.condition)
    return found


def _domain(p: Parameter) -> dict[str, Any]:
    found: dict[str, Any]
    match p:
        case Real() | Integer():
            found = {"low": p.low, "high": p.high, "log": p.log}
            found |= {} if p.step is None else {"step": p.step}
        case Distributed():
            found = {"family": p.family, "arguments": list(p.arguments)}
        case Choice():
            return {"options": [{"value": v, "weight": w} for v, w in zip(p.options, p.weights, strict=True)]}
        case Fixed():
            return {"value": p.value}
        case _:
            raise TypeError(type(p).__name__)
    return found if p.levels is None else {**found, "levels": p.levels}


def from_json(found: list[dict[str, Any]]) -> Space:
    """The space that a JSON form describes; InvalidSpace where it describes none."""
    requirements = tuple(_expression(e.get("expression"), "require") for e in found if e.get("kind") == "requirement")
    return verify(Space(tuple(_parameter_from_json(e) for e in found if e.get("kind") != "requirement"), requirements))


def _expression(text: Any, at: str) -> Expression:
    if not isinstance(text, str):
        raise InvalidSpace(f"{at}: an expression is a text. Got {text!r}.", at=at)
    return read_expression(text)


def _parameter_from_json(entry: dict[str, Any]) -> Parameter:
    name, kind = str(entry.get("name", "")), entry.get("kind")
    if kind not in KINDS:
        raise InvalidSpace(f"{name}: kind '{kind}' is unknown. Allowed: {', '.join(KINDS)}, requirement.", at=name)
    condition = entry.get("condition")
    shared: dict[str, Any] = {
        "name": name,
        "condition": None if condition is None else _expression(condition, name),
        "start": entry.get("start"),
        "costly": bool(entry.get("costly", False)),
    }
    try:
        return _read(str(kind), entry, shared)
    except (KeyError, TypeError, ValueError) as error:
        raise InvalidSpace(f"{name}: this {kind} parameter is not complete ({error}).", at=name) from None


def _read(kind: str, entry: dict[str, Any], shared: dict[str, Any]) -> Parameter:
    name = shared["name"]
    if kind in ("real", "distribution") and isinstance(shared["start"], int) and not isinstance(shared["start"], bool):
        shared["start"] = float(shared["start"])
    levels = None if entry.get("levels") is None else _whole(name, entry["levels"])
    match kind:
        case "real":
            step = None if entry.get("step") is None else float(entry["step"])
            low, high = float(entry["low"]), float(entry["high"])
            return Real(low=low, high=high, log=bool(entry.get("log", False)), step=step, levels=levels, **shared)
        case "integer":
            whole = None if entry.get("step") is None else _whole(name, entry["step"])
            first, last = _whole(name, entry["low"]), _whole(name, entry["high"])
            return Integer(low=first, high=last, log=bool(entry.get("log", False)), step=whole, levels=levels, **shared)
        case "distribution":
            arguments = tuple(float(argument) for argument in entry["arguments"])
            return Distributed(family=str(entry["family"]), arguments=arguments, levels=levels, **shared)
        case "fixed":
            return Fixed(value=entry["value"], **shared)
    options = tuple(option["value"] for option in entry["options"])
    weights = tuple(float(option.get("weight", 1.0)) for option in entry["options"])
    return (YesNo if kind == "yes-no" else Choice)(options=options, weights=weights, **shared)


def _whole(name: str, value: Any) -> int:
    if isinstance(value, bool) or value != int(value):
        raise InvalidSpace(f"{name}: an int range takes whole numbers. Got {value!r}.", at=name)
    return int(value)


def schema() -> dict[str, Any]:
    """JSON Schema of the JSON form."""
    value = {"type": ["number", "string", "boolean"]}
    option = _object({"value": value, "weight": {"type": "number", "exclusiveMinimum": 0}}, required=["value"])
    number, whole = {"type": "number"}, {"type": "integer"}

    def kind(label: str, required: list[str], **more: Any) -> dict[str, Any]:
        name = {"type": "string", "pattern": "^[A-Za-z_][A-Za-z0-9_]*$"}
        properties = {"name": name, "kind": {"const": label}, **more, "condition": {"type": "string"}, "start": value}
        return _object({**properties, "costly": {"type": "boolean"}}, required=["name", "kind", *required])

    def ranged(label: str, end: dict[str, Any]) -> dict[str, Any]:
        step = {**end, "exclusiveMinimum": 0}
        return kind(label, ["low", "high"], low=end, high=end, log={"type": "boolean"}, step=step, levels=levels)

    levels = {"type": "integer", "minimum": 1}
    arguments = {"type": "array", "items": number, "minItems": 1, "maxItems": 2}
    families = {"enum": list(FAMILIES)}
    options = {"type": "array", "items": option, "minItems": 2}
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "Pellux search space",
        "type": "array",
        "items": {
            "oneOf": [
                ranged("real", number),
                ranged("integer", whole),
                kind("distribution", ["family", "arguments"], family=families, arguments=arguments, levels=levels),
                kind("choice", ["options"], options=options),
                kind("yes-no", ["options"], options={**options, "maxItems": 2}),
                kind("fixed", ["value"], value=value),
                _object({"kind": {"const": "requirement"}, "expression": {"type": "string"}}, required=["kind", "expression"]),
            ]
        },
    }


def _object(properties: dict[str, Any], required: list[str]) -> dict[str, Any]:
    return {"type": "object", "properties": properties, "required": required, "additionalProperties": False}
