"""What the engine may know of a problem: how scores are read, how many fits a trial has, and how a worker comes by its evaluator.

An *objective* is what a fit runs and what comes back. The engine, the strategies and the store see fits, scores, curves,
checkpoints and predictions; never a table, a learner or a program. A new kind of objective is a folder in `objectives/`
with these protocols, and a line in their registry.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from contextlib import AbstractContextManager
from dataclasses import dataclass, field
from typing import Any, Protocol

from pellux.core.judging import Tested
from pellux.core.judging.aims import Aim, read_aims
from pellux.core.judging.limits import Limit, read_limits
from pellux.core.likeness import Traits
from pellux.core.reasons import Reason
from pellux.core.space import Space, Value

Points = tuple[tuple[int, float], ...]  # level along what grows, and score
SCHEDULE = "schedule"  # the setting of a configuration that changes while it is trained: [[level, settings], ...]


class FitFailed(Exception):
    """Raised by an evaluator that knows why a fit has no score; everything else it raises is told as an error of its code."""

    def __init__(self, reason: Reason, warnings: Sequence[str] = (), seconds: float | None = None) -> None:
        super().__init__(reason.code)
        self.reason, self.warnings, self.seconds = reason, tuple(warnings), seconds


class Unavailable(Exception):
    """Raised by an evaluator when what every fit needs is not there: the search pauses with the reason, and no trial fails of it."""

    def __init__(self, reason: Reason) -> None:
        super().__init__(reason.code)
        self.reason = reason


@dataclass(frozen=True, slots=True)
class Ancestor:
    """A trial from which another goes on, and how far it came: enough to go the way again when its checkpoint is gone."""

    trial: int
    configuration: Mapping[str, Value]
    level: int


class FitOrder(Protocol):
    """What is to be fitted.

    Attributes
    ----------
    trial, fold, attempt : int
        Whose fit it is; folds count from 0, attempts from 1.
    configuration : mapping of str to value
    learner : str
        What is configured, where that is not the search's own.
    level : int
        How much of what grows the fit gets, counted from the very beginning.
    last : bool
        Whether the trial is to go no further than this.
    ancestors : tuple of Ancestor
        The line of trials that it goes on from, the first first.
    """

    @property
    def trial(self) -> int: ...
    @property
    def fold(self) -> int: ...
    @property
    def attempt(self) -> int: ...
    @property
    def configuration(self) -> Mapping[str, Value]: ...
    @property
    def learner(self) -> str: ...
    @property
    def level(self) -> int: ...
    @property
    def last(self) -> bool: ...
    @property
    def ancestors(self) -> tuple[Ancestor, ...]: ...


class Kept(Protocol):
    """What the fits of a search leave behind, as bytes under a name; wherever that is kept."""

    def put(self, trial: int, fold: int, name: str, content: bytes) -> int:
        """Keep it in place of what was there; the bytes it takes. OSError when there is no room: what was there stays."""
        ...

    def get(self, trial: int, fold: int, name: str) -> bytes | None:
        """What was kept last; None where there is nothing."""
        ...

    def folder(self, trial: int, fold: int) -> AbstractContextManager[str]:
        """The path of a folder of this machine for a fit that writes files: as the last fit of this trial and fold left it, and kept again
        when the context ends. What lies in its `keep` outlives the search; the rest goes with the checkpoints."""
        ...


@dataclass(frozen=True)
class FitContext:
    """What a fit may use of the world around it.

    Attributes
    ----------
    point : function of (level, score)
        Tells a point of the curve.
    nobody_waits : function that says whether to end now
    kept : Kept
        Checkpoints, and predictions of which it is not known yet whether they count.
    clock : function that gives seconds, from any beginning
    devices : tuple of str
        The devices of the machine that are this fit's alone.
    """

    point: Callable[[int, float], None]
    nobody_waits: Callable[[], bool]
    kept: Kept
    clock: Callable[[], float]
    devices: tuple[str, ...] = ()


@dataclass(frozen=True)
class FitResult:
    """What a fit came to.

    Attributes
    ----------
    score : float
        In the metric's own direction; finite.
    seconds, predict_seconds : float
        What it took; of that, predicting.
    recorded : mapping of str to float
        Scores by other metrics than the one that decides.
    predictions : bytes or None
        Of the fold's test rows, encoded (core/judging/predictions.py).
    curve : Points
        Scores along what grows, of this trial alone.
    checkpoint_bytes : int
        What is kept to go on from.
    """

    score: float
    seconds: float
    predict_seconds: float = 0.0
    warnings: tuple[str, ...] = ()
    predictions: bytes | None = None
    model_bytes: int | None = None
    curve: Points = ()
    checkpoint_bytes: int = 0
    recorded: Mapping[str, float] = field(default_factory=dict)


@dataclass(frozen=True)
class Left:
    """What a growing fit left behind of one of its levels: predictions of its test rows, if any, and scores by the other metrics."""

    predictions: bytes | None
    recorded: Mapping[str, float] = field(default_factory=dict)


class Evaluator(Protocol):
    """Does fits, one after another, in a worker."""

    def evaluate(self, order: FitOrder, context: FitContext) -> FitResult:
        """The fit's result; FitFailed, MemoryError or any exception where there is none."""
        ...


@dataclass(frozen=True)
class Elsewhere:
    """Another machine, as far as what runs there has to know it.

    Attributes
    ----------
    folder : str
        Below which the files lie that a source named.
    shared : str
        A folder for what its workers share.
    memory_bytes : int or None
        What one fit may take there, where the worker does not limit itself.
    """

    folder: str
    shared: str
    memory_bytes: int | None = None


class EvaluatorSource(Protocol):
    """How a worker comes by its evaluator: it is sent to each worker once, and opened there. It can be pickled."""

    def open(self) -> Evaluator: ...

    def files(self) -> Mapping[str, str]:
        """Paths of the files that it opens, each by where it belongs below a folder on a machine that has none of them; FileGone or
        InvalidOwnCode where they cannot be told."""
        ...

    def moved(self, place: Elsewhere) -> EvaluatorSource:
        """The same on another machine."""
        ...

    def tidy(self) -> None:
        """The search is over: what its workers shared may go."""
        ...


@dataclass(frozen=True, kw_only=True)
class Terms:
    """How a search fits.

    Attributes
    ----------
    learner : str
        What its configurations configure; empty where the objective has but one thing.
    resource : str
        What grows from rung to rung: 'rows', 'iterations', 'folds', or '' for nothing.
    most : int
        All of it.
    grid : tuple of int
        The levels at which a growing fit tells its score.
    shared : str
        A folder for what its workers share while it runs; empty for none.
    shared_bytes : int
        What that may take.
    settings : tuple of str
        All parameters of its space, also those that are not active in a configuration.
    limited : tuple of str
        Quantities that the search has limits on, or weighs the score against: what takes time to measure well is measured only then.
    memory_bytes : int or None
        What one fit may take, where the worker does not limit itself.
    """

    learner: str = ""
    resource: str = ""
    most: int = 1
    grid: tuple[int, ...] = ()
    shared: str = ""
    shared_bytes: int = 512 * 2**20
    settings: tuple[str, ...] = ()
    limited: tuple[str, ...] = ()
    memory_bytes: int | None = None


@dataclass(frozen=True)
class Holds:
    """What a fit holds of its machine while it runs.

    Attributes
    ----------
    cores, devices : int
    memory_mb : int or None
        None: an even share of the machine's.
    elsewhere : bool
        Whether it runs in processes of its own, which the worker watches; else in the worker, which is limited itself.
    """

    cores: int = 1
    devices: int = 0
    memory_mb: int | None = None
    elsewhere: bool = False


class Grows(Protocol):
    """How something is trained in iterations: see `Growth` of the tabular learners."""

    @property
    def counter(self) -> str: ...
    @property
    def points(self) -> int: ...
    @property
    def steerable(self) -> tuple[str, ...]: ...
    @property
    def by_epoch(self) -> bool: ...


class Configurable(Protocol):
    """What a search configures: a learner of the catalogue, several of them, or somebody's function."""

    @property
    def key(self) -> str: ...
    @property
    def label(self) -> str: ...
    @property
    def growth(self) -> Grows | None: ...
    @property
    def defaults(self) -> dict[str, Value]: ...
    def baselines(self, space: Space) -> tuple[dict[str, Value], ...]:
        """What is scored before anything is searched: usual settings, or where the space says to start."""
        ...

    def settle(self, configuration: Mapping[str, Any]) -> tuple[Configurable, dict[str, Any]]:
        """Which of several a configuration means, and that one's settings in it."""
        ...

    def whole(self, configuration: Mapping[str, Any]) -> dict[str, Any]:
        """The configuration with every setting in it; InvalidSpace where it cannot be one."""
        ...

    def default_space(self) -> Space: ...

    def ends(self) -> dict[str, tuple[float, float]]:
        """Beyond which its numbers cannot go, as far as it says so."""
        ...

    def check(self, space: Space) -> None:
        """Raise InvalidSpace when the space has a setting or a value that it does not take."""
        ...

    def check_configuration(self, configuration: Mapping[str, Value]) -> None:
        """Raise InvalidSpace when it does not take this configuration."""
        ...


@dataclass(frozen=True)
class Judging:
    """How trials of a problem are judged, whatever they run.

    Attributes
    ----------
    metric, label : str
        The deciding metric; the label shows its direction.
    least, most : float
        Between which ends every score lies.
    folds : int
        Folds of one cut.
    fits : int
        Fits of a whole trial: folds times repeats.
    also : tuple of str
        Metrics recorded beside the deciding one.
    rows : bool
        Whether a fit can learn from a part of its rows.
    quantities : mapping of str to bool
        What is measured of every fit and may be limited, each with whether larger is better.
    limits : tuple of str
        What the problem asks of every search that does not say otherwise; see `core/judging/limits.py`.
    against : tuple of str
        What the score is weighed against in every search that does not say otherwise; see `core/judging/aims.py`.
    """

    metric: str
    larger_is_better: bool
    folds: int = 1
    fits: int = 1
    least: float = -float("inf")
    most: float = float("inf")
    also: tuple[str, ...] = ()
    seed: int = 0
    rows: bool = True
    quantities: Mapping[str, bool] = field(default_factory=dict)
    limits: tuple[str, ...] = ()
    against: tuple[str, ...] = ()

    def weighed(self, names: Sequence[str] | None) -> tuple[Aim, ...]:
        """What the score is weighed against in a search: its own, or the problem's where it says nothing; InvalidPlan as below."""
        return read_aims(
            self.against if names is None else names,
            self.quantities,
            self.metric,
            at="against" if names is None else "plan.against",
        )

    def limited(self, texts: Sequence[str] | None) -> tuple[Limit, ...]:
        """The limits of a search: its own, or the problem's where it says nothing; InvalidPlan where they cannot be meant."""
        return read_limits(
            self.limits if texts is None else texts, self.quantities, self.metric, at="limits" if texts is None else "plan.limits"
        )

    @property
    def sign(self) -> int:
        """Factor that turns scores so that larger is better."""
        return 1 if self.larger_is_better else -1

    @property
    def label(self) -> str:
        return f"{self.metric} {'↑' if self.larger_is_better else '↓'}"


class Objective(Protocol):
    """A problem's objective, opened from what is stored of it."""

    @property
    def kind(self) -> str: ...
    @property
    def judging(self) -> Judging: ...

    def configurable(self, key: str) -> Configurable:
        """What a search of this key configures; InvalidPlan where there is no such thing, or where it does not fit."""
        ...

    def default_space(self, key: str) -> Space:
        """What is searched of it where nobody says; InvalidPlan as above."""
        ...

    def translated(self, to: str, key: str, configuration: Mapping[str, Value]) -> dict[str, Value] | None:
        """A configuration of one key as another would write it; None when it means nothing there."""
        ...

    @property
    def holds(self) -> Holds: ...

    def traits(self, scatter: float | None) -> Traits:
        """What the problem is like; `scatter` is that of its baseline's fold scores, where there is one."""
        ...

    def evaluators(self, terms: Terms) -> EvaluatorSource: ...

    def left_at(self, kept: Kept, trial: int, fold: int, level: int) -> Left | None:
        """What a grown fit predicted at a point of its curve; None where that is not there."""
        ...

    def tested(self) -> Tested:
        """How much the fits of a whole trial are tested on; 0 rows where there are none."""
        ...

    def telling_share(self) -> float | None:
        """The share of its rows below which a fit would tell next to nothing; None where nobody knows or no rows grow."""
        ...
