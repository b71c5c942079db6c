"""What fits hold: no device is two fits' at once, also between searches; no more fits than fit in; each sees only its own."""

from __future__ import annotations

from collections import Counter
from contextlib import closing
from pathlib import Path

import pytest

from pellux.core.errors import Conflict, InvalidPlan
from pellux.engine.devices import DevicePool
from pellux.service.engine.engine import Engine
from pellux.service.planning.code_requests import CodeBriefRequest
from pellux.service.planning.launching import launch
from pellux.service.planning.rehearsals import rehearse
from pellux.service.planning.requests import SearchRequest, checked
from pellux.service.problems.code_problems import create_code_problem
from pellux.service.searches.searches import search_view, set_workers
from pellux.service.searches.trials import lanes
from pellux.service.workspace import Workspace

PROGRAM = """
import os, sys, time
held = os.environ["CUDA_VISIBLE_DEVICES"]
log = os.open("held.txt", os.O_WRONLY | os.O_CREAT | os.O_APPEND)
os.write(log, f"+ {held}\\n".encode())
time.sleep(0.05)
os.write(log, f"- {held}\\n".encode())
print(float(sys.argv[1]))
"""


def test_devices_are_handed_out_once_and_come_back_in_order() -> None:
    pool = DevicePool(["0", "1", "2"])
    one, two = pool.take(2), pool.take(1)
    assert (one, two, pool.take(1), pool.take(0)) == (("0", "1"), ("2",), None, ())
    pool.give(two or ())
    pool.give(one or ())
    assert pool.take(3) == ("0", "1", "2")


@pytest.mark.slow
def test_no_device_is_shared_between_fits_of_two_searches(tmp_path: Path) -> None:
    (tmp_path / "train.py").write_text(PROGRAM)
    workspace = Workspace(tmp_path / "w", allowed=[tmp_path], devices=["a", "b", "c"])
    with closing(workspace), closing(Engine(workspace)) as engine:
        brief = {"runs": "python train.py {x}", "judged by": {"score": "s"}, "holds": {"devices": 1}, "folds": 2}
        problem = create_code_problem(workspace, checked(CodeBriefRequest, brief))
        plan = {"strategy": "random", "trials": 6}
        with pytest.raises(InvalidPlan, match=r"9 workers of 1 devices each do not fit into this machine; \d do"):
            launch(engine, problem, checked(SearchRequest, {"space": "x: 0 .. 1", "plan": {**plan, "workers": 9}}))
        searches = [
            launch(engine, problem, checked(SearchRequest, {"space": "x: 0 .. 1", "plan": {**plan, "seed": seed}}))
            for seed in (1, 2)
        ]
        with pytest.raises(InvalidPlan, match="do not fit"):
            set_workers(engine, searches[0], 200)
        for search in searches:
            assert engine.join(search, 90)
            assert search_view(engine, search).trials.failed == 0
        shown = {held.devices[0] for search in searches for held in lanes(workspace, search).devices}
    held: Counter[str] = Counter()
    for line in (tmp_path / "held.txt").read_text().splitlines():
        sign, device = line.split()
        held[device] += 1 if sign == "+" else -1
        assert held[device] in (0, 1), f"{device} was two fits'"
    assert shown <= set(held) <= {"a", "b", "c"}
    assert len(held) > 1


def test_more_than_there_is_is_refused(tmp_path: Path) -> None:
    (tmp_path / "train.py").write_text(PROGRAM)
    workspace = Workspace(tmp_path / "w", allowed=[tmp_path], devices=["a"])
    with closing(workspace), closing(Engine(workspace)) as engine:
        brief = {"runs": "python train.py {x}", "judged by": {"score": "s"}, "holds": {"devices": 2}}
        problem = create_code_problem(workspace, checked(CodeBriefRequest, brief))
        with pytest.raises(InvalidPlan, match="A fit holds 2 devices, and 1 are known here"):
            launch(engine, problem, checked(SearchRequest, {"space": "x: 0 .. 1", "plan": {"trials": 2}}))


@pytest.mark.slow
def test_a_rehearsal_knows_inactive_settings_and_holds_its_device(tmp_path: Path) -> None:
    program = "import os, sys\nassert os.environ['CUDA_VISIBLE_DEVICES'] == 'a'\nprint(len(sys.argv))\n"
    (tmp_path / "train.py").write_text(program)
    workspace = Workspace(tmp_path / "w", allowed=[tmp_path], devices=["a"])
    with closing(workspace):
        brief = {"runs": "python train.py {kind} --depth {depth}", "judged by": {"score": "s"}, "holds": {"devices": 1}}
        problem = create_code_problem(workspace, checked(CodeBriefRequest, brief))
        space = "kind: flat | deep, start flat\ndepth: 1 .. 4 int if kind == deep"
        fits = rehearse(workspace, problem, checked(SearchRequest, {"space": space, "plan": {"trials": 3, "strategy": "random"}}))
        assert {fit.state for fit in fits} == {"done"}, fits
        assert fits[0].score == 2, "a setting that is not active takes its flag along"
        outside = create_code_problem(workspace, checked(CodeBriefRequest, {"outside": True, "judged by": {"score": "s"}}))
        with pytest.raises(Conflict, match="nothing to rehearse"):
            rehearse(workspace, outside, checked(SearchRequest, {"space": "x: 0 .. 1"}))
