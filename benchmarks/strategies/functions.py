"""Problems with a known best value: textbook functions, a mixed one, a conditional one. Larger is better; 0 is the best.

Formulas: Surjanovic & Bingham, Virtual Library of Simulation Experiments (the textbook ones); ours are written out here.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass

import numpy as np

from pellux.core.space import Space, Value, parse

Configuration = Mapping[str, Value]


@dataclass(frozen=True)
class Problem:
    """A space and a function on it; `truth` is minus the regret."""

    name: str
    space: Space
    truth: Callable[[Configuration], float]
    noise: float = 0.0


def _cube(d: int, low: float, high: float) -> Space:
    return parse("\n".join(f"x{i}: {low} .. {high}" for i in range(d)))


def _vector(configuration: Configuration) -> np.ndarray:
    return np.array([float(value) for value in configuration.values()])


def _branin(c: Configuration) -> float:
    x, y = _vector(c)
    value = (y - 5.1 / (4 * math.pi**2) * x * x + 5 / math.pi * x - 6) ** 2
    return 0.39788735772973816 - (value + 10 * (1 - 1 / (8 * math.pi)) * math.cos(x) + 10)


_H_ALPHA = np.array([1.0, 1.2, 3.0, 3.2])
_H3_A = np.array([[3.0, 10, 30], [0.1, 10, 35], [3.0, 10, 30], [0.1, 10, 35]])
_H3_P = 1e-4 * np.array([[3689, 1170, 2673], [4699, 4387, 7470], [1091, 8732, 5547], [381, 5743, 8828]])
_H6_A = np.array([[10, 3, 17, 3.5, 1.7, 8], [0.05, 10, 17, 0.1, 8, 14], [3, 3.5, 1.7, 10, 17, 8], [17, 8, 0.05, 10, 0.1, 14]])
_H6_P = 1e-4 * np.array(
    [
        [1312, 1696, 5569, 124, 8283, 5886],
        [2329, 4135, 8307, 3736, 1004, 9991],
        [2348, 1451, 3522, 2883, 3047, 6650],
        [4047, 8828, 8732, 5743, 1091, 381],
    ]
)


def _hartmann3(c: Configuration) -> float:
    return float(_H_ALPHA @ np.exp(-(_H3_A * (_vector(c) - _H3_P) ** 2).sum(1))) - 3.862779787332660


def _hartmann6(c: Configuration) -> float:
    return float(_H_ALPHA @ np.exp(-(_H6_A * (_vector(c) - _H6_P) ** 2).sum(1))) - 3.322368011415515


def _ackley(c: Configuration) -> float:
    x = _vector(c)
    root = -20 * math.exp(-0.2 * math.sqrt(float(np.mean(x * x))))
    return -(root - math.exp(float(np.mean(np.cos(2 * math.pi * x)))) + 20 + math.e)


def _levy(c: Configuration) -> float:
    w = 1 + (_vector(c) - 1) / 4
    middle = float(((w[:-1] - 1) ** 2 * (1 + 10 * np.sin(math.pi * w[:-1] + 1) ** 2)).sum())
    return -(math.sin(math.pi * w[0]) ** 2 + middle + (w[-1] - 1) ** 2 * (1 + math.sin(2 * math.pi * w[-1]) ** 2))


def _rosenbrock(c: Configuration) -> float:
    x = _vector(c)
    return -float((100 * (x[1:] - x[:-1] ** 2) ** 2 + (x[:-1] - 1) ** 2).sum())


def _styblinski_tang(c: Configuration) -> float:
    x = _vector(c)
    return -39.16616570377142 * len(x) - float((x**4 - 16 * x * x + 5 * x).sum()) / 2


MIXED = parse("""
rate:    1e-4 .. 1 log
penalty: 1e-6 .. 1e2 log
depth:   1 .. 20 int
width:   8 .. 512 int log
kind:    amber | birch | cedar | dune
""")
# The best rate, penalty, depth and height depend on the kind; dune is best by a little, and narrow.
_KINDS = {
    "amber": (-1.0, -4.0, 4, 32, 0.15),
    "birch": (-2.5, 0.0, 12, 200, 0.08),
    "cedar": (-3.2, -2.0, 17, 16, 0.3),
    "dune": (-1.7, -1.0, 8, 90, 0.0),
}


def _mixed(c: Configuration) -> float:
    rate, penalty, depth, width, floor = _KINDS[str(c["kind"])]
    a = (math.log10(float(c["rate"])) - rate) / 4
    b = (math.log10(float(c["penalty"])) - penalty) / 8
    e = (float(c["depth"]) - depth) / 19
    f = math.log(float(c["width"]) / width) / math.log(64)
    steep = 2.0 if c["kind"] == "dune" else 1.0
    bowl = steep * (2 * a * a + b * b + 1.5 * e * e + f * f) + 0.6 * a * b
    return -(floor + bowl + 0.05 * (1 - math.cos(6 * math.pi * a)) * (c["kind"] != "cedar"))


CONDITIONAL = parse("""
branch: north | east | south
n1: 0 .. 1             if branch == north
n2: 1e-3 .. 10 log     if branch == north
e1: -2 .. 2            if branch == east
e2: 1 .. 30 int        if branch == east
e3: 0 .. 1             if branch == east
s1: 0 .. 1             if branch == south
""")


def _conditional(c: Configuration) -> float:
    if c["branch"] == "north":
        a, b = float(c["n1"]) - 0.7, (math.log10(float(c["n2"])) + 1.4) / 4
        return -(0.25 + 3 * a * a + 4 * b * b)
    if c["branch"] == "east":
        a, b, e = float(c["e1"]) - 0.6, (float(c["e2"]) - 22) / 29, float(c["e3"]) - 0.35
        return -(0.5 * a * a + 2 * b * b + 2.5 * e * e + 0.4 * a * e)
    a = float(c["s1"]) - 0.2
    return -(0.12 + 2 * a * a)


PIPELINE = parse("""
preparation: none | project | bins
kept:  1 .. 30 int log    if preparation == project
count: 2 .. 64 int log    if preparation == bins
model: line | tree | net
pull:  1e-6 .. 1e3 log    if model == line
depth: 1 .. 20 int        if model == tree
leaf:  1 .. 200 int log   if model == tree
width: 4 .. 256 int log   if model == net
rate:  1e-5 .. 1 log      if model == net
""")
# What each step leaves to be wished for; a projection before a line is better than the two alone would be.
_STEPS = {"none": 0.12, "project": 0.08, "bins": 0.0, "line": 0.13, "tree": 0.06, "net": 0.0}


def _away(c: Configuration, name: str, best: float, ends: float) -> float:
    """How far a setting lies from its best place, in decades over those between its ends."""
    return math.log10(float(c[name]) / best) / ends


def _pipeline(c: Configuration) -> float:
    lost = _STEPS[str(c["preparation"])] + _STEPS[str(c["model"])]
    lost -= 0.155 * (c["preparation"] == "project" and c["model"] == "line")
    if c["preparation"] == "project":
        lost += 0.5 * _away(c, "kept", 9, 1.5) ** 2
    if c["preparation"] == "bins":
        lost += 0.6 * _away(c, "count", 20, 1.5) ** 2
    if c["model"] == "line":
        return -(lost + 0.8 * _away(c, "pull", 3e-2, 9) ** 2)
    if c["model"] == "tree":
        depth, leaf = (float(c["depth"]) - 7) / 19, _away(c, "leaf", 12, 2.3)
        return -(lost + depth**2 + 0.5 * leaf**2 + 0.5 * depth * leaf)
    width, rate = _away(c, "width", 90, 1.8), _away(c, "rate", 2e-3, 5)
    return -(lost + 0.4 * width**2 + 2.5 * rate**2 + 0.5 * width * rate)


SIX_OF_FOURTEEN, FIVE_OF_THIRTY = _cube(14, 0, 1), _cube(30, 0, 1)
_MATTER = {14: (1, 3, 6, 8, 10, 13), 30: (2, 7, 13, 19, 28)}


def _six_of_fourteen(c: Configuration) -> float:
    """Hartmann-6 in six of them, and next to nothing in the others."""
    x = _vector(c)
    rest = np.delete(x, _MATTER[14])
    return (
        float(_H_ALPHA @ np.exp(-(_H6_A * (x[list(_MATTER[14])] - _H6_P) ** 2).sum(1)))
        - 3.322368011415515
        - 0.002 * float(rest.sum())
    )


def _five_of_thirty(c: Configuration) -> float:
    """A bent valley in five of them."""
    a, b, d, e, f = _vector(c)[list(_MATTER[30])]
    return -float(4 * (a - 0.3) ** 2 + 3 * (b - a - 0.2) ** 2 + 2 * (d - 0.8) ** 2 + (e - 0.5 * d) ** 2 + 2 * abs(f - 0.6))


WHOLE = parse(
    "\n".join(f"n{i}: {low} .. {high} int" for i, (low, high) in enumerate([(1, 12), (1, 40), (0, 9), (2, 64), (1, 6), (0, 100)]))
)


def _whole(c: Configuration) -> float:
    a, b, d, e, f, g = _vector(c)
    rough = 0.03 * ((a * 7 + f * 3) % 5)  # neighbours differ
    return -float(
        abs(a - 8) / 6 + ((b - 3 * a - 2) / 20) ** 2 + 0.4 * ((d - 4) / 4) ** 2 + math.log2(max(e, 38) / min(e, 38)) / 2
        + 0.2 * abs(f - 5) + ((g - 10 * d) / 60) ** 2 + rough - 0.03 * ((8 * 7 + 5 * 3) % 5)
    )  # fmt: skip


def _hills(c: Configuration) -> float:
    """Twenty-seven hills nearly as high as each other in three numbers; the best is the one nearest to a corner of the inner cube."""
    x = _vector(c)
    return float(np.mean(np.sin(3 * math.pi * x) ** 2)) - 1 - 0.2 * float(np.mean((x - 5 / 6) ** 2))


FUNCTIONS = (
    Problem("Branin", parse("x: -5 .. 10\ny: 0 .. 15"), _branin),
    Problem("Hartmann-3", _cube(3, 0, 1), _hartmann3),
    Problem("Hartmann-6", _cube(6, 0, 1), _hartmann6),
    Problem("noisy Hartmann-6", _cube(6, 0, 1), _hartmann6, noise=0.1),
    Problem("Ackley-5", _cube(5, -5, 10), _ackley),
    Problem("Levy-6", _cube(6, -10, 10), _levy),
    Problem("Rosenbrock-4", _cube(4, -5, 10), _rosenbrock),
    Problem("Styblinski-Tang-5", _cube(5, -5, 5), _styblinski_tang),
    Problem("mixed", MIXED, _mixed),
    Problem("conditional", CONDITIONAL, _conditional),
    Problem("pipeline", PIPELINE, _pipeline),
    Problem("six of fourteen", SIX_OF_FOURTEEN, _six_of_fourteen),
    Problem("five of thirty", FIVE_OF_THIRTY, _five_of_thirty),
    Problem("whole numbers", WHOLE, _whole),
    Problem("hills", _cube(3, 0, 1), _hills),
)
