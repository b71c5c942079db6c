"""Face-offs: fitted run after run through pauses and the engine's end, replayed in a process of its own, refused in a sentence."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from scipy.spatial.distance import cdist

from pellux.core.errors import Conflict, InvalidPlan, NotFound
from pellux.core.evidence.findings import Tried
from pellux.core.evidence.reading import read
from pellux.core.space import parse
from pellux.engine.states import IllegalTransition
from pellux.service.engine.engine import Engine
from pellux.service.evidence import faceoffs
from pellux.service.evidence.faceoff_schemas import EntrantRequest, FaceOffRequest, FaceOffView
from pellux.service.evidence.gathered import Gathered
from pellux.service.evidence.replaying import _World as World
from pellux.service.evidence.standings import as_csv, export_faceoff, faceoff_view, list_faceoffs
from pellux.service.planning.requests import SearchRequest
from pellux.service.searches.searches import list_searches
from pellux.service.workspace import Workspace
from tests.service.test_searches import launch, problem
from tests.waiting import until

pytestmark = pytest.mark.slow
SPACE = "depth: 1 .. 8 int\nmin_leaf: 1 .. 40 int log"


def entrants(*names: str) -> list[EntrantRequest]:
    return [EntrantRequest(strategy=name.partition("+")[0], early_stopping=name.partition("+")[2] or "none") for name in names]


def ended(engine: Engine, made: int, seconds: float = 90) -> FaceOffView:
    return until(lambda: (view := faceoff_view(engine, made)).state not in ("running", "paused") and view, seconds)


def base(engine: Engine, tmp_path: Path, trials: int = 2) -> tuple[int, int]:
    problem_id = problem(engine, tmp_path)
    search = launch(engine, problem_id, space=SPACE, trials=trials, strategy="even spread")
    assert engine.join(search, 90)
    return problem_id, search


def test_runs_take_turns_through_a_pause_and_the_engines_end(engine: Engine, tmp_path: Path) -> None:
    problem_id, search = base(engine, tmp_path)
    before = [s.id for s in list_searches(engine, problem_id)]
    asked = FaceOffRequest(search=search, entrants=entrants("random", "even spread", "random+fold race"), amount=3, repeats=2)
    made = faceoffs.begin(engine, problem_id, asked)
    until(lambda: faceoff_view(engine, made).done >= 1)
    faceoffs.set_state(engine, made, "paused")
    with pytest.raises(IllegalTransition, match="paused"):
        faceoffs.set_state(engine, made, "paused")
    held = faceoff_view(engine, made)
    assert held.state == "paused"
    faceoffs.set_state(engine, made, "running")
    until(lambda: faceoff_view(engine, made).done >= 2)
    engine.close()
    again = Engine(Workspace(engine.workspace.folder))
    try:
        again.take_up()
        faceoffs.take_up(again)
        found = ended(again, made)
        assert (found.state, found.done, found.planned, found.running) == ("done", 6, 6, None)
        assert [s.done for s in found.standings] == [2, 2, 2]
        assert all(len(s.finals) == 2 and 0 < s.finals[0] <= 1 for s in found.standings)
        assert found.sentence.endswith("with 2 of the 6 repeats that it takes at least, that cannot be told from luck.")
        rows = export_faceoff(again.workspace, made)
        assert {row["entrant"] for row in rows} == {"Random", "Even spread", "Random with fold race"}
        assert len(as_csv(rows).splitlines()) == len(rows) + 1
        # Its runs are no searches of the problem: nothing of them is chosen from, learnt from or counted.
        assert [s.id for s in list_searches(again, problem_id)] == before
        assert [view.id for view in list_faceoffs(again, problem_id)] == [made]
        # The same seeds give the same trials: a second one ends as the first did.
        twin = ended(again, faceoffs.begin(again, problem_id, asked.model_copy(update={"entrants": asked.entrants[:2]})))
        assert [s.finals for s in twin.standings] == [s.finals for s in found.standings[:2]]
    finally:
        again.close()
        again.workspace.close()


def test_a_budget_of_fits_ends_a_run_and_a_stop_ends_all(engine: Engine, tmp_path: Path) -> None:
    problem_id, search = base(engine, tmp_path)
    asked = FaceOffRequest(search=search, entrants=entrants("random", "even spread"), budget="fits", amount=10, repeats=1)
    found = ended(engine, faceoffs.begin(engine, problem_id, asked))
    assert found.done == 2
    rows = export_faceoff(engine.workspace, found.id)
    assert all(2 <= sum(row["entrant"] == name for row in rows) <= 60 for name in ("Random", "Even spread"))
    made = faceoffs.begin(engine, problem_id, asked.model_copy(update={"amount": 50_000}))
    until(lambda: faceoff_view(engine, made).running is not None)
    faceoffs.set_state(engine, made, "stopped")
    assert ended(engine, made).state == "stopped"
    with pytest.raises(IllegalTransition, match="stopped"):
        faceoffs.set_state(engine, made, "running")


def test_replayed_it_is_there_at_once_and_the_same_twice(engine: Engine, tmp_path: Path) -> None:
    problem_id, search = base(engine, tmp_path, trials=14)
    asked = FaceOffRequest(
        search=search, entrants=entrants("random", "parzen density", "random+fold race"), amount=12, repeats=5, mode="replayed"
    )
    one, two = (ended(engine, faceoffs.begin(engine, problem_id, asked)) for _ in range(2))
    assert (one.state, one.message, one.done, one.mode) == ("done", "", 15, "replayed")
    assert [s.finals for s in one.standings] == [s.finals for s in two.standings]
    assert one.sentence.endswith("Scores are a model's, not measured.")
    assert one.standings[2].by_seconds.at[-1] == one.standings[0].by_seconds.at[-1]
    with pytest.raises(Conflict, match="not steered"):
        faceoffs.set_state(engine, one.id, "paused")


def test_luck_in_a_replay_has_a_place_and_folds_scatter_about_it() -> None:
    rng, space = np.random.default_rng(2), parse("x: 0 .. 1\ny: 0 .. 1")
    tried = []
    for number in range(60):
        c = space.decode(rng.random(2))
        mean = float(np.sin(3 * float(c["x"]))) + 0.2 * rng.standard_normal()
        apart = 0.1 * rng.standard_normal(5)
        tried.append(Tried(number, c, mean, tuple(mean + 0.3 * np.arange(5) + apart - apart.mean()), 5.0))
    scores = np.array([t.mean for t in tried])
    reading = read(space, [t.configuration for t in tried], scores, rng)
    assert reading is not None
    whole = tuple(t.scores for t in tried)
    known = Gathered("x: 0 .. 1\ny: 0 .. 1", -1, 0, "scores", tuple(tried), whole, 0.25, (), {}, None, {})  # type: ignore[arg-type]
    world = World(known, reading, 5)

    def folds(x: float, y: float = 0.5, seed: int = 0) -> np.ndarray:
        return np.array([world.score({"x": x, "y": y}, fold, seed) for fold in range(5)])

    assert folds(0.3).tolist() == folds(0.3).tolist()
    assert -np.diff(np.mean([folds(x) for x in np.linspace(0, 1, 200)], 0)) == pytest.approx([0.3] * 4, abs=0.05), (
        "smaller is better"
    )
    grid = np.random.default_rng(3).uniform(0.1, 0.9, (2000, 2))
    x, y = grid[cdist(grid, reading.known).min(1).argmax()]  # where nothing was tried
    far = (x + 0.5) % 1
    means = np.array([[folds(at, y, seed).mean() for at in (x, x + 0.002, far)] for seed in range(200)])
    assert means[:, 0].std() == pytest.approx(world.luck, rel=0.25), "another world for each repeat"
    assert 0.1 < world.luck < 0.3
    assert (means[:, 0] - means[:, 1]).std() < 0.1 * world.luck, "next door nobody is luckier"
    assert (means[:, 0] - means[:, 2]).std() > world.luck, "far away one is"
    again = [np.mean([world.score(t.configuration, fold, 7) for fold in range(5)]) for t in tried]
    assert np.std(np.array(again) + scores) < 0.05 * world.luck, "what was fitted scores what it scored"
    rest = np.array([folds(0.3, 0.5, seed) for seed in range(200)])
    rest = rest - rest.mean(1, keepdims=True) - (rest.mean(0) - rest.mean())
    assert rest.std() == pytest.approx(0.1 * np.sqrt(4 / 5), rel=0.15), "what fold races go by"


def test_what_cannot_be_set_against_each_other_is_refused(engine: Engine, tmp_path: Path) -> None:
    problem_id, search = base(engine, tmp_path)
    for wrong, words in (
        (entrants("random", "random"), "the same"),
        (entrants("random", "nothing"), "unknown"),
        (entrants("random", "population training"), "budget of its own"),
    ):
        with pytest.raises(InvalidPlan, match=words):
            faceoffs.begin(engine, problem_id, FaceOffRequest(search=search, entrants=wrong))
    with pytest.raises(InvalidPlan, match="works on rows"):
        faceoffs.begin(
            engine,
            problem_id,
            FaceOffRequest(search=search, entrants=entrants("random", "random+asynchronous halving"), mode="replayed"),
        )
    with pytest.raises(NotFound):
        faceoffs.get(engine.workspace, 999)
    too_few = ended(
        engine,
        faceoffs.begin(engine, problem_id, FaceOffRequest(search=search, entrants=entrants("random", "grid"), mode="replayed")),
    )
    assert too_few.state == "failed"
    assert "Too few trials" in too_few.message


def test_it_is_over_one_search_that_was_run_or_need_not_be(engine: Engine, tmp_path: Path) -> None:
    problem_id, search = base(engine, tmp_path)
    over = SearchRequest(learner="tree", space=SPACE)
    two = {"entrants": entrants("random", "even spread"), "amount": 2, "repeats": 1}
    for asked in (FaceOffRequest(**two), FaceOffRequest(search=search, over=over, **two)):
        with pytest.raises(InvalidPlan, match="over a search: name one, or give one"):
            faceoffs.begin(engine, problem_id, asked)
    with pytest.raises(InvalidPlan, match="played on the trials of a search"):
        faceoffs.begin(engine, problem_id, FaceOffRequest(over=over, mode="replayed", **two))
    found = ended(engine, faceoffs.begin(engine, problem_id, FaceOffRequest(over=over, **two)))
    assert (found.state, found.done, found.search_id) == ("done", 2, None)
