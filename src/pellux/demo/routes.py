"""The demo's problem of own code: a made-up training program, left as somebody wrote it."""

from __future__ import annotations

from pathlib import Path

from pellux.service.engine.engine import Engine
from pellux.service.planning.code_requests import CodeBriefRequest, GrowsRequest, JudgedBy, RecordedMetric
from pellux.service.planning.launching import launch
from pellux.service.planning.requests import SearchRequest, SettingsRequest
from pellux.service.problems.code_problems import create_code_problem
from pellux.service.problems.problems import label_problem

FOLDER = Path(__file__).parent / "route_planner"
ROUTES = "Route planner: in which order to deliver?"
ROUTE_TRIALS = 27
EPOCHS = 27
COMMAND = (
    "python plan_routes.py --rate {rate} --width {width} --heat {heat} --pull {pull} --calm {calm} "
    "--epochs {level} --fold {fold} --seed {seed} --out {folder}"
)
SPACE = """\
rate:  1e-3 .. 1 log, start 0.02      # how far one batch moves the weights
width: 4 .. 64 int log, start 16      # hidden units of the network
heat:  0.2 .. 3 log, start 1          # how freely it tries other orders while it learns
pull:  1e-5 .. 0.1 log, start 1e-3    # weight decay
calm:  0 .. 0.99, start 0.9           # share of the old in the usual worth
"""


def add_routes(engine: Engine) -> int:
    """Frame the problem and launch its search; the search's id."""
    brief = CodeBriefRequest(
        name=ROUTES, runs=COMMAND.split(), folder=str(FOLDER), judged_by=JudgedBy(score="in_time"),
        recorded=[RecordedMetric(score="hours", larger_is_better=False)], folds=3, final=True,
        grows=GrowsRequest(what="epochs", most=EPOCHS, goes_on=True, may_change=["rate", "heat", "pull"]),
    )  # fmt: skip
    problem = create_code_problem(engine.workspace, brief, SPACE)
    label_problem(engine.workspace, problem, None, ["own code", "routes"])
    plan = SettingsRequest(trials=ROUTE_TRIALS, seed=2, early_stopping="asynchronous halving", stopping={"least": 1})
    return launch(engine, problem, SearchRequest(space=SPACE, plan=plan))
