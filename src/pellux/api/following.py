"""Tells of a search's progress on one line, in a terminal or a notebook."""

from __future__ import annotations

import sys
import time
from typing import Any, TextIO

PACE = 0.5  # seconds between two lines that nobody overwrites


class Told:
    """One line that is written anew; where lines cannot be overwritten, one now and then."""

    def __init__(self, stream: TextIO | None = None) -> None:
        self._stream = stream or sys.stderr
        self._over = self._stream.isatty() or "ipykernel" in sys.modules
        self._last, self._at, self._ended = "", 0.0, False

    def show(self, view: dict[str, Any]) -> None:
        trials = view["trials"]
        done = sum(trials[state] for state in ("scored", "ended_early", "failed", "withdrawn"))
        own = view["baseline"] and view["baseline"]["search"] == view["number"]  # it comes on top of the budget
        done = max(done - bool(own), 0)
        best = f", best {view['best']['score']:.4g}" if view["best"] else ""
        left = f", about {view['seconds_left']:.0f} s left" if view["seconds_left"] else ""
        self._write(f"Search {view['id']} {view['state']}: {done} of {view['budget_trials']} trials{best}{left}", view["state"])

    def _write(self, line: str, state: str) -> None:
        if line == self._last or (not self._over and state == "running" and time.monotonic() - self._at < PACE):
            return
        self._stream.write(f"\r{line.ljust(len(self._last))}" if self._over else f"{line}\n")
        self._stream.flush()
        self._last, self._at = line, time.monotonic()

    def end(self, words: str = "") -> None:
        if not self._ended and self._over and self._last:
            self._stream.write("\n")
        self._ended = True
        if words:
            self._stream.write(f"{words}\n")
        self._stream.flush()
