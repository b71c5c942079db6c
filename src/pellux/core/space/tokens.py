"""Splits a line of space notation into tokens that know their column."""

from __future__ import annotations

import json
import re
from dataclasses import dataclass

from pellux.core.errors import NotationError
from pellux.core.space.limits import LONGEST_NUMBER

RESERVED = frozenset({"int", "log", "step", "levels", "start", "costly", "if", "require", "and", "or", "not", "in"})

_PATTERN = re.compile(
    r"""
    (?P<blank>[ \t]+)
  | (?P<comment>\#.*)
  | (?P<dots>\.\.)
  | (?P<number>(?:\d+(?:\.(?!\.)\d*)?|\.\d+)(?:[eE][+-]?\d+)?(?![A-Za-z_0-9]))
  | (?P<word>[A-Za-z_][A-Za-z0-9_]*(?:[-.](?!\.)[A-Za-z_][A-Za-z0-9_]*)*)
  | (?P<string>"(?:[^"\\]|\\.)*")
  | (?P<mark>\*\*|[<>=!]=|[:|*,~()<>=+\-/])
    """,
    re.VERBOSE,
)


@dataclass(frozen=True)
class Token:
    """A word of the notation, with where it stands."""

    kind: str  # dots, number, word, string, mark, end
    text: str
    column: int  # counted from 1

    def __str__(self) -> str:
        return "the end of the line" if self.kind == "end" else f"'{self.text}'"


def quoted(token: Token) -> str:
    """What a quoted text says; ValueError for half of a character pair, which no text holds."""
    found = str(json.loads(token.text))
    found.encode()
    return found


def tokens(source: str, line: int) -> list[Token]:
    """The tokens of one line, closed by an `end` token; comments and blanks are dropped."""
    found, place = [], 0
    while place < len(source):
        match = _PATTERN.match(source, place)
        if match is None:
            what = "a string without its closing quote" if source[place] == '"' else f"'{source[place]}' has no meaning here"
            raise NotationError(
                what[0].upper() + what[1:] + ".",
                line=line,
                column=place + 1,
                source=source,
                expected="a name, a number, '..', '|' or '#'",
            )
        if match.lastgroup == "number" and len(match.group()) > LONGEST_NUMBER:
            what = f"A number of {len(match.group()):,} characters; at most {LONGEST_NUMBER} are read."
            raise NotationError(what, line=line, column=place + 1, source=source, expected="a shorter number")
        if match.lastgroup not in ("blank", "comment"):
            found.append(Token(match.lastgroup or "", match.group(), place + 1))
        place = match.end()
    found.append(Token("end", "", len(source.rstrip()) + 1))
    return found
