"""The demo workspace: three problems about tables and two of own code, finished searches with and without early stopping, and one that starts with the demo."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

from pellux.core.errors import Conflict
from pellux.demo.cooling import FOLDER as PRE_COOLING
from pellux.demo.cooling import add_cooling, face_off
from pellux.demo.generator import FOLDER
from pellux.demo.routes import FOLDER as ROUTE_PLANNER
from pellux.demo.routes import add_routes
from pellux.service.engine.engine import Engine
from pellux.service.planning.launching import launch
from pellux.service.planning.requests import BriefRequest, SearchRequest, SettingsRequest
from pellux.service.problems.datasets import import_file
from pellux.service.problems.problems import create_problem, label_problem, list_problems
from pellux.service.searches.baselines import BaselinesRequest, await_baselines, score_baselines
from pellux.service.searches.searches import list_searches
from pellux.service.workspace import Workspace

WARM = "Warm arrivals: will a load arrive too warm?"
ENERGY = "Energy per trip: how many kWh?"
SOUND = "Compressor sound: what is wrong with it?"
CODE = (ROUTE_PLANNER, PRE_COOLING)  # folders whose code runs without being asked about
QUICK = ["tree", "boosting"]
FIRST_TRIALS, RACE_TRIALS, WEIGHED_TRIALS, LIMITED_TRIALS, SOUND_TRIALS, LIVE_TRIALS = 30, 24, 20, 16, 40, 120
FIRST_SPACE = """\
rate:     0.01 .. 0.3 log
rounds:   40 .. 200 int log
leaves:   4 .. 64 int log
min_leaf: 5 .. 120 int log
balance:  yes | no
"""
LIMITED_SPACE = """\
trees:    8 .. 160 int log
depth:    3 .. 20 int
min_leaf: 1 .. 60 int log
features: 0.2 .. 1
"""
FAST = "predict ms <= 12"  # of a forest: about a half of that space keeps it
SOUND_SPACE = """\
rate:       1e-4 .. 0.1 log
width:      8 .. 128 int log
layers:     1 .. 3 int
pull:       1e-6 .. 1 log
batch:      48 .. 256 int log
activation: relu | tanh | logistic
epochs:     27
"""
LIVE_SPACE = """\
rate:     0.02 .. 0.2 log
rounds:   60 .. 400 int log
leaves:   4 .. 48 int log
min_leaf: 5 .. 200 int log
pull:     1e-3 .. 100 log
features: 0.2 .. 1
"""


def furnish(folder: Path, say: Callable[[str], None]) -> bool:
    """Make the demo workspace if it is not there; True when it was made now."""
    workspace = Workspace(folder, allowed=CODE)
    try:
        if list_problems(workspace):
            return False
        workspace.hold_engine()
        say("Preparing the demo: importing the data and running a first search (about a minute) …")
        engine = Engine(workspace)
        energy, warm = _energy(workspace), _warm(workspace)
        for problem, first_look in ((energy, ["ridge", *QUICK]), (warm, ["logistic", *QUICK])):
            score_baselines(engine, problem, BaselinesRequest(learners=first_look))
            await_baselines(engine, problem)
        plan = SettingsRequest(strategy="random", trials=FIRST_TRIALS, seed=3)
        engine.join(launch(engine, warm, SearchRequest(learner="boosting", space=FIRST_SPACE, plan=plan)))
        say("… a fold race on the same problem …")
        race = SettingsRequest(strategy="random", trials=RACE_TRIALS, seed=5, early_stopping="fold race")
        engine.join(launch(engine, warm, SearchRequest(learner="boosting", space=FIRST_SPACE, plan=race)))
        say("… a forest whose score is weighed against its speed …")
        both = SettingsRequest(strategy="gaussian process", trials=WEIGHED_TRIALS, seed=8, against=["predict ms"])
        engine.join(launch(engine, warm, SearchRequest(learner="forest", space=LIMITED_SPACE, plan=both)))
        say("… and one that has to predict quickly …")
        quick = SettingsRequest(strategy="gaussian process", trials=LIMITED_TRIALS, seed=8, limits=[FAST])
        engine.join(launch(engine, warm, SearchRequest(learner="forest", space=LIMITED_SPACE, plan=quick)))
        say("… and asynchronous halving on a third, a small network …")
        engine.join(launch(engine, _sound(workspace), SearchRequest(learner="network", space=SOUND_SPACE, plan=_halving())))
        say("… and the same on somebody's own training program …")
        engine.join(add_routes(engine))
        say("… and a function whose search has something to be found in it …")
        cooling = add_cooling(engine)
        engine.join(cooling)
        say("… and two ways to search it, set against each other …")
        face_off(engine, cooling)
        engine.close()
        return True
    finally:
        workspace.close()


def lay_out(engine: Engine) -> list[int]:
    """The tables' problems in a workspace that has none yet, with searches that run while they are looked at; the problems' ids.

    Nothing waits for anything here: baselines and searches take their turn with the workers.
    """
    workspace = engine.workspace
    if list_problems(workspace):
        raise Conflict("The demo is laid out in an empty workspace, and this one has problems. Run: pellux demo")
    energy, sound, warm = _energy(workspace), _sound(workspace), _warm(workspace)
    for problem, first_look in ((warm, ["logistic", *QUICK]), (energy, ["ridge", *QUICK])):
        score_baselines(engine, problem, BaselinesRequest(learners=first_look))
    launch(engine, warm, SearchRequest(learner="boosting", space=FIRST_SPACE, plan=SettingsRequest(trials=FIRST_TRIALS, seed=3)))
    launch(engine, sound, SearchRequest(learner="network", space=SOUND_SPACE, plan=_halving()))
    return [energy, sound, warm]


def _halving() -> SettingsRequest:
    stopping: dict[str, Any] = {"least": 3}
    return SettingsRequest(
        strategy="automatic", trials=SOUND_TRIALS, seed=4, early_stopping="asynchronous halving", stopping=stopping
    )


def _energy(workspace: Workspace) -> int:
    data = import_file(workspace, FOLDER / "energy_per_trip.csv")
    # A trip by a unit that was never seen is what counts: all trips of a unit lie in one fold.
    brief = BriefRequest(
        data=data.hash, target="energy_kwh", name=ENERGY, metric="RMSE", recorded=["MAE", "R2"], seed=7, group="unit_id",
        folds="5 grouped",
    )  # fmt: skip
    return _labelled(workspace, create_problem(workspace, brief), "regression", "fresh")


def _warm(workspace: Workspace) -> int:
    data = import_file(workspace, FOLDER / "warm_arrivals.csv")
    brief = BriefRequest(
        data=data.hash, target="arrived_warm", name=WARM, metric="average precision", folds="5 stratified", holdout="20 %", seed=7,
        ignore=["unit_id", "departed_on"], recorded=["ROC AUC", "log loss"],
    )  # fmt: skip
    return _labelled(workspace, create_problem(workspace, brief), "classification", "cold chain")


def _sound(workspace: Workspace) -> int:
    data = import_file(workspace, FOLDER / "compressor_sound.csv")
    brief = BriefRequest(
        data=data.hash, target="fault", name=SOUND, metric="macro F1", folds="3 stratified", holdout="20 %", seed=7
    )
    return _labelled(workspace, create_problem(workspace, brief), "classification", "sound")


def _labelled(workspace: Workspace, problem: int, *tags: str) -> int:
    label_problem(workspace, problem, None, list(tags))
    return problem


def start_live(engine: Engine) -> None:
    """Start the search that runs while the demo is looked at, unless one is running already."""
    problem = next((p for p in list_problems(engine.workspace) if p.name == WARM), None)
    if problem is None or problem.running:
        return
    seed = 11 + len(list_searches(engine, problem.id))
    plan = SettingsRequest(trials=LIVE_TRIALS, seed=seed, warm_start="all", early_stopping="automatic")
    launch(engine, problem.id, SearchRequest(learner="boosting", space=LIVE_SPACE, plan=plan))
