"""Makes the demo's data files from a seed. All of it is made up; `python -m pellux.demo.generator` writes them anew."""

from __future__ import annotations

import csv
from datetime import date, timedelta
from pathlib import Path
from typing import Any

import numpy as np
import scipy
from numpy.random import Generator

FOLDER = Path(__file__).parent / "data"
SEED = 20260
CARGO = {"produce": 0.9, "dairy": 1.2, "fish": 1.7, "frozen": 0.6, "flowers": 1.3, "vaccines": 2.1}
CARRIERS = {"own fleet": -0.5, "Halden": 0.0, "Brackwater": 0.55, "Ostrava Line": 0.2, "Two Firs": -0.15, "Quay & Sons": 0.9}
PACKAGING = {"crates": 0.0, "boxes": 0.15, "shrink wrap": 0.4, "insulated": -0.7}
UNITS = 90


def _pick(
    rng: Generator, table: dict[str, float], rows: int, shares: list[float]
) -> tuple[np.ndarray[Any, Any], np.ndarray[Any, Any]]:
    names = list(table)
    chosen = rng.choice(len(names), size=rows, p=np.array(shares) / sum(shares))
    return np.array(names, dtype=object)[chosen], np.array(list(table.values()))[chosen]


def _loads(rng: Generator, rows: int) -> dict[str, np.ndarray[Any, Any]]:
    """What both problems share: a trip, its unit, its weather."""
    day = np.sort(rng.integers(0, 730, rows))
    unit = rng.integers(0, UNITS, rows)
    age = rng.gamma(3.0, 2.0, UNITS)[unit] + day / 365
    warmth = 11 + 10 * np.sin(2 * np.pi * (day - 110) / 365)
    ambient = warmth + rng.normal(0, 4.5, rows)
    cargo, sensitivity = _pick(rng, CARGO, rows, [5, 4, 2, 4, 1, 1])
    carrier, care = _pick(rng, CARRIERS, rows, [6, 4, 3, 3, 2, 1])
    packaging, leak = _pick(rng, PACKAGING, rows, [4, 4, 2, 2])
    setpoint = np.select([cargo == "frozen", cargo == "fish"], [-20.0, 0.0], 4.0) + rng.choice([-1.0, 0.0, 1.0], rows)
    start = date(2023, 1, 2)
    season = np.array(["winter", "spring", "summer", "autumn"], dtype=object)[((day % 365) // 92).clip(0, 3)]
    return {
        "route_km": np.round(rng.gamma(2.4, 130, rows) + 15, 0),
        "ambient_c": np.round(ambient, 1),
        "setpoint_c": setpoint,
        "pallets": rng.integers(4, 34, rows).astype(float),
        "door_openings": rng.poisson(4.0, rows).astype(float),
        "unit_age_years": np.round(age, 1),
        "compressor_hours": np.round(age * 900 + rng.gamma(4, 300, rows), 0),
        "dock_wait_min": np.round(rng.gamma(1.6, 18, rows), 0),
        "humidity_pct": np.round(np.clip(rng.normal(68, 14, rows), 15, 100), 0),
        "cargo": cargo,
        "carrier": carrier,
        "packaging": packaging,
        "season": season,
        "precooled": np.where(rng.random(rows) < 0.8, "yes", "no").astype(object),
        "departure_hour": rng.integers(0, 24, rows).astype(float),
        "unit_id": np.array([f"NC-{number:03d}" for number in unit], dtype=object),
        "departed_on": np.array([(start + timedelta(days=int(d))).isoformat() for d in day], dtype=object),
        "_sensitivity": sensitivity,
        "_care": care,
        "_leak": leak,
        "_drift": day / 730,
    }


def warm_arrivals(seed: int = SEED, rows: int = 6000) -> dict[str, np.ndarray[Any, Any]]:
    """Will a load arrive too warm? About 11 % do; some labels are wrong."""
    rng = np.random.default_rng([seed, 1])
    t = _loads(rng, rows)
    heat = np.maximum(t["ambient_c"] - 12, 0) / 10
    opened = np.maximum(t["door_openings"] - 3, 0) / 3
    worn = np.maximum(t["unit_age_years"] - 6, 0) / 4 * (t["compressor_hours"] > 7000)
    waited = t["dock_wait_min"] / 40 * np.where(t["precooled"] == "no", 1.7, 0.35)
    night = np.where((t["departure_hour"] < 6) | (t["departure_hour"] > 20), -0.4, 0.0)
    damp = 0.6 * np.maximum(t["humidity_pct"] - 80, 0) / 15 * opened
    cold = (t["cargo"] == "frozen") * np.maximum(t["setpoint_c"] + 20.5, 0) * (t["pallets"] < 12)
    risk = (
        1.8 * heat * opened * t["_sensitivity"] + 1.5 * t["_care"] * heat + 1.4 * worn * heat + 1.1 * waited
        + 2.0 * t["_leak"] * heat + night + damp + 0.6 * t["_drift"] + 0.7 * t["route_km"] / 500 * heat + 1.3 * cold
    )  # fmt: skip
    warm = rng.random(rows) < _chance(2.2 * risk, share=0.098)
    wrong = rng.random(rows) < 0.015
    t["arrived_warm"] = np.where(warm ^ wrong, "yes", "no").astype(object)
    return _with_gaps(rng, t)


def _chance(risk: np.ndarray[Any, Any], share: float) -> np.ndarray[Any, Any]:
    """Logistic probabilities whose mean is `share`."""
    shift = scipy.optimize.brentq(lambda b: float(np.mean(scipy.special.expit(risk + b)) - share), -60, 60)
    return np.asarray(scipy.special.expit(risk + shift))


def energy_per_trip(seed: int = SEED, rows: int = 4000) -> dict[str, np.ndarray[Any, Any]]:
    """kWh used on a trip: skewed, and noisier on long and hot trips."""
    rng = np.random.default_rng([seed, 2])
    t = _loads(rng, rows)
    hours = t["route_km"] / 62 + t["dock_wait_min"] / 60
    lift = np.maximum(t["ambient_c"] - t["setpoint_c"], 0)
    wear = 1 + 0.035 * t["unit_age_years"] + 0.25 * (t["compressor_hours"] > 9000)
    load = 0.6 + 0.4 * t["pallets"] / 33
    doors = 0.55 * t["door_openings"] * lift / 10 * (1 + t["_leak"])
    precool = np.where(t["precooled"] == "no", 4.5 * lift / 10, 0.0)
    base = hours * (0.35 + 0.085 * lift) * wear * load + doors + precool
    noise = np.exp(rng.normal(0, 0.10 + 0.10 * np.minimum(hours / 12, 1), rows))
    t["energy_kwh"] = np.round(base * noise + 1.5, 2)
    return _with_gaps(rng, t)


FAULTS = ("sound", "worn bearing", "loose valve", "low charge", "bent fan")
BANDS = 40


def compressor_sound(seed: int = SEED, rows: int = 2400) -> dict[str, np.ndarray[Any, Any]]:
    """Log energy in 40 bands of a window of sound, and what is wrong with the compressor.

    Harmonics lie where the speed puts them, and every fault changes them in its own way: no single band tells.
    """
    rng = np.random.default_rng([seed, 3])
    fault = rng.choice(len(FAULTS), size=rows, p=[0.3, 0.2, 0.2, 0.16, 0.14])
    speed = rng.uniform(4.0, 7.0, rows)[:, None]
    band = np.arange(BANDS)[None, :]
    tilt = rng.normal(-0.03, 0.01, (rows, 1)) * band + rng.normal(0, 0.35, (rows, 1))
    strength = np.exp(rng.normal(0, 0.25, (rows, 1)))

    def hump(centre: np.ndarray[Any, Any], width: float) -> np.ndarray[Any, Any]:
        found: np.ndarray[Any, Any] = np.exp(-0.5 * ((band - centre) / width) ** 2)
        return found

    energy = tilt + sum(strength * 1.5 / k * hump(k * speed, 0.8) for k in (1, 2, 3, 4))
    is_ = [(fault == i)[:, None] for i in range(len(FAULTS))]
    energy = energy + is_[1] * (0.75 * hump(2.5 * speed, 0.9) + 0.55 * hump(3.5 * speed, 0.9))
    energy = energy + is_[2] * (0.8 * hump(speed + 2.2, 0.8) - 0.4 * strength * hump(2 * speed, 0.8))
    energy = energy + is_[3] * (0.45 * (band > 24) - 0.45 * strength * hump(speed, 0.8))
    energy = energy + is_[4] * 0.7 * hump(0.5 * speed, 0.8) * (1 + 0.6 * np.sin(speed))
    energy = energy + rng.normal(0, 0.2, (rows, BANDS))
    wrong = rng.random(rows) < 0.02
    fault = np.where(wrong, rng.integers(0, len(FAULTS), rows), fault)
    found: dict[str, np.ndarray[Any, Any]] = {f"band_{i + 1:02d}": np.round(energy[:, i], 2) for i in range(BANDS)}
    found["fault"] = np.array(FAULTS, dtype=object)[fault]
    return found


def _with_gaps(rng: Generator, t: dict[str, np.ndarray[Any, Any]]) -> dict[str, np.ndarray[Any, Any]]:
    for name, share in (("compressor_hours", 0.06), ("humidity_pct", 0.09)):
        t[name] = np.where(rng.random(len(t[name])) < share, np.nan, t[name])
    return {name: values for name, values in t.items() if not name.startswith("_")}


def write(table: dict[str, np.ndarray[Any, Any]], path: Path) -> None:
    with path.open("w", newline="", encoding="utf-8") as file:
        writer = csv.writer(file, lineterminator="\n")
        writer.writerow(table)
        writer.writerows(zip(*([_text(v) for v in values] for values in table.values()), strict=True))


def _text(value: Any) -> str:
    if isinstance(value, float):
        return "" if np.isnan(value) else f"{value:g}"
    return str(value)


FILES = {"warm_arrivals.csv": warm_arrivals, "energy_per_trip.csv": energy_per_trip, "compressor_sound.csv": compressor_sound}


def main() -> None:
    for name, make in FILES.items():
        write(make(), FOLDER / name)


if __name__ == "__main__":
    main()
