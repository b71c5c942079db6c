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
)
