"""The JSON form of a space and its JSON Schema (2020-12), published in docs/space.schema.json."""

from __future__ import annotations

from typing import Any

from pellux.core.errors import InvalidSpace
from pellux.core.space.parameters import Choice, Fixed, Integer, Parameter, Real, YesNo
from pellux.core.space.space import Space

KINDS = {"real": Real, "integer": Integer, "choice": Choice, "yes-no": YesNo, "fixed": Fixed}


def to_json(space: Space) -> list[dict[str, Any]]:
    """The space as plain lists and dictionaries; `from_json(to_json(space)) == space`."""
    return [_parameter_to_json(p) for p in space.parameters]


def _parameter_to_json(p: Parameter) -> dict[str, Any]:
    kind = next(key for key, value in KINDS.items() if type(p) is value)
    match p:
        case Real() | Integer():
            found: dict[str, Any] = {"name": p.name, "kind": kind, "low": p.low, "high": p.high, "log": p.log}
            return found if p.step is None else {**found, "step": p.step}
        case Choice():
            options = [{"value": v, "weight": w} for v, w in zip(p.options, p.weights, strict=True)]
            return {"name": p.name, "kind": kind, "options": options}
        case Fixed():
            return {"name": p.name, "kind": kind, "value": p.value}
    raise TypeError(type(p).__name__)


def from_json(found: list[dict[str, Any]]) -> Space:
    return Space(tuple(_parameter_from_json(entry) for entry in found))


def _parameter_from_json(entry: dict[str, Any]) -> Parameter:
    name, kind = str(entry.get("name", "")), entry.get("kind")
    try:
        match kind:
            case "real":
                step = entry.get("step")
                return Real(
                    name=name, low=float(entry["low"]), high=float(entry["high"]), log=bool(entry.get("log", False)),
                    step=None if step is None else float(step),
                )  # fmt: skip
            case "integer":
                return Integer(
                    name=name, low=_whole(name, entry["low"]), high=_whole(name, entry["high"]),
                    log=bool(entry.get("log", False)),
                    step=None if entry.get("step") is None else _whole(name, entry["step"]),
                )  # fmt: skip
            case "choice" | "yes-no":
                options = tuple(option["value"] for option in entry["options"])
                weights = tuple(float(option.get("weight", 1.0)) for option in entry["options"])
                return (YesNo if kind == "yes-no" else Choice)(name=name, options=options, weights=weights)
            case "fixed":
                return Fixed(name=name, value=entry["value"])
    except (KeyError, TypeError, ValueError) as error:
        raise InvalidSpace(f"{name}: this {kind} parameter is not complete ({error}).", at=name) from None
    raise InvalidSpace(f"{name}: kind '{kind}' is unknown. Allowed: {', '.join(KINDS)}.", at=name)


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
        return _object({"name": name, "kind": {"const": label}, **more}, required=["name", "kind", *required])

    def ranged(label: str, end: dict[str, Any]) -> dict[str, Any]:
        step = {**end, "exclusiveMinimum": 0}
        return kind(label, ["low", "high"], low=end, high=end, log={"type": "boolean"}, step=step)

    options = {"type": "array", "items": option, "minItems": 2}
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "Pellux search space",
        "type": "array",
        "items": {
            "oneOf": [
                ranged("real", number),
                ranged("integer", whole),
                kind("choice", ["options"], options=options),
                kind("yes-no", ["options"], options={**options, "maxItems": 2}),
                kind("fixed", ["value"], value=value),
            ]
        },
    }


def _object(properties: dict[str, Any], required: list[str]) -> dict[str, Any]:
    return {"type": "object", "properties": properties, "required": required, "additionalProperties": False}
