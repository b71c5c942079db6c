"""How long a fitted model takes to predict, measured well enough to search by."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
from numpy.typing import NDArray

from pellux.core.judging import Brief
from pellux.objectives.tabular.fitting import predict

ROWS = 1000  # that are predicted at once
FEWEST, MOST = 5, 40  # calls, after a first one that warms up and does not count
CLOSE = 0.03  # standard error of the median, as a share of it, that is close enough
SECONDS = 0.3  # that all calls may take together, beyond the fewest


def predict_ms(model: Any, rows: NDArray[np.float64], brief: Brief, clock: Callable[[], float]) -> float:
    """Milliseconds in which a model predicts 1,000 rows: the median of calls that are repeated until it is known.

    Parameters
    ----------
    rows : array, shape (n, columns)
        Test rows; taken in turn until there are 1,000.
    clock : function of nothing
        Seconds.
    """
    batch = rows[np.arange(ROWS) % len(rows)]
    predict(model, batch, brief)
    taken: list[float] = []
    while len(taken) < FEWEST or (len(taken) < MOST and sum(taken) < SECONDS and _doubt(taken) > CLOSE):
        begun = clock()
        predict(model, batch, brief)
        taken.append(clock() - begun)
    return 1000 * float(np.median(taken))


def _doubt(taken: list[float]) -> float:
    """Standard error of the median, as a share of it; the spread by quartiles, since now and then a call takes far longer."""
    low, middle, high = np.quantile(taken, (0.25, 0.5, 0.75))
    return float(1.2533 * (high - low) / 1.349 / np.sqrt(len(taken)) / middle) if middle > 0 else 0.0
