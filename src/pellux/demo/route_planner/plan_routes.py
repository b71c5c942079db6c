"""A made-up training program, as somebody might have it who has never heard of Pellux: it learns in which order to deliver.

Northcairn Cold Freight delivers twelve chilled loads a day from one depot; each is due by some hour, and some spoil sooner than
others. A small network scores the stops that are left, and is trained by how many loads came in time (policy gradient). It
prints a line of JSON an epoch, keeps its weights to go on from, and draws the routes of one day.

    python plan_routes.py --rate 0.02 --epochs 27 --fold 0
"""

from __future__ import annotations

import argparse
import itertools
import json
import struct
import sys
import zlib
from pathlib import Path
from typing import Any

import numpy as np

DAYS, STOPS, BATCH, BATCHES = 360, 12, 60, 6
FEATURES = 5


def days_of(seed: int) -> dict[str, np.ndarray]:
    """Places (km from the depot), hours by which loads are due, and how soon they spoil."""
    rng = np.random.default_rng(seed)
    towns = rng.normal(0, 22, (DAYS, 3, 2))
    places = towns[np.arange(DAYS)[:, None], rng.integers(0, 3, (DAYS, STOPS))] + rng.normal(0, 7, (DAYS, STOPS, 2))
    spoils = rng.choice([1.0, 1.0, 2.5], (DAYS, STOPS))
    due = 1.0 + np.hypot(*np.moveaxis(places, -1, 0)) / 55 + rng.gamma(2.2, 1.1, (DAYS, STOPS)) / np.sqrt(spoils)
    return {"places": places, "due": due, "spoils": spoils}


class Planner:
    """A network of one hidden layer that scores the stops that are left."""

    def __init__(self, width: int, seed: int) -> None:
        rng = np.random.default_rng(seed)
        self.weights = [rng.normal(0, 0.5, (FEATURES, width)), np.zeros(width), rng.normal(0, 0.5, width) / np.sqrt(width)]
        self.speed = [np.zeros_like(w) for w in self.weights]
        self.usual = 0.0

    def drive(
        self, days: dict[str, np.ndarray], rng: np.random.Generator | None, heat: float
    ) -> tuple[np.ndarray, np.ndarray, list[tuple[Any, ...]]]:
        """The order of stops, the hour of each arrival, and what is needed to learn from it; the best stop without `rng`."""
        count = len(days["due"])
        rows, here, hour = np.arange(count), np.zeros((count, 2)), np.zeros(count)
        left, order, arrival, steps = np.ones((count, STOPS), bool), [], [], []
        for _ in range(STOPS):
            far = np.hypot(*np.moveaxis(days["places"] - here[:, None], -1, 0)) / 55
            slack = days["due"] - hour[:, None] - far
            seen = np.stack([far, np.clip(slack, -2, 4), slack < 0, days["spoils"] - 1, np.exp(-np.clip(slack, -2, 4))], -1)
            hidden = np.tanh(seen @ self.weights[0] + self.weights[1])
            score = np.where(left, hidden @ self.weights[2] / heat, -np.inf)
            chance = np.exp(score - score.max(1, keepdims=True))
            chance /= chance.sum(1, keepdims=True)
            pick = chance.argmax(1) if rng is None else (chance.cumsum(1) > rng.random((count, 1))).argmax(1)
            steps.append((seen, hidden, chance, pick))
            hour = hour + far[rows, pick] + 0.08
            here = days["places"][rows, pick]
            left[rows, pick] = False
            order.append(pick)
            arrival.append(hour)
        return np.array(order).T, np.array(arrival).T, steps

    def learn(
        self, days: dict[str, np.ndarray], rng: np.random.Generator, rate: float, heat: float, pull: float, calm: float
    ) -> None:
        order, arrival, steps = self.drive(days, rng, heat)
        worth = in_time(days, order, arrival).mean(1) - 0.02 * arrival[:, -1]
        self.usual = calm * self.usual + (1 - calm) * worth.mean() if self.usual else worth.mean()
        gain = (worth - self.usual) / (worth.std() + 1e-6)
        slope = [np.zeros_like(w) for w in self.weights]
        for seen, hidden, chance, pick in steps:
            push = -chance * gain[:, None] / heat
            push[np.arange(len(pick)), pick] += gain / heat
            back = push[..., None] * self.weights[2] * (1 - hidden**2)
            slope[0] += np.einsum("dsf,dsh->fh", seen, back)
            slope[1] += back.sum((0, 1))
            slope[2] += np.einsum("ds,dsh->h", push, hidden)
        for weight, speed, by in zip(self.weights, self.speed, slope, strict=True):
            speed *= 0.9
            speed += by / (len(gain) * STOPS)
            weight += rate * (speed - pull * weight)


def in_time(days: dict[str, np.ndarray], order: np.ndarray, arrival: np.ndarray) -> np.ndarray:
    """Which stops of each day, in their order, were reached in time."""
    return arrival <= np.take_along_axis(days["due"], order, 1)


def some(days: dict[str, np.ndarray], which: np.ndarray) -> dict[str, np.ndarray]:
    return {name: values[which] for name, values in days.items()}


def draw(path: Path, places: np.ndarray, order: np.ndarray, size: int = 320) -> None:
    """The route of one day as a PNG of dots and lines."""
    points = np.vstack([[0, 0], places[order]])
    spread = np.abs(points).max() * 1.1
    cells = ((points / spread + 1) / 2 * (size - 1)).astype(int)
    picture = np.full((size, size, 3), 250, np.uint8)
    for number, (start, end) in enumerate(itertools.pairwise(cells)):
        line = np.linspace(start, end, 400).astype(int)
        picture[line[:, 1], line[:, 0]] = (20, 90 + 10 * number, 120)
    for x, y in cells:
        picture[max(y - 3, 0) : y + 4, max(x - 3, 0) : x + 4] = (190, 60, 40)
    rows = b"".join(b"\0" + row.tobytes() for row in picture)

    def chunk(kind: bytes, body: bytes) -> bytes:
        return struct.pack(">I", len(body)) + kind + body + struct.pack(">I", zlib.crc32(kind + body))

    header = struct.pack(">IIBBBBB", size, size, 8, 2, 0, 0, 0)
    path.write_bytes(b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", header) + chunk(b"IDAT", zlib.compress(rows)) + chunk(b"IEND", b""))


def arguments() -> argparse.Namespace:
    parser = argparse.ArgumentParser(description="Learns in which order to deliver.")
    parser.add_argument("--rate", type=float, default=0.02, help="how far one batch moves the weights (default: 0.02)")
    parser.add_argument("--width", type=int, default=16, help="hidden units of the network (default: 16)")
    parser.add_argument("--heat", type=float, default=1.0, help="how freely it tries other orders while it learns (default: 1.0)")
    parser.add_argument("--pull", type=float, default=0.001, help="weight decay (default: 0.001)")
    parser.add_argument("--calm", type=float, default=0.9, help="share of the old in the usual worth (default: 0.9)")
    parser.add_argument("--epochs", type=int, default=27, help="passes over the days (default: 27)")
    parser.add_argument("--fold", default="0", help="which fifth of the days is held out, or 'all' (default: 0)")
    parser.add_argument("--seed", type=int, default=0, help="seed of weights and draws (default: 0)")
    parser.add_argument("--out", type=Path, default=Path("out"), help="folder for weights and the picture")
    return parser.parse_args()


def main() -> int:
    given = arguments()
    days = days_of(11)
    held = np.zeros(DAYS, bool) if given.fold == "all" else np.arange(DAYS) % 5 == int(given.fold)
    learnt, judged = np.flatnonzero(~held), some(days, held if held.any() else ~held)
    planner, begun, kept = Planner(given.width, given.seed), 0, given.out / "weights.npz"
    given.out.mkdir(parents=True, exist_ok=True)
    if kept.exists():
        with np.load(kept) as found:
            planner.weights, planner.speed = [found[f"w{i}"] for i in range(3)], [found[f"s{i}"] for i in range(3)]
            planner.usual, begun = float(found["usual"]), int(found["epoch"])
    for epoch in range(begun, given.epochs):
        rng = np.random.default_rng([given.seed, epoch])
        for _ in range(BATCHES):
            planner.learn(some(days, rng.choice(learnt, BATCH)), rng, given.rate, given.heat, given.pull, given.calm)
        order, arrival, _ = planner.drive(judged, None, 1.0)
        score, hours = float(in_time(judged, order, arrival).mean()), float(arrival[:, -1].mean())
        if not np.isfinite(planner.weights[0]).all():
            print("the weights are no numbers any more: the rate is too high", file=sys.stderr)
            return 1
        print(json.dumps({"in_time": round(score, 6), "hours": round(hours, 6), "epoch": epoch + 1}), flush=True)
        half = kept.with_name("weights.half.npz")
        state = {f"w{i}": w for i, w in enumerate(planner.weights)} | {f"s{i}": s for i, s in enumerate(planner.speed)}
        np.savez(half, usual=planner.usual, epoch=epoch + 1, **state)
        half.replace(kept)
    order, _, _ = planner.drive(judged, None, 1.0)
    (given.out / "keep").mkdir(exist_ok=True)
    draw(given.out / "keep" / "route.png", judged["places"][0], order[0])
    return 0


if __name__ == "__main__":
    sys.exit(main())
