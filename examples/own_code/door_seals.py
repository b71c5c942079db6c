"""A function of one's own: how well a made-up rule tells door seals that leak, by two sensors. It goes on from its folder.

pellux run examples/own_code/door_seals.yaml
"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from pellux import Fit


def sensors(seed: int) -> tuple[np.ndarray, np.ndarray]:
    """Readings of 600 doors (rows, 2 sensors), and whether each leaks."""
    rng = np.random.default_rng(seed)
    leaks = rng.random(600) < 0.35
    readings = rng.normal(0, 1, (600, 2)) + leaks[:, None] * [0.9, 0.5] + 0.6 * (leaks & (rng.random(600) < 0.5))[:, None]
    return readings, leaks


def train(settings: dict[str, float], fit: Fit) -> Iterator[dict[str, float]]:
    """Logistic regression by gradient descent with momentum, an epoch at a time."""
    readings, leaks = sensors(3)
    held = np.arange(600) % fit.folds == fit.fold
    kept = fit.folder / "weights.npy"
    weights, speed = np.load(kept) if fit.start else np.zeros((2, 3))
    inputs = np.column_stack([readings, np.ones(600)])
    for _ in range(fit.start, fit.level):
        chance = 1 / (1 + np.exp(-inputs[~held] @ weights))
        slope = inputs[~held].T @ (chance - leaks[~held]) / (~held).sum() + settings["pull"] * weights
        speed = settings["momentum"] * speed - settings["rate"] * slope
        weights = weights + speed
        said = inputs[held] @ weights > 0
        yield {"accuracy": float((said == leaks[held]).mean()), "found": float(said[leaks[held]].mean())}
    np.save(kept, np.array([weights, speed]))
