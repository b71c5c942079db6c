"""Parameters, space notation, the JSON form and the map to the unit cube."""

from pellux.core.space.json_form import from_json, schema, to_json
from pellux.core.space.notation import parse, word, write
from pellux.core.space.parameters import Choice, Fixed, Integer, Parameter, Real, Value, YesNo
from pellux.core.space.space import Configuration, Space, identity

__all__ = [
    "Choice", "Configuration", "Fixed", "Integer", "Parameter", "Real", "Space", "Value", "YesNo",
    "from_json", "identity", "parse", "schema", "to_json", "word", "write",
]  # fmt: skip
