"""What random draws would have come to where several metrics decide: asked of models of the trials that were done."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np
from numpy.typing import NDArray

from pellux.core.judging.fronts import course
from pellux.core.space import Space, Value, draw
from pellux.core.surrogates.coding import Coding
from pellux.core.surrogates.gaussian_process import Posterior, fit

Array = NDArray[np.float64]
FEWEST = 8  # trials that a model is made of
REPEATS = 16  # random searches whose course is averaged
LONGEST = 400  # trials of one; of longer searches that is the end of the line
TOLD = 40  # places of the course


def expected_course(
    space: Space,
    configurations: Sequence[Mapping[str, Value]],
    values: Array,
    keeps: NDArray[np.bool_],
    reference: Array,
    trials: int,
) -> list[tuple[int, float]]:
    """The mean hypervolume of random searches after so many trials, by what models expect; empty while trials are too few.

    Parameters
    ----------
    values : array, shape (n, metrics)
        Of trials that were done, larger is better.
    keeps : array, shape (n,)
        Whether they keep all limits; what does not covers nothing.
    reference : array, shape (metrics,)
    trials : int
        How long the random searches are.

    Notes
    -----
    A model draws in what it has not seen, so that extremes of random draws are rather told too small.
    """
    if len(values) < FEWEST:
        return []
    coding, rng = Coding.of(space), np.random.default_rng(0)
    long = min(trials, LONGEST)
    features = coding.features(np.array([space.encode(c) for c in configurations]))
    asked = coding.features(np.array([space.encode(draw(space, rng)) for _ in range(REPEATS * long)]))
    columns = [_expected(coding, features, column, asked) for column in values.T]
    if not keeps.all():
        likely = _expected(coding, features, keeps.astype(float), asked) >= 0.5
        columns = [np.where(likely, column, np.nan) for column in columns]
    found = np.stack(columns, axis=1).reshape(REPEATS, long, -1)
    mean = np.mean([course(one, reference) for one in found], axis=0)
    places = np.unique(np.linspace(1, long, min(TOLD, long)).round().astype(int))
    return [(int(place), float(mean[place - 1])) for place in places]


def _expected(coding: Coding, features: Array, column: Array, asked: Array) -> Array:
    centre, width = float(column.mean()), float(column.std()) or 1.0
    scores, noise = (column - centre) / width, np.ones(len(column))
    h = fit(features, scores, noise, coding.groups)
    found: Array = centre + width * Posterior(h, features, scores, noise, coding.groups).expected(asked)
    return found
