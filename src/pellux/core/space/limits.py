"""How large a space may be: enough for anything that can be searched, and nothing that would hold up the server.

Every cost of a space (reading, drawing, counting, writing) is at worst about proportional to these.
"""

from __future__ import annotations

import math

from pellux.core.errors import InvalidSpace

MOST_CHARACTERS = 200_000
MOST_PARAMETERS = 500
MOST_REQUIREMENTS = 200
MOST_OPTIONS = 1_000
MOST_LEVELS = 1_000  # of one parameter's grid
MOST_TERMS = 100  # operators and values of one condition or requirement
LONGEST_NUMBER = 40  # characters
LONGEST_TEXT = 1_000
LARGEST_WHOLE = 2**53  # past it neighbours are the same floating-point number


def check_value(name: str, value: object) -> None:
    """InvalidSpace for a value that could not be kept exactly or shown."""
    if isinstance(value, float) and not math.isfinite(value):
        raise InvalidSpace(f"{name}: {value} is not a finite number.", at=name)
    if isinstance(value, int) and abs(value) > LARGEST_WHOLE:
        raise InvalidSpace(f"{name}: whole numbers go to 2^53 (about 9e15), past which neighbours are one number.", at=name)
    if isinstance(value, str) and len(value) > LONGEST_TEXT:
        raise InvalidSpace(f"{name}: a text of {len(value):,} characters; at most {LONGEST_TEXT:,} can be used.", at=name)


def check_count(name: str, what: str, found: int, most: int) -> None:
    """InvalidSpace for too many of something; `what` says of what."""
    if found > most:
        raise InvalidSpace(f"{name}: {found:,} {what}; at most {most:,} can be used.", at=name)
