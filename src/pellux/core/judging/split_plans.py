"""How rows become folds. The holdout is cut first, by its own draw; no search ever sees it."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from pellux.core.errors import InvalidBrief

HOLDOUT, UNUSED = -1, -2
KINDS = ("stratified", "shuffled")


@dataclass(frozen=True)
class SplitPlan:
    """`folds` test folds of the rows that remain once the `holdout` share (0 .. 0.5) is set aside."""

    kind: str
    folds: int
    holdout: float
    seed: int

    def __post_init__(self) -> None:
        if self.kind not in KINDS:
            raise InvalidBrief(f"Split plan '{self.kind}' is unknown. Allowed: {', '.join(KINDS)}.", at="folds")
        if not 2 <= self.folds <= 50:
            raise InvalidBrief(f"A split plan has 2 to 50 folds. Got {self.folds}.", at="folds")
        if not 0 <= self.holdout <= 0.5:
            raise InvalidBrief(f"The holdout is 0 % to 50 % of the rows. Got {100 * self.holdout:g} %.", at="holdout")
        if not 0 <= self.seed < 2**31:
            raise InvalidBrief(f"A seed is a whole number from 0 to 2147483647. Got {self.seed}.", at="seed")

    @property
    def label(self) -> str:
        return f"{self.folds} {self.kind} folds"


def assign_folds(plan: SplitPlan, target: NDArray[Any], usable: NDArray[np.bool_]) -> NDArray[np.int16]:
    """The fold of every row.

    Parameters
    ----------
    target : ndarray, shape (rows,)
        Class codes for a stratified plan; anything for a shuffled one.
    usable : ndarray of bool, shape (rows,)
        Rows whose target is known.

    Returns
    -------
    ndarray of int16, shape (rows,)
        0 .. folds-1: the fold that tests the row; HOLDOUT (-1): kept out of every fold; UNUSED (-2): no target.
    """
    from sklearn.model_selection import ShuffleSplit, StratifiedShuffleSplit

    assigned = np.full(len(target), UNUSED, dtype=np.int16)
    rows = np.flatnonzero(usable)
    stratified = plan.kind == "stratified"
    _check_counts(plan, target[rows], stratified)
    if plan.holdout > 0:
        splitter = StratifiedShuffleSplit if stratified else ShuffleSplit
        [(kept, held)] = splitter(n_splits=1, test_size=plan.holdout, random_state=plan.seed).split(rows, target[rows])
        assigned[rows[held]] = HOLDOUT
        rows = np.sort(rows[kept])
        _check_counts(plan, target[rows], stratified)
    return _cut(plan, target, assigned, rows, plan.seed)


def fresh_folds(plan: SplitPlan, target: NDArray[Any], assigned: NDArray[np.int16], repeats: int) -> NDArray[np.int16]:
    """The rows of the folds cut anew `repeats` times, shape (repeats, rows); holdout and unused rows stay what they are.

    Repeat r is drawn with the seed `plan.seed + 1 + r`: other folds than the plan's own, the same ones every time.
    """
    rows = np.flatnonzero(assigned >= 0)
    return np.stack([_cut(plan, target, assigned.copy(), rows, (plan.seed + 1 + r) % 2**31) for r in range(repeats)])


def _cut(
    plan: SplitPlan, target: NDArray[Any], assigned: NDArray[np.int16], rows: NDArray[np.intp], seed: int
) -> NDArray[np.int16]:
    from sklearn.model_selection import KFold, StratifiedKFold

    folds = (StratifiedKFold if plan.kind == "stratified" else KFold)(plan.folds, shuffle=True, random_state=seed)
    for number, (_, test) in enumerate(folds.split(rows, target[rows])):
        assigned[rows[test]] = number
    return assigned


def _check_counts(plan: SplitPlan, target: NDArray[Any], stratified: bool) -> None:
    if len(target) < 2 * plan.folds:
        raise InvalidBrief(f"{plan.folds} folds need at least {2 * plan.folds} rows. There are {len(target)}.", at="folds")
    if stratified:
        fewest = int(np.unique(target, return_counts=True)[1].min())
        if fewest < plan.folds:
            raise InvalidBrief(
                f"The rarest class has {fewest} rows outside the holdout, fewer than {plan.folds} folds. "
                "Use fewer folds, a smaller holdout, or shuffled folds.",
                at="folds",
            )


def fingerprint(assigned: NDArray[np.int16]) -> str:
    """Content hash of an assignment: equal hashes mean comparable scores."""
    return hashlib.sha256(np.ascontiguousarray(assigned, dtype="<i2").tobytes()).hexdigest()
