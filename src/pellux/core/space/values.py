"""What a parameter can be: the value type, equality, and how notation writes a value."""

from __future__ import annotations

import json

from pellux.core.space.tokens import RESERVED

Value = float | int | str | bool


def same(left: Value, right: Value) -> bool:
    """Equal values; yes is not 1, and 2 is 2.0."""
    if isinstance(left, (bool, str)) or isinstance(right, (bool, str)):
        return type(left) is type(right) and left == right
    return left == right


def word(value: Value) -> str:
    """A value as space notation writes it."""
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, (int, float)):
        return repr(value)
    bare = all(part.isidentifier() and part.isascii() for part in value.replace("-", ".").split("."))
    if bare and value not in RESERVED and value not in ("yes", "no"):
        return value
    return json.dumps(value, ensure_ascii=False)
