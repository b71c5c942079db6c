"""What the trials of a search say: asked for, computed in its own process, known the next time, told in sentences."""

from __future__ import annotations

import ast
from pathlib import Path

import pytest

import pellux.core.evidence.findings as kinds
from pellux.core.errors import Conflict
from pellux.service.engine.engine import Engine
from pellux.service.evidence.evidence import ask_evidence, ask_surface
from pellux.service.evidence.measuring import measure_path
from pellux.service.evidence.schemas import EvidenceView, SurfaceRequest
from pellux.service.evidence.sentences import SENTENCES, said
from pellux.service.evidence.spending import spending
from pellux.service.searches.baselines import BaselinesRequest, score_baselines
from pellux.store import runs
from tests.service.test_searches import launch, problem, until


def evidence(engine: Engine, search: int) -> EvidenceView:
    found: EvidenceView = until(lambda: (view := ask_evidence(engine, search)).state != "running" and view)
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
    # A later search's trials that lie in this space count here, too.
    more = launch(engine, problem_id, space="depth: 2 .. 6 int", trials=5, seed=5)
    assert engine.join(more, 60)
    again = evidence(engine, search)
    assert again.trials > found.trials
    side = spending(engine.workspace, problem_id)
    assert [one.search_id for one in side.searches] == [search, more]
    first = side.searches[0]
    assert (first.trials, first.fits) == (14, 70)
    assert first.rises[-1][:2] == [14, 70]
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


def test_every_finding_has_a_sentence() -> None:
    codes = set()
    for file in Path(kinds.__file__).parent.glob("*.py"):
        for node in ast.walk(ast.parse(file.read_text())):
            if isinstance(node, ast.Call) and getattr(node.func, "id", "") == "Finding":
                assert isinstance(node.args[0], ast.Constant)
                codes.add(node.args[0].value)
    assert codes == set(SENTENCES)
    assert said("of tomorrow", {"trials": 3}) == "of tomorrow (trials 3)"
