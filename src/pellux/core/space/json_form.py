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

RANGE, WHOLE_RANGE = "range", "whole range"
FORMER = {"real": RANGE, "integer": WHOLE_RANGE}  # what kinds were called before
SCALES = ("linear", "log")
KINDS = {RANGE: Real, WHOLE_RANGE: Integer, "distribution": Distributed, "choice": Choice, "yes-no": YesNo, "fixed": Fixed}


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
            found = {"from": p.low, "to": p.high, "scale": SCALES[p.log]}
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
    if kind in FORMER:
        raise InvalidSpace(
            f"{name}: kind '{kind}' is called '{FORMER[kind]}' now, its ends 'from' and 'to', its 'scale' linear or log.", at=name
        )
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
    if kind in (RANGE, "distribution") and isinstance(shared["start"], int) and not isinstance(shared["start"], bool):
        shared["start"] = float(shared["start"])
    levels = None if entry.get("levels") is None else _whole(name, entry["levels"])
    match kind:
        case "range":
            step = None if entry.get("step") is None else float(entry["step"])
            low, high = float(entry["from"]), float(entry["to"])
            return Real(low=low, high=high, log=_is_log(entry), step=step, levels=levels, **shared)
        case "whole range":
            whole = None if entry.get("step") is None else _whole(name, entry["step"])
            first, last = _whole(name, entry["from"]), _whole(name, entry["to"])
            return Integer(low=first, high=last, log=_is_log(entry), step=whole, levels=levels, **shared)
        case "distribution":
            arguments = tuple(float(argument) for argument in entry["arguments"])
            return Distributed(family=str(entry["family"]), arguments=arguments, levels=levels, **shared)
        case "fixed":
            return Fixed(value=entry["value"], **shared)
    options = tuple(option["value"] for option in entry["options"])
    weights = tuple(float(option.get("weight", 1.0)) for option in entry["options"])
    return (YesNo if kind == "yes-no" else Choice)(options=options, weights=weights, **shared)


def _is_log(entry: dict[str, Any]) -> bool:
    scale = entry.get("scale", SCALES[0])
    if scale not in SCALES:
        raise ValueError(f"scale is linear or log, not {scale!r}")
    return bool(scale == SCALES[1])


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
        return kind(
            label, ["from", "to"], **{"from": end, "to": end, "scale": {"enum": list(SCALES)}, "step": step, "levels": levels}
        )

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
                ranged(RANGE, number),
                ranged(WHOLE_RANGE, whole),
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
