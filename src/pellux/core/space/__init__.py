"""Parameters, space notation, the JSON form and the map to the unit cube."""

from pellux.core.space.counting import Counting
from pellux.core.space.distributions import Distributed
from pellux.core.space.feasibility import draw, repair
from pellux.core.space.json_form import from_json, schema, to_json
from pellux.core.space.notation import parse, write, write_parameter
from pellux.core.space.parameters import Choice, Fixed, Integer, Parameter, Real, YesNo
from pellux.core.space.space import Configuration, Space, identity
from pellux.core.space.values import Value, word

__all__ = [
    "Choice", "Configuration", "Counting", "Distributed", "Fixed", "Integer", "Parameter", "Real", "Space", "Value", "YesNo",
    "draw", "from_json", "identity", "parse", "repair", "schema", "to_json", "word", "write", "write_parameter",
]  # fmt: skip
