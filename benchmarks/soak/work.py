"""The searches that a soak runs: every strategy and every rule, tables, programs, functions and outside loops."""

from __future__ import annotations

import http.client
import itertools
import random
import threading
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from tests.making import mixed_columns, write_csv
from tests.serving import Server

from pellux.demo.routes import COMMAND, FOLDER, SPACE

TREE = "depth: 2 .. 9 int\nmin_leaf: 1 .. 40 int log\n"
GRID = "depth: 2 .. 4 int\nmin_leaf: 5 | 20"
NETWORK = "rate: 1e-4 .. 0.1 log\nwidth: 4 .. 12 int log\nactivation: relu | tanh\nepochs: 9\n"
MEMBERS = "rate: 1e-4 .. 0.1 log\npull: 1e-6 .. 1 log\nwidth: 6\nepochs: 8\n"
STRATEGIES = ("random", "even spread", "gaussian process", "parzen density", "evolution", "gain per second", "automatic")
BY_FOLDS = ("none", "median rule", "fold race", "one fold")
BY_RUNGS = ("successive halving", "asynchronous halving", "hyperband", "plateau", "median rule")
FUNCTION = """
def train(settings, fit):
    score = 0.0
    for epoch in range(1, 4):
        score = 1 - (settings["x"] - 0.4) ** 2 + 0.01 * fit.fold - 0.2 / epoch
        if not fit.point(epoch, score):
            break
    return score
"""


@dataclass(frozen=True)
class Piece:
    """A search to launch. `repeats`: by promise it ends the same whatever happened meanwhile."""

    name: str
    problem: str
    body: dict[str, Any]
    repeats: bool


def pieces() -> list[Piece]:
    found = []
    for number, (strategy, rule) in enumerate(itertools.product(STRATEGIES, BY_FOLDS)):
        plan = {"strategy": strategy, "early stopping": rule, "trials": 8, "workers": 1 + number % 2, "seed": number}
        repeats = plan["workers"] == 1 and strategy != "gain per second"
        found.append(Piece(f"{strategy}, {rule}, tree", "table", {"learner": "tree", "space": TREE, "plan": plan}, repeats))
    for number, rule in enumerate(BY_RUNGS):
        plan = {
            "strategy": "random",
            "early stopping": rule,
            "trials": 9,
            "workers": 1 + number % 2,
            "seed": number,
            "stopping": {},
        }
        body = {"learner": "network", "space": NETWORK, "plan": plan}
        # A fit that is cut on its way is cut when the word comes: how far it came then is a matter of the moment.
        repeats = plan["workers"] == 1 and rule not in ("plateau", "median rule")
        found.append(Piece(f"random, {rule}, network", "table", body, repeats))
    for rule in ("asynchronous halving", "none"):
        plan = {"strategy": "random", "early stopping": rule, "trials": 6, "workers": 2, "seed": 5}
        found.append(Piece(f"random, {rule}, program", "program", {"space": SPACE, "plan": plan}, rule == "none"))
    plan = {"strategy": "random", "trials": 8, "workers": 2, "seed": 6}
    found.append(Piece("random, function", "function", {"space": "x: 0 .. 1", "plan": plan}, True))
    found.append(Piece("random, outside loop", "outside", {"space": "x: 0 .. 1", "plan": {**plan, "trials": 12}}, True))
    found.append(
        Piece("grid, tree", "table", {"learner": "tree", "space": GRID, "plan": {"strategy": "grid", "workers": 2}}, False)
    )
    plan = {"strategy": "population training", "strategy settings": {"members": 4, "interval": 4}, "workers": 2, "seed": 3}
    found.append(Piece("population training, network", "table", {"learner": "network", "space": MEMBERS, "plan": plan}, False))
    return found


def problems(server: Server, folder: Path) -> dict[str, int]:
    """One problem of each kind, framed through the server."""
    csv = write_csv(folder / "mixed.csv", mixed_columns()).read_bytes()
    data = _made(server, "/data?name=mixed.csv", csv)
    (folder / "function.py").write_text(FUNCTION)
    brief = {
        "data": data["hash"],
        "target": "label",
        "metric": "average precision",
        "ignore": ["amount"],
        "folds": "4 stratified",
        "seed": 4,
    }
    routes = {
        "runs": COMMAND.split(), "folder": str(FOLDER), "judged by": {"score": "in_time"}, "folds": 2,
        "grows": {"what": "epochs", "most": 4, "goes on": True},
    }  # fmt: skip
    function = {"function": "function.py:train", "folder": str(folder), "judged by": {"score": "score"}, "folds": 2}
    outside = {"outside": True, "judged by": {"score": "score"}, "folds": 2}
    return {
        "table": _made(server, "/problems", brief)["id"],
        "program": _made(server, "/own-code/problems", {"brief": routes, "space": SPACE})["id"],
        "function": _made(server, "/own-code/problems", {"brief": function, "space": "x: 0 .. 1"})["id"],
        "outside": _made(server, "/own-code/problems", {"brief": outside, "space": "x: 0 .. 1"})["id"],
    }


def _made(server: Server, path: str, body: Any) -> Any:
    status, found = server.call("POST", f"/api/v1{path}", body)
    if status != 201:
        raise AssertionError(f"{path}: {found}")
    return found


class Holder(threading.Thread):
    """Somebody's own loop: takes fits of a search, loses some of them, and answers for the others."""

    def __init__(self, server: Any, search: int, seed: int) -> None:
        super().__init__(daemon=True)
        self._server, self._search, self._rng = server, search, random.Random(seed)
        self.ended = threading.Event()

    def run(self) -> None:
        lost = set[tuple[int, int]]()
        while not self.ended.wait(0.05):
            try:
                status, found = self._server().call("POST", f"/api/v1/searches/{self._search}/leases", {"seconds": 3})
                if status != 201:
                    continue
                for lease in found["fits"]:
                    key = (lease["trial"], lease["fold"])
                    if key not in lost and self._rng.random() < 0.1:
                        lost.add(key)  # its machine died
                        continue
                    score = 1 - (lease["settings"]["x"] - 0.4) ** 2 + 0.01 * lease["fold"]
                    self._server().call("PUT", f"/api/v1/leases/{lease['id']}/outcome", {"score": score})
            except (
                OSError,
                ValueError,
                http.client.HTTPException,
            ):  # the server is being started again, or was killed amid its answer
                continue
