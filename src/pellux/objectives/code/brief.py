"""What is stored of a problem whose fits are somebody's own code."""

from __future__ import annotations

import hashlib
import json
import re
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, field, replace
from typing import Any

from pellux.core.errors import InvalidPlan
from pellux.core.judging.aims import read_aims
from pellux.core.judging.limits import FIT_SECONDS, MODEL_MB, read_limits
from pellux.core.objective import Holds

PROGRAM, FUNCTION, OUTSIDE = "program", "function", "outside"
KINDS = (PROGRAM, FUNCTION, OUTSIDE)
MOST_FOLDS = 1000


@dataclass(frozen=True)
class Growing:
    """What a fit is trained in.

    Attributes
    ----------
    what : str
        A word of the user's: epochs, steps, trees.
    most : int
        All of it.
    goes_on : bool
        Whether a fit can go on from what it left in its folder.
    may_change : tuple of str
        Settings that may be other ones when it goes on; what population training changes.
    """

    what: str
    most: int
    goes_on: bool = False
    may_change: tuple[str, ...] = ()


@dataclass(frozen=True)
class CodeBrief:
    """A program, function or outside loop, how it is judged and what it needs.

    Attributes
    ----------
    runs : tuple of str
        Of a program: its arguments with placeholders, the executable first.
    folder : str
        Where it starts, or where the function's file lies.
    function : str
        Of a function: 'file.py:name', or its name where it came from a notebook.
    sent : str
        The SHA-256 of a function that came by value; empty for one in a file.
    pick_out : str
        A pattern with one group that finds the score in what is printed.
    recorded : tuple of str
        Further metrics that are written down.
    smaller : tuple of str
        Those of them of which less is better.
    limits : tuple of str
        What the configuration that is chosen has to keep; a search may have others.
    against : tuple of str
        What its score is weighed against; a search may have others.
    final : bool
        Whether a program can train on everything, with `all` for a fold.
    files : tuple of str
        What belongs to the code, relative to `folder`.
    fingerprint : str
        SHA-256 of those files.
    space : str
        Where a new search begins; no part of what the problem is.
    """

    kind: str
    metric: str
    larger_is_better: bool
    runs: tuple[str, ...] = ()
    folder: str = ""
    function: str = ""
    sent: str = ""
    pick_out: str = ""
    recorded: tuple[str, ...] = ()
    smaller: tuple[str, ...] = ()
    folds: int = 1
    grows: Growing | None = None
    holds: Holds = field(default_factory=Holds)
    final: bool = False
    seed: int = 0
    files: tuple[str, ...] = ()
    fingerprint: str = ""
    space: str = ""
    limits: tuple[str, ...] = ()
    against: tuple[str, ...] = ()

    def __post_init__(self) -> None:
        if not 1 <= self.folds <= MOST_FOLDS:
            raise InvalidPlan(f"A program has 1 to {MOST_FOLDS:,} folds. Got {self.folds}.", at="brief.folds")
        if not self.metric.strip():
            raise InvalidPlan("The score needs a name, as your code prints it.", at="brief.judged by.score")
        if self.metric in self.recorded:
            raise InvalidPlan(f"{self.metric} decides already; it need not be recorded besides.", at="brief.recorded")
        if self.grows is not None and self.grows.most < 2:
            raise InvalidPlan("What grows has 2 or more of it in all.", at="brief.grows.most")
        if self.pick_out:
            check_pattern(self.pick_out)
        read_limits(self.limits, self.quantities, self.metric)
        read_aims(self.against, self.quantities, self.metric)

    @property
    def quantities(self) -> dict[str, bool]:
        """What is measured of every fit and may be limited, each with whether larger is better."""
        return {**dict.fromkeys((FIT_SECONDS, MODEL_MB), False), **{name: name not in self.smaller for name in self.recorded}}

    @property
    def label(self) -> str:
        """What it is called on a screen."""
        if self.kind == FUNCTION:
            return self.function
        if self.kind == OUTSIDE:
            return "Outside loop"
        script = next((part for part in self.runs[1:] if not part.startswith("-") and "{" not in part), "")
        return script.rpartition("/")[2] or self.runs[0]

    @property
    def most(self) -> int:
        return self.grows.most if self.grows else 1

    def to_json(self) -> dict[str, Any]:
        """Limits, and what is weighed, are left out where there are none, so that problems of earlier versions stay what they are."""
        found: dict[str, Any] = json.loads(json.dumps(asdict(self)))
        for name in ("limits", "against"):
            if not found[name]:
                del found[name]
        return found

    @staticmethod
    def from_json(found: Mapping[str, Any]) -> CodeBrief:
        known = {name: value for name, value in found.items() if name in CodeBrief.__dataclass_fields__}
        for name in ("runs", "recorded", "smaller", "files", "limits", "against"):
            known[name] = tuple(known.get(name, ()))
        grows = known.get("grows")
        known["grows"] = Growing(**{**grows, "may_change": tuple(grows["may_change"])}) if grows else None
        known["holds"] = Holds(**known.get("holds", {}))
        return CodeBrief(**known)

    @property
    def identity(self) -> str:
        """Equal for the same problem: scores of one are comparable with scores of the other."""
        return _digest(replace(self, space="", holds=Holds()).to_json())

    @property
    def family(self) -> str:
        """Equal for versions of the same problem whose code differs."""
        return _digest(replace(self, space="", holds=Holds(), fingerprint="", files=(), sent="").to_json())


def check_pattern(text: str) -> re.Pattern[str]:
    """The pattern; InvalidPlan unless it has exactly one group."""
    try:
        found = re.compile(text)
    except re.error as error:
        raise InvalidPlan(f"The pattern is not a regular expression: {error}.", at="brief.judged by.pick out") from None
    if found.groups != 1:
        count = "no group" if not found.groups else f"{found.groups} groups"
        raise InvalidPlan(
            f"The pattern has {count}; the score is what its one group catches, as in 'recall=([0-9.]+)'.",
            at="brief.judged by.pick out",
        )
    return found


def spelt_alike(names: Sequence[str]) -> tuple[str, str] | None:
    """Two names that would be one environment variable."""
    seen: dict[str, str] = {}
    for name in names:
        other = seen.setdefault(variable(name), name)
        if other != name:
            return other, name
    return None


def variable(name: str) -> str:
    """The environment variable that holds a setting."""
    return "PELLUX_SET_" + re.sub(r"[^A-Za-z0-9]", "_", name).upper()


def _digest(found: Mapping[str, Any]) -> str:
    return hashlib.sha256(json.dumps(found, sort_keys=True).encode()).hexdigest()
