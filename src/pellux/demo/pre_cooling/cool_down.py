"""A made-up reckoning of what it takes to cool a trailer down before it is loaded, in kWh, over the mornings of a season.

Northcairn Cold Freight runs the chiller of a trailer some time ahead of its load. How long ahead, how hard the fans blow, how slowly the
compressor is ramped up, and in which mode: all of it costs energy, and a trailer that is not cold in time costs more.
"""

from __future__ import annotations

import numpy as np

from pellux import Fit

MORNINGS = 60
MODES = {"steady": 0.55, "pulse": 1.7, "boost": 0.0}  # kWh that a mode takes on top


def mornings(fold: int) -> np.ndarray:
    """Temperatures at the depot, in degrees, of one season."""
    return np.random.default_rng([7, fold]).normal(6 + 5 * fold, 4, MORNINGS)


def cool_down(settings: dict[str, float | str | bool], fit: Fit) -> dict[str, float]:
    """Energy of a morning, and the share of mornings that were cold in time."""
    outside = mornings(int(fit.fold))
    number = {name: float(value) for name, value in settings.items() if not isinstance(value, str)}
    # Fans and ramp make up for each other: what counts is how much air is moved while the compressor comes up.
    moved = np.log(number["fan"] * number["ramp"] / 6.0)
    short = np.maximum(85 - number["lead"], 0) / 50
    energy = 9 + 0.08 * outside + 1.9 * moved**2 + 2.4 * short**2 + 0.45 * (number["setback"] - 2.4) ** 2
    energy = energy + MODES[str(settings["mode"])] + 0.01 * number.get("pulse_minutes", 0.0)
    energy = energy + np.random.default_rng([11, int(fit.fold), round(1e6 * number["fan"]), round(1e3 * number["lead"])]).normal(
        0, 0.3, MORNINGS
    )
    late = 1 / (1 + np.exp(-(outside - 14) / 3 - 1.5 * short + 1.5))
    return {"kwh": float(energy.mean()), "in_time": float(1 - late.mean())}
