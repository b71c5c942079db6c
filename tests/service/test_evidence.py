"""What the trials of a search say: asked for, computed in its own process, known the next time, told in sentences."""

from __future__ import annotations

import ast
from pathlib import Path

import pytest

import pellux.core.evidence.findings as kinds
from pellux.core.errors import Conflict, InvalidPlan
from pellux.core.reasons import Reason
from pellux.core.space import parse
from pellux.service.engine.engine import Engine
from pellux.service.evidence.evidence import ask_evidence, ask_surface
from pellux.service.evidence.gathering import _gains, _rungs, _Turned
from pellux.service.evidence.measuring import measure_path
from pellux.service.evidence.schemas import EvidenceView, SurfaceRequest
from pellux.service.evidence.sentences import SENTENCES, said
from pellux.service.evidence.spending import spending
from pellux.service.searches.baselines import BaselinesRequest, score_baselines
from pellux.store import runs
from pellux.store.records import Trial
from tests.service.test_searches import launch, problem
from tests.waiting import until


def evidence(engine: Engine, search: int) -> EvidenceView:
    found = until(lambda: (view := ask_evidence(engine, search)).state != "running" and view)
    assert (found.state, found.message) == ("done", "")
    return found


@pytest.mark.slow
def test_settings_are_weighed_once_for_as_many_trials(engine: Engine, tmp_path: Path) -> None:
    problem_id = problem(engine, tmp_path)
    search = launch(engine, problem_id, space="depth: 1 .. 8 int\nbalance: yes | no", trials=14, strategy="even spread")
    assert engine.join(search, 90)
    found = evidence(engine, search)
    assert found.trials >= 12
    assert {one.name for one in found.singles} == {"depth", "balance"}
    assert all(0 <= s.low <= s.share <= s.high <= 1 for one in found.singles for s in (one.alone, one.total, one.among_good))
    assert ask_evidence(engine, search) == found, "it is known now"
    depth = next(curve for curve in found.curves if curve.name == "depth")
    assert depth.values == list(range(1, 9))
    assert all(
        low <= mean <= high for low, mean, high in zip(depth.average.low, depth.average.mean, depth.average.high, strict=True)
    )
    assert found.noise is not None
    assert found.noise.trials >= 12
    over = until(
        lambda: (v := ask_surface(engine, search, SurfaceRequest(across="depth", down="balance"))).state != "running" and v
    )
    assert over.surface is not None
    assert (len(over.surface.mean), len(over.surface.mean[0]), over.state) == (2, 8, "done")
    assert {tuple(p.at) for p in over.surface.points}
    with pytest.raises(InvalidPlan, match="lies along a side already"):
        ask_surface(engine, search, SurfaceRequest(across="depth", down="balance", by="depth"))
    # A later search's trials that lie in this space count here, too.
    more = launch(engine, problem_id, space="depth: 2 .. 6 int", trials=5, seed=5)
    assert engine.join(more, 60)
    again = evidence(engine, search)
    assert again.trials > found.trials
    side = spending(engine.workspace, problem_id)
    assert [one.search_id for one in side.searches] == [search, more]
    first = side.searches[0]
    assert (first.trials, first.fits) == (14, 42)
    assert first.rises[-1][:2] == [14, 42]
    assert first.rises[-1][3] == first.best
    measured = measure_path(engine, search) if any(s.measured is None for s in again.path) else None
    if measured is not None:
        assert engine.join(measured, 60)
        assert all(step.measured is not None for step in evidence(engine, search).path)
    with pytest.raises(Conflict, match="measured already|no way to the best"):
        measure_path(engine, search)


def test_a_run_without_a_space_is_refused_in_a_sentence(engine: Engine, tmp_path: Path) -> None:
    problem_id = problem(engine, tmp_path)
    score_baselines(engine, problem_id, BaselinesRequest(learners=["tree"]))
    with engine.workspace.database.read() as session:
        [run] = runs.searches_of(session, problem_id, kinds=[runs.BASELINES])
    with pytest.raises(Conflict, match="has no space of its own"):
        ask_evidence(engine, run.id)
    assert engine.join(run.id, 60)


def trial(number: int, rung: int, mean: float, parent: int | None, results: dict[str, list[float | None]] | None = None) -> Trial:
    return Trial(
        id=100 + number, search_id=1, number=number, origin="proposed", state="scored", reason=Reason(), configuration={"x": 0.5}, scores=[mean],
        mean=mean, standard_error=None, rank_score=mean, seconds=1.0, seen=0, pending=0, created_at=0.0, ended_at=1.0, note="", tags=[],
        shortlisted=False, learner="", source_id=None, bracket=0, cohort=0, rung=rung, results=results or {}, best_iteration=None, parent=parent,
        share=1.0, goal=None, measured=None, keeps=None,
    )  # fmt: skip


def test_trials_that_go_on_from_others_are_weighed_by_what_they_gained_themselves() -> None:
    turn = _Turned(parse("x: 0 .. 1"), {}, -1)  # smaller is better
    first, second = trial(1, 0, 5.0, None), trial(2, 0, 7.0, None)
    later = [trial(3, 1, 4.0, 1), trial(4, 1, 3.0, 2), trial(5, 1, 6.5, 2)]
    found = {t.id: t.mean for t in _gains(turn, [first, second, *later])}
    # Gains in the second interval are 1, 4 and 0.5, of which the median is 1; the first scores are told from each other.
    assert found == {101: 1.0, 102: -1.0, 103: 0.0, 104: 3.0, 105: -0.5}


def test_early_looks_are_set_beside_the_last_ones() -> None:
    turn = _Turned(parse("x: 0 .. 1"), {}, 1)
    climbed = [trial(n, 1, n / 10, None, {"0": [n / 20, n / 20], "1": [n / 10, n / 10]}) for n in range(1, 7)]
    stayed = [trial(9, 0, 0.1, None, {"0": [0.9, 0.9]})]
    [(rung, early, late)] = _rungs(turn, [*climbed, *stayed])
    assert rung == 0
    assert late == pytest.approx([2 * e for e in early])
    assert len(early) == 6


def test_every_finding_has_a_sentence() -> None:
    codes = set()
    for file in Path(kinds.__file__).parent.glob("*.py"):
        for node in ast.walk(ast.parse(file.read_text())):
            if isinstance(node, ast.Call) and getattr(node.func, "id", "") == "Finding":
                assert isinstance(node.args[0], ast.Constant)
                codes.add(node.args[0].value)
    assert codes == set(SENTENCES)
    assert said("of tomorrow", {"trials": 3}) == "of tomorrow (trials 3)"
