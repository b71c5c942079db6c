"""The demo's second problem of own code: a made-up function whose search has something to be found in it."""

from __future__ import annotations

import time
from pathlib import Path

from pellux.service.engine.engine import Engine
from pellux.service.evidence.faceoff_schemas import EntrantRequest, FaceOffRequest
from pellux.service.evidence.faceoffs import begin, get
from pellux.service.evidence.reports import problem_of
from pellux.service.planning.code_requests import CodeBriefRequest, JudgedBy, RecordedMetric
from pellux.service.planning.launching import launch
from pellux.service.planning.requests import SearchRequest, SettingsRequest
from pellux.service.problems.code_problems import create_code_problem
from pellux.service.problems.problems import label_problem

FOLDER = Path(__file__).parent / "pre_cooling"
COOLING = "Pre-cooling: what does a cold trailer cost?"
COOLING_TRIALS = 80
FACE_OFF_TRIALS, FACE_OFF_REPEATS = 16, 6
SPACE = """\
lead:    10 .. 60                          # minutes ahead of the load
fan:     0.1 .. 1 log                      # share of the fans' full speed
ramp:    3 .. 60 log                       # minutes in which the compressor comes up
setback: 0 .. 6                            # degrees above the set point while nothing is loaded
lamp:    0 .. 1                            # brightness of the lamp at the door
mode:    steady | pulse | boost            # how the compressor runs
pulse_minutes: 1 .. 20 int if mode == pulse  # length of a pulse
"""


def add_cooling(engine: Engine) -> int:
    """Frame the problem and launch its search, spread evenly so that it says something of the whole space; the search's id."""
    brief = CodeBriefRequest(
        name=COOLING, function="cool_down.py:cool_down", folder=str(FOLDER), judged_by=JudgedBy(score="kwh", larger_is_better=False),
        recorded=[RecordedMetric(score="in_time")], folds=3,
    )  # fmt: skip
    problem = create_code_problem(engine.workspace, brief, SPACE)
    label_problem(engine.workspace, problem, None, ["own code", "cold chain"])
    plan = SettingsRequest(strategy="even spread", trials=COOLING_TRIALS, seed=6)
    return launch(engine, problem, SearchRequest(space=SPACE, plan=plan))


def face_off(engine: Engine, search_id: int) -> int:
    """Random draws and a Gaussian process set against each other over the same space; the face-off's id once it has ended."""
    problem = problem_of(engine.workspace, search_id)
    entrants = [EntrantRequest(strategy="random"), EntrantRequest(strategy="gaussian process")]
    asked = FaceOffRequest(
        search=search_id, entrants=entrants, amount=FACE_OFF_TRIALS, repeats=FACE_OFF_REPEATS, seed=3, mode="replayed"
    )  # fmt: skip
    made = begin(engine, problem, asked)
    while get(engine.workspace, made).state == "running":
        time.sleep(0.1)
    return made
