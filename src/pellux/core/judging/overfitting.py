"""Train, cross-validated and holdout score side by side, in a sentence."""

from __future__ import annotations

import math

FAR = 2.0  # standard errors
WIDE = 0.1  # share of the way from the baseline's error to a perfect score


def verdict(
    train: float, folds: float, folds_error: float | None, holdout: float, holdout_error: float, baseline_holdout: float | None
) -> str:
    """What the three scores say together; all turned so that larger is better."""
    spread = math.hypot(folds_error or 0.0, holdout_error)
    drop = folds - holdout
    if spread > 0 and drop > FAR * spread:
        first = (
            "The holdout score is clearly worse than cross-validation promised: the choice fits the folds better than new "
            "rows, or the holdout's rows differ from them."
        )
    elif spread > 0 and drop < -FAR * spread:
        first = "The holdout score is clearly better than cross-validation promised; its rows may be easier than the rest."
    else:
        first = "The holdout score is what cross-validation promised, within its error."
    return f"{first} {_fit(train, folds, spread)}{_against(holdout, baseline_holdout, holdout_error)}"


def _fit(train: float, folds: float, spread: float) -> str:
    gap = train - folds
    if gap <= max(FAR * spread, WIDE * abs(train) / 2):
        return (
            "Rows learnt from and new rows score alike: nothing points to overfitting; a more flexible model may have more to give."
        )
    return (
        "Rows learnt from score much better than new ones, so the model knows them partly by heart; what counts is the score "
        "on new rows, and more restraint may raise it."
    )


def _against(holdout: float, baseline: float | None, error: float) -> str:
    if baseline is None:
        return ""
    if holdout <= baseline:
        return " On the holdout it is no better than the baseline."
    return " On the holdout it beats the baseline." if holdout - baseline > error else (
        " On the holdout it is ahead of the baseline by less than the score's own error."
    )  # fmt: skip
