"""Reads scores out of what a program prints and writes.

Tried in this order: a line of JSON on standard output with the metric's name as a key; a line of scores.jsonl in the
fit's folder; what a pattern picks out; the last number of the last line. Several lines are a curve along what grows.
"""

from __future__ import annotations

import contextlib
import json
import math
import re
import signal
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from types import FrameType
from typing import Any

JSON, FILE, PATTERN, NUMBER = "a line of JSON", "scores.jsonl", "the pattern", "the last number"
LONGEST = 65_536  # characters of a line that are looked at
PATIENCE = 1.0  # seconds that a pattern may take on one line
NUMBERS = re.compile(r"[-+]?(?:\d+\.?\d*|\.\d+)(?:[eE][-+]?\d+)?|[-+]?\b(?:nan|inf(?:inity)?)\b", re.IGNORECASE)
LEVEL_KEYS = ("level", "step")


class TooSlow(Exception):
    """The pattern took too long on a line."""


@dataclass(frozen=True)
class Said:
    """What was read from one line: by which way, at which level if it said one, the score, and other metrics."""

    how: str
    level: int | None
    score: float
    others: dict[str, float] = field(default_factory=dict)


@dataclass(frozen=True)
class Found:
    """What a fit said in all.

    Attributes
    ----------
    how : str
        Which way counted; empty when no score was found.
    curve : tuple of (level, score)
        Finite scores at rising levels.
    score : float or None
        The last one; not finite when the program said so.
    recorded : dict of str to float
        Other metrics on the line of the last score.
    others : mapping of level to other metrics
    counted : int
        Lines that said no level, where there were several: they were counted.
    """

    how: str
    curve: tuple[tuple[int, float], ...]
    score: float | None
    recorded: dict[str, float]
    others: dict[int, dict[str, float]]
    counted: int


class ScoreReader:
    """Hears lines one by one; `tell` gets the points of a curve as they come."""

    def __init__(
        self, metric: str, recorded: Sequence[str] = (), counter: str = "", pick_out: str = "", begun: int = 0,
        tell: Callable[[int, Said], None] = lambda level, said: None,
    ) -> None:  # fmt: skip
        self._metric, self._recorded, self._begun, self._tell = metric, recorded, begun, tell
        self._levels = tuple(dict.fromkeys([counter, counter.removesuffix("s"), *LEVEL_KEYS])) if counter else LEVEL_KEYS
        self._pattern = re.compile(pick_out) if pick_out else None
        self._ways: dict[str, _Curve] = {}
        self._last_line = ""
        self._told = begun

    def printed(self, line: str, aside: bool = False) -> Said | None:
        """A line of standard output, or of standard error (`aside`), where only a pattern looks; what was read from it."""
        line = line[:LONGEST]
        if line.strip() and not aside:
            self._last_line = line
        said = (None if aside else self._json(line, JSON)) or self._picked(line)
        if said is not None:
            self._note(said)
        return said

    def written(self, line: str) -> Said | None:
        """A line of scores.jsonl; what was read from it."""
        said = self._json(line[:LONGEST], FILE)
        if said is not None:
            self._note(said)
        return said

    def told(self, level: int | None, scores: Mapping[str, float]) -> None:
        """Scores that a function gave, at a level or counted on."""
        others = {key: scores[key] for key in self._recorded if key in scores and math.isfinite(scores[key])}
        self._note(Said(JSON, level, float(scores[self._metric]), others))

    def found(self, level: int) -> Found:
        """What it comes to, when there is nothing more to hear of a run that was to go to this level."""
        for how in (JSON, FILE, PATTERN):
            if how in self._ways:
                return self._ways[how].found(how, level)
        numbers = NUMBERS.findall(self._last_line)
        if not numbers:
            return Found("", (), None, {}, {}, 0)
        alone = _Curve(self._begun)
        alone.add(Said(NUMBER, None, float(numbers[-1])))
        return alone.found(NUMBER, level)

    @property
    def last_line(self) -> str:
        return self._last_line

    def _note(self, said: Said) -> None:
        level = self._ways.setdefault(said.how, _Curve(self._begun)).add(said)
        counts = next(how for how in (JSON, FILE, PATTERN) if how in self._ways)
        if said.how == counts and level > self._told and math.isfinite(said.score):
            self._told = level
            self._tell(level, said)

    def _json(self, line: str, how: str) -> Said | None:
        text = line.strip()
        if not (text.startswith("{") and text.endswith("}")):
            return None
        try:
            row = json.loads(text)
        except (ValueError, RecursionError):
            return None
        score = number(row.get(self._metric)) if isinstance(row, dict) else None
        if score is None:
            return None
        others = {key: value for key in self._recorded if (value := number(row.get(key))) is not None and math.isfinite(value)}
        return Said(how, self._level(row), score, others)

    def _level(self, row: dict[str, Any]) -> int | None:
        for key in self._levels:
            value = number(row.get(key))
            if value is not None and value == value and abs(value) < 2**53 and value == int(value):
                return int(value)
        return None

    def _picked(self, line: str) -> Said | None:
        if self._pattern is None:
            return None
        with _within(PATIENCE):
            match = self._pattern.search(line)
        if match is None or match[1] is None:
            return None
        try:
            return Said(PATTERN, None, float(match[1]))
        except ValueError:
            return None


class _Curve:
    def __init__(self, begun: int) -> None:
        self._next = begun
        self._points: dict[int, float] = {}
        self._others: dict[int, dict[str, float]] = {}
        self._last: Said | None = None
        self._counted = 0

    def add(self, said: Said) -> int:
        """A line that says no level counts one on from the last."""
        self._next = self._next + 1 if said.level is None else said.level
        self._counted += said.level is None
        self._last = said
        self._points.pop(self._next, None)
        self._points[self._next] = said.score
        self._others[self._next] = said.others
        return self._next

    def found(self, how: str, level: int) -> Found:
        assert self._last is not None
        if self._counted == 1 and len(self._points) == 1:  # one score in all is that of the end
            self._points, self._others = {level: self._last.score}, {level: self._last.others}
        rising = tuple(sorted((at, score) for at, score in self._points.items() if math.isfinite(score)))
        return Found(how, rising, self._last.score, self._last.others, self._others, self._counted if self._counted > 1 else 0)


def number(value: Any) -> float | None:
    """A number as a float, also one that is not finite; None for anything else."""
    if isinstance(value, bool) or not isinstance(value, (int, float)):
        return None
    try:
        return float(value)
    except OverflowError:
        return math.inf


@contextlib.contextmanager
def _within(seconds: float) -> Iterator[None]:
    """Interrupts a pattern that takes too long. Only the main thread can be interrupted so; fits run there."""

    def late(number: int, frame: FrameType | None) -> None:
        raise TooSlow

    before = signal.signal(signal.SIGALRM, late)
    signal.setitimer(signal.ITIMER_REAL, seconds)
    try:
        yield
    finally:
        signal.setitimer(signal.ITIMER_REAL, 0)
        signal.signal(signal.SIGALRM, before)
