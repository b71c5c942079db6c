"""Why something ended, waits or failed: a code and its facts. Sentences are made of them once, at the edge (service/wording.py)."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, NamedTuple

NO_FACTS: Mapping[str, Any] = {}


class Reason(NamedTuple):
    """A code with plain facts, as JSON has them; false when there is none.

    Attributes
    ----------
    code : str
        What happened: one of the codes in service/wording.py; empty when nothing is to be said.
    facts : mapping of str to JSON values
        Scores in the metric's own direction, seconds, counts from 1 where people count from 1.
    """

    code: str = ""
    facts: Mapping[str, Any] = NO_FACTS

    def __bool__(self) -> bool:
        return bool(self.code)

    def to_json(self) -> dict[str, Any]:
        return {"code": self.code, **self.facts} if self.code else {}

    @staticmethod
    def from_json(found: Mapping[str, Any]) -> Reason:
        facts = dict(found)
        return Reason(str(facts.pop("code", "")), facts)


def because(code: str, **facts: Any) -> Reason:
    """A reason, with facts as JSON has them."""
    return Reason(code, facts)


NONE = Reason()
