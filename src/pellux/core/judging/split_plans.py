"""How rows become folds. The holdout is cut first, by its own draw; no search ever sees it."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from pellux.core.errors import InvalidBrief

HOLDOUT, UNUSED, ONLY_LEARNT = -1, -2, -3
STRATIFIED, SHUFFLED, GROUPED, STRATIFIED_GROUPED = "stratified", "shuffled", "grouped", "stratified grouped"
ORDERED, COLUMN = "ordered", "column"
KINDS = (STRATIFIED, SHUFFLED, GROUPED, STRATIFIED_GROUPED, ORDERED, COLUMN)
BY_GROUP = (GROUPED, STRATIFIED_GROUPED)
HOLDOUTS = ("random", "stratified", "group", "time")
Codes = NDArray[np.int16]
Mask = NDArray[np.bool_]


@dataclass(frozen=True)
class SplitPlan:
    """`folds` test folds of the rows that remain once the `holdout` share (0 .. 0.5) is set aside.

    Attributes
    ----------
    repeats : int
        How often the folds are drawn, each time with another seed.
    gap : float
        Ordered folds: how much time lies between what is learnt from and what is tested (days, when time is a date).
    holdout_by : str
        'random', 'stratified', 'group' or 'time'; empty follows the kind of the folds.
    """

    kind: str
    folds: int
    holdout: float
    seed: int
    repeats: int = 1
    gap: float = 0.0
    holdout_by: str = ""

    def __post_init__(self) -> None:
        if self.kind not in KINDS:
            raise InvalidBrief(f"Split plan '{self.kind}' is unknown. Allowed: {', '.join(KINDS)}.", at="folds")
        if not 2 <= self.folds <= 50:
            raise InvalidBrief(f"A split plan has 2 to 50 folds. Got {self.folds}.", at="folds")
        if not 0 <= self.holdout <= 0.5:
            raise InvalidBrief(f"The holdout is 0 % to 50 % of the rows. Got {100 * self.holdout:g} %.", at="holdout")
        if not 0 <= self.seed < 2**31:
            raise InvalidBrief(f"A seed is a whole number from 0 to 2147483647. Got {self.seed}.", at="seed")
        if not 1 <= self.repeats <= 20:
            raise InvalidBrief(f"Folds are drawn 1 to 20 times. Got {self.repeats}.", at="repeats")
        if self.repeats > 1 and self.kind in (ORDERED, COLUMN):
            raise InvalidBrief(f"{self.label} are what they are: they cannot be drawn repeatedly.", at="repeats")
        if self.gap < 0 or not np.isfinite(self.gap):
            raise InvalidBrief(f"A gap is 0 or more. Got {self.gap:g}.", at="gap")
        if self.gap and self.kind != ORDERED:
            raise InvalidBrief("Only folds ordered in time can have a gap.", at="gap")
        if self.holdout_by not in ("", *HOLDOUTS):
            raise InvalidBrief(f"A holdout by '{self.holdout_by}' is unknown. Allowed: {', '.join(HOLDOUTS)}.", at="holdout_by")

    @property
    def fits(self) -> int:
        """Fold scores of a trial: folds times repeats."""
        return self.folds * self.repeats

    @property
    def label(self) -> str:
        words = {
            ORDERED: f"{self.folds} folds ordered in time", COLUMN: f"{self.folds} folds of the data's own column"
        }.get(self.kind, f"{self.folds} {self.kind} folds")  # fmt: skip
        return words + (f" × {self.repeats} repeats" if self.repeats > 1 else "")

    @property
    def draws_holdout_by(self) -> str:
        """How the holdout is drawn, the default resolved."""
        usual = {SHUFFLED: "random", GROUPED: "group", STRATIFIED_GROUPED: "group", ORDERED: "time", COLUMN: "random"}
        return self.holdout_by or usual.get(self.kind, STRATIFIED)


@dataclass(frozen=True)
class Rows:
    """What a split plan may look at, each of shape (rows,).

    Attributes
    ----------
    target : ndarray
        Class codes where classes are learnt, else numbers.
    usable : ndarray of bool
        Rows whose target is known.
    group : ndarray of int, or None
        Which group a row belongs to; -1 where that is not known.
    time : ndarray of float, or None
        When; NaN where that is not known.
    own : ndarray of int, or None
        The fold that the data say; HOLDOUT where they say so, UNUSED where they say nothing.
    """

    target: NDArray[Any]
    usable: Mask
    group: NDArray[Any] | None = None
    time: NDArray[np.float64] | None = None
    own: Codes | None = None


class Tested(NamedTuple):
    """How much the fits of a whole trial are tested on.

    Attributes
    ----------
    rows : int
        Rows that all of them together predict.
    to_train : float
        Rows that a fit is tested on over rows that it learnt from, the mean of all fits.
    """

    rows: int
    to_train: float


@dataclass(frozen=True)
class Folds:
    """An assignment of rows to folds, as it is kept.

    Attributes
    ----------
    lines : ndarray of int16, shape (repeats, rows)
        0 .. folds-1: the fold that tests the row; HOLDOUT (-1): kept out of every fold; UNUSED (-2): no target;
        ONLY_LEARNT (-3): never tested.
    since : ndarray of int16, shape (rows,), or None
        Ordered folds: the first fold that may learn from the row.
    folds : int
        How many there are in a repeat.
    """

    lines: Codes
    since: Codes | None
    folds: int

    @staticmethod
    def of(kept: Codes, plan: SplitPlan) -> Folds:
        """From the array that was kept; also of folds drawn anew, with any number of repeats."""
        if plan.kind == ORDERED and kept.ndim == 2:
            return Folds(kept[:1], kept[1], plan.folds)
        return Folds(np.atleast_2d(kept), None, plan.folds)

    @property
    def kept(self) -> Codes:
        if self.since is not None:
            return np.stack([self.lines[0], self.since])
        return np.asarray(self.lines[0] if len(self.lines) == 1 else self.lines)

    @property
    def first(self) -> Codes:
        """The fold of each row in the first repeat."""
        return np.asarray(self.lines[0])

    @property
    def held(self) -> Mask:
        return np.asarray(self.first == HOLDOUT)

    @property
    def outside(self) -> Mask:
        """All rows that may be learnt from without touching the holdout."""
        return np.asarray((self.first >= 0) | (self.first == ONLY_LEARNT))

    @property
    def tested_rows(self) -> Mask:
        """Rows that have an out-of-fold prediction."""
        return np.asarray(self.first >= 0)

    @property
    def tested(self) -> Tested:
        """How much the fits of a trial are tested on."""
        sizes = [(int(self.test(f).sum()), int(self.train(f).sum())) for f in range(self.folds * len(self.lines))]
        return Tested(sum(test for test, _ in sizes), float(np.mean([test / max(train, 1) for test, train in sizes])))

    def test(self, fold: int) -> Mask:
        """The rows that fold `fold` judges; folds count on from repeat to repeat."""
        return np.asarray(self.lines[fold // self.folds] == fold % self.folds)

    def train(self, fold: int) -> Mask:
        """The rows that fold `fold` learns from."""
        line, place = self.lines[fold // self.folds], fold % self.folds
        inside = ((line >= 0) & (line != place)) | (line == ONLY_LEARNT)
        return inside if self.since is None else np.asarray(inside & (self.since <= place))


def assign_folds(plan: SplitPlan, rows: Rows) -> Folds:
    """The fold of every row; InvalidBrief when the rows cannot be cut so."""
    usable = rows.usable.copy()
    _demand_roles(plan, rows)
    if plan.kind in BY_GROUP or plan.draws_holdout_by == "group":
        usable &= np.asarray(rows.group) >= 0
    if plan.kind == ORDERED or plan.draws_holdout_by == "time":
        usable &= ~np.isnan(np.asarray(rows.time, dtype=float))
    line = np.full(len(rows.target), UNUSED, dtype=np.int16)
    if plan.kind == COLUMN:
        return _own_folds(plan, rows, usable, line)
    inside = np.flatnonzero(usable)
    _check_counts(plan, rows, inside)
    if plan.gap and plan.holdout > 0 and plan.draws_holdout_by != "time":
        raise InvalidBrief(
            f"A gap needs a holdout by time: one drawn by '{plan.draws_holdout_by}' lies among the rows that are learnt from, and no gap "
            "can be kept around it. Hold out 'by time', or leave the gap out.", at="holdout",
        )  # fmt: skip
    if plan.holdout > 0:
        held = _draw_holdout(plan, rows, inside)
        line[held] = HOLDOUT
        inside = np.setdiff1d(inside, held)
        if plan.gap and rows.time is not None:
            inside = inside[rows.time[inside] < rows.time[held].min() - plan.gap]
        _check_counts(plan, rows, inside)
    if plan.kind == ORDERED:
        return _ordered(plan, rows, inside, line)
    lines = [_cut(plan, rows, line.copy(), inside, (plan.seed + 1000 * r) % 2**31) for r in range(plan.repeats)]
    return Folds(np.stack(lines), None, plan.folds)


def fresh_folds(plan: SplitPlan, rows: Rows, folds: Folds, repeats: int) -> Codes:
    """The rows of the folds cut anew `repeats` times, shape (repeats, rows); holdout and unused rows stay what they are.

    Repeat r is drawn with the seed `plan.seed + 1 + r`: other folds than the plan's own, the same ones every time.
    Folds of the data's own column are drawn anew as shuffled ones.
    """
    if plan.kind == ORDERED:
        raise InvalidBrief("Folds ordered in time cannot be drawn anew: time has one order.", at="folds")
    inside = np.flatnonzero(folds.tested_rows)
    return np.stack([_cut(plan, rows, folds.first.copy(), inside, (plan.seed + 1 + r) % 2**31) for r in range(repeats)])


def _demand_roles(plan: SplitPlan, rows: Rows) -> None:
    wanted = {
        "group": (plan.kind in BY_GROUP or plan.draws_holdout_by == "group", rows.group, "Folds or a holdout by group need"),
        "time": (plan.kind == ORDERED or plan.draws_holdout_by == "time", rows.time, "Folds or a holdout by time need"),
        "fold": (plan.kind == COLUMN, rows.own, "Folds of the data's own column need"),
    }
    for role, (needed, found, words) in wanted.items():
        if needed and found is None:
            raise InvalidBrief(f"{words} a column with the role {role}. Give a column that role.", at=role)


def _draw_holdout(plan: SplitPlan, rows: Rows, inside: NDArray[np.intp]) -> NDArray[np.intp]:
    from sklearn.model_selection import GroupShuffleSplit, ShuffleSplit, StratifiedShuffleSplit

    by, target = plan.draws_holdout_by, rows.target[inside]
    if by == "time":
        assert rows.time is not None
        return _last(rows.time, inside, plan.holdout)
    if by == "stratified" and not np.issubdtype(rows.target.dtype, np.integer):
        raise InvalidBrief("A stratified holdout needs classes; draw it at random.", at="holdout_by")
    kinds = {"random": ShuffleSplit, "stratified": StratifiedShuffleSplit, "group": GroupShuffleSplit}
    splitter = kinds[by](n_splits=1, test_size=plan.holdout, random_state=plan.seed)
    [(_, held)] = splitter.split(inside, target, np.asarray(rows.group)[inside] if by == "group" else None)
    return np.asarray(inside[held])


def _last(time: NDArray[np.float64], inside: NDArray[np.intp], share: float) -> NDArray[np.intp]:
    """The last rows in time; rows of the same moment stay together."""
    ordered = np.sort(time[inside])
    begin = ordered[min(round(len(ordered) * (1 - share)), len(ordered) - 1)]
    held = np.asarray(inside[time[inside] >= begin])
    if len(held) == len(inside):
        raise InvalidBrief("All rows have the same time: there is no last part to hold out.", at="holdout_by")
    return held


def _cut(plan: SplitPlan, rows: Rows, line: Codes, inside: NDArray[np.intp], seed: int) -> Codes:
    from sklearn.model_selection import GroupKFold, KFold, StratifiedGroupKFold, StratifiedKFold

    kinds = {STRATIFIED: StratifiedKFold, GROUPED: GroupKFold, STRATIFIED_GROUPED: StratifiedGroupKFold}
    folds = kinds.get(plan.kind, KFold)(plan.folds, shuffle=True, random_state=seed)
    groups = rows.group[inside] if plan.kind in BY_GROUP and rows.group is not None else None
    for number, (_, test) in enumerate(folds.split(inside, rows.target[inside], groups)):
        line[inside[test]] = number
    return line


def _ordered(plan: SplitPlan, rows: Rows, inside: NDArray[np.intp], line: Codes) -> Folds:
    """Rows in order of time, in one part more than there are folds: each part is tested by what came before it."""
    assert rows.time is not None
    time = rows.time[inside]
    ordered = np.sort(time)
    begins = np.unique(ordered[[round(len(ordered) * part / (plan.folds + 1)) for part in range(1, plan.folds + 1)]])
    begins = begins[begins > ordered[0]]
    if len(begins) < plan.folds:
        raise InvalidBrief(
            f"Time has too few different moments for {plan.folds} folds in order ({len(np.unique(ordered))}).", at="folds"
        )
    part = np.searchsorted(begins, time, side="right")
    line[inside] = np.where(part == 0, ONLY_LEARNT, part - 1)
    # The first fold that begins far enough after the row; those that begin no later than it do not count.
    since = np.full(len(line), plan.folds, dtype=np.int16)
    since[inside] = np.searchsorted(begins - plan.gap, time, side="right") if plan.gap else part
    found = Folds(line[None], since, plan.folds)
    for fold in range(plan.folds):
        if found.train(fold).sum() < 2:
            raise InvalidBrief(f"A gap of {plan.gap:g} leaves fold {fold + 1} nothing to learn from. Make it smaller.", at="gap")
    return found


def _own_folds(plan: SplitPlan, rows: Rows, usable: Mask, line: Codes) -> Folds:
    assert rows.own is not None
    line[usable] = rows.own[usable]
    line[usable & (rows.own == UNUSED)] = ONLY_LEARNT
    inside = np.flatnonzero(line >= 0)
    if plan.holdout > 0 and not (line == HOLDOUT).any():
        line[_draw_holdout(plan, rows, inside)] = HOLDOUT
    for fold in range(plan.folds):
        if (line == fold).sum() < 2:
            raise InvalidBrief(f"Fold {fold + 1} of the fold column has fewer than 2 rows outside the holdout.", at="fold")
    return Folds(line[None], None, plan.folds)


def _check_counts(plan: SplitPlan, rows: Rows, inside: NDArray[np.intp]) -> None:
    if len(inside) < 2 * plan.folds:
        raise InvalidBrief(f"{plan.folds} folds need at least {2 * plan.folds} rows. There are {len(inside)}.", at="folds")
    if plan.kind == STRATIFIED:
        fewest = int(np.unique(rows.target[inside], return_counts=True)[1].min())
        if fewest < plan.folds:
            raise InvalidBrief(
                f"The rarest class has {fewest} rows outside the holdout, fewer than {plan.folds} folds. "
                "Use fewer folds, a smaller holdout, or shuffled folds.",
                at="folds",
            )
    if plan.kind in BY_GROUP:
        groups = len(np.unique(np.asarray(rows.group)[inside]))
        if groups < plan.folds:
            raise InvalidBrief(
                f"There are {groups} groups outside the holdout, fewer than {plan.folds} folds. Use fewer folds.", at="folds"
            )


def fingerprint(folds: Codes) -> str:
    """Content hash of an assignment: equal hashes mean comparable scores."""
    return hashlib.sha256(np.ascontiguousarray(folds, dtype="<i2").tobytes()).hexdigest()
