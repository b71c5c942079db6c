"""What trials say, on landscapes whose truth is known: curves, surfaces, directions, ways to the best, noise, spending, findings."""

from __future__ import annotations

import numpy as np
import pytest
from benchmarks.evidence.made_up import right, search
from numpy.typing import NDArray
from scipy.stats import spearmanr

from pellux.core.errors import InvalidPlan, InvalidSpace
from pellux.core.evidence.curves import along
from pellux.core.evidence.directions import BETWEEN, LESS, MORE, NONE, directions
from pellux.core.evidence.efficiency import Spent, best_so_far, efficiency
from pellux.core.evidence.findings import KINDS, Change, Finding, Material, Tried, findings, follow
from pellux.core.evidence.findings.contract import restricted
from pellux.core.evidence.findings.flat_runs import chance_of_loss
from pellux.core.evidence.importance import importances
from pellux.core.evidence.noise import noise
from pellux.core.evidence.path import path
from pellux.core.evidence.reading import Reading, read
from pellux.core.evidence.surface import AVERAGED, panels, surface
from pellux.core.space import Choice, Configuration, Fixed, Real, Space, parse

CHEAP = (3, 36)  # seeds of short searches
SPACE = parse("x: 0 .. 10\nrate: 1e-3 .. 1 log\nidle: 0 .. 1\nkind: p | q | r\nown: 0 .. 1 if kind == r")


def truth(c: Configuration) -> float:
    kind = {"p": 0.0, "q": -0.6, "r": -3.0}[str(c["kind"])] + 0.3 * float(c.get("own", 0.0))
    return -0.04 * (float(c["x"]) - 6) ** 2 + 0.5 * np.log10(float(c["rate"])) + kind


def trials(space: Space = SPACE, count: int = 90, seed: int = 1, scatter: float = 0.02) -> list[Tried]:
    rng = np.random.default_rng(seed)
    drawn = [space.decode(row) for row in rng.random((count, space.dimension))]
    found = []
    for number, c in enumerate(drawn, 1):
        scores = tuple(float(truth(c) + 0.2 * fold + scatter * rng.standard_normal()) for fold in range(4))
        found.append(Tried(number, c, float(np.mean(scores)), scores, 1.0))
    return found


def reading_of(tried: list[Tried], space: Space = SPACE) -> Reading:
    found = read(space, [t.configuration for t in tried], np.array([t.mean for t in tried], dtype=float), np.random.default_rng(2))
    assert found is not None
    return found


def material(tried: list[Tried], space: Space = SPACE, **more: object) -> Material:
    reading = reading_of([t for t in tried if t.mean is not None], space)
    whole = [[float(s or 0) for s in t.scores] for t in tried if t.mean is not None]
    return Material(
        space, tuple(tried), reading, importances(reading, np.random.default_rng(3)), along(reading), noise(whole, 1 / 3), **more,  # type: ignore[arg-type]
    )  # fmt: skip


@pytest.fixture(scope="module")
def known() -> Material:
    return material(trials())


def test_curves_go_as_the_truth_does_with_a_band_around_it(known: Material) -> None:
    curves = {curve.name: curve for curve in known.curves}
    x = curves["x"]
    wanted = np.array([-0.04 * (float(v) - 6) ** 2 for v in x.values])
    off = x.average.mean - x.average.mean.mean() - (wanted - wanted.mean())
    assert np.abs(off).max() < 0.15
    assert (x.average.low <= x.average.mean).all()
    assert (x.average.mean <= x.average.high).all()
    kind = curves["kind"]
    assert kind.values == ("p", "q", "r")
    assert np.argsort(-kind.near.mean).tolist() == [0, 1, 2]
    assert np.ptp(curves["idle"].average.mean) < 0.1
    # A setting that is off in most of the space is told where it is on.
    assert curves["own"].near.mean[-1] - curves["own"].near.mean[0] == pytest.approx(0.3, abs=0.15)


def test_a_surface_is_the_truth_over_two_settings_and_says_how_sure_it_is(known: Material) -> None:
    assert known.reading is not None
    for others in ("near the best", AVERAGED):
        found = surface(known.reading, "x", "rate", others)
        wanted = np.array(
            [[-0.04 * (float(a) - 6) ** 2 + 0.5 * np.log10(float(b)) for a in found.across.values] for b in found.down.values]
        )
        off = found.mean - found.mean.mean() - (wanted - wanted.mean())
        assert np.abs(off).mean() < 0.1
        assert found.deviation.min() >= 0
    assert surface(known.reading, "kind", "x").across.options
    assert 0.6 <= known.reading.covered <= 1.0
    for pair in (("x", "x"), ("x", "nothing")):
        with pytest.raises(InvalidPlan):
            surface(known.reading, *pair)


def test_small_multiples_are_the_surface_for_each_option_or_level_of_a_third_setting(known: Material) -> None:
    assert known.reading is not None
    kinds = panels(known.reading, "x", "rate", "kind", AVERAGED)
    assert [one.value for one in kinds] == ["p", "q", "r"]
    p, q, r = (float(one.surface.mean.mean()) for one in kinds)
    assert p - q == pytest.approx(0.6, abs=0.15)
    assert q - r > 1.0, "far behind counts as just that far"
    low, middle, high = panels(known.reading, "kind", "rate", "x", AVERAGED)
    wanted = [-0.04 * (float(one.value) - 6) ** 2 for one in (low, middle, high)]  # type: ignore[arg-type]
    assert np.argsort([float(one.surface.mean[:, 0].mean()) for one in (low, middle, high)]).tolist() == np.argsort(wanted).tolist()
    for third in ("x", "nothing"):
        with pytest.raises(InvalidPlan):
            panels(known.reading, "x", "rate", third)


def test_directions_are_ranks_with_an_interval_and_a_word(known: Material) -> None:
    assert known.reading is not None
    assert known.importances is not None
    found = directions(known.reading, known.curves, known.importances.singles)
    assert (found["rate"].trend, found["idle"].trend, found["x"].trend) == (MORE, NONE, BETWEEN)
    assert float(found["x"].until or 0) == pytest.approx(6, abs=1.1)
    ranks = spearmanr([t.configuration["rate"] for t in known.tried], [t.mean for t in known.tried]).statistic
    assert found["rate"].rank == pytest.approx(ranks)
    assert found["rate"].low < ranks < found["rate"].high
    assert found["rate"].partial > found["rate"].rank > 0
    assert "kind" not in found
    down = [Tried(t.id, t.configuration, -(t.mean or 0.0)) for t in known.tried]
    turned = material(down)
    assert turned.reading is not None
    assert turned.importances is not None
    assert directions(turned.reading, turned.curves, turned.importances.singles)["rate"].trend == LESS


def test_the_way_to_the_best_changes_one_thing_at_a_time_and_switches_with_it(known: Material) -> None:
    assert known.reading is not None
    begin = {"x": 2.0, "rate": 0.01, "idle": 0.5, "kind": "r", "own": 0.5}
    end = {"x": 6.0, "rate": 0.5, "idle": 0.5, "kind": "p"}
    steps = path(known.reading, begin, end)
    assert [sorted(step.changed) for step in steps] == [["kind", "own"], ["rate"], ["x"]] or sorted(
        name for step in steps for name in step.changed
    ) == ["kind", "own", "rate", "x"]
    assert steps[0].changed["kind"] == ("r", "p")
    assert steps[0].changed["own"] == (0.5, None)
    assert dict(steps[-1].configuration) == end
    for before, step in zip([begin, *(s.configuration for s in steps)], steps, strict=False):
        assert step.gain == pytest.approx(truth(step.configuration) - truth(before), abs=max(4 * step.error, 0.15))
    assert path(known.reading, end, end) == ()


def test_noise_is_told_from_differences() -> None:
    rng = np.random.default_rng(5)
    ease = np.array([0.0, 0.3, -0.2, 0.1])
    alike = noise([(ease + rng.normal(0, 0.05, 4)).tolist() for _ in range(30)], 1 / 3)
    apart = noise([(i * 0.1 + ease + rng.normal(0, 0.05, 4)).tolist() for i in range(30)], 1 / 3)
    assert alike is not None
    assert apart is not None
    assert (alike.share, alike.alike) > (0.8, 20)
    assert alike.p_value > 0.1
    assert apart.share < 0.02
    assert apart.p_value < 1e-6
    assert apart.alike < 3
    assert noise([[1.0, 2.0]], 1.0) is None
    assert noise([[1.0], [2.0], [3.0]], 1.0) is None
    equal = noise([[1.0, 2.0]] * 4, 1.0)
    assert equal is not None
    assert equal.share == 1.0


def test_spending_is_counted_against_the_problems_own_level() -> None:
    spent = [Spent(1, 0.2, 2.0, 4, 0, 0), Spent(2, None, 1.0, 1, 1, 1), Spent(3, 0.9, 3.0, 4, 1, 3), Spent(4, 0.5, 4.0, 4, 3, 0)]
    found = efficiency(spent, best=1.0, median=0.5)
    assert found.near_after == (3, 9, 6.0)
    assert found.far_share == pytest.approx(7 / 10)
    assert found.blind_share == pytest.approx((0.5 + 0.75 + 0) / 3)
    assert best_so_far(spent) == [(1, 4, 2.0, 0.2), (3, 9, 6.0, 0.9), (4, 13, 10.0, 0.9)]
    assert efficiency([], None, None).best is None


def test_findings_are_right_on_made_up_searches() -> None:
    """A few of those that the benchmark counts by the hundred."""
    told = [(made, finding) for made in map(search, CHEAP) for kind in KINDS for finding in kind(made.material)]
    assert len(told) >= 4
    assert sum(right(made, finding) for made, finding in told) >= len(told) - 1


def test_what_is_planted_is_found_and_followed() -> None:
    tried = trials(parse("x: 0 .. 5\nrate: 1e-3 .. 0.1 log\nidle: 0 .. 1\nkind: p | q | r\nown: 0 .. 1 if kind == r"))
    space = parse("x: 0 .. 5\nrate: 1e-3 .. 0.1 log\nidle: 0 .. 1\nkind: p | q | r\nown: 0 .. 1 if kind == r")
    found = {finding.code: finding for finding in findings(material(tried, space, hard={"rate": (0.0, 0.4)}))}
    assert {"crowded end", "losing option", "dead setting"} <= set(found)
    after, done = follow(space, list(found.values()))
    assert len(done) == len(found)
    rate, kind = after.by_name["rate"], after.by_name["kind"]
    assert isinstance(rate, Real)
    assert rate.high == 0.4, "no further than its hard limit"
    assert isinstance(kind, Choice | Fixed)
    assert "r" not in getattr(kind, "options", (getattr(kind, "value", None),))
    assert "own" not in after.by_name, "nothing switches it on any more"
    assert isinstance(after.by_name["idle"], Fixed)


def test_failures_in_a_corner_become_a_requirement_and_flat_runs_a_rule() -> None:
    tried = [
        Tried(t.id, t.configuration, None, (), 1.0, failed=True)
        if float(t.configuration["x"]) > 8 and float(t.configuration["rate"]) > 0.03
        else t
        for t in trials(count=120)
    ]
    found = {finding.code: finding for finding in findings(material(tried))}
    kept = found["failing corner"].change.applied(SPACE)
    bad = [t for t in tried if t.failed]
    assert sum(not kept.fulfils(t.configuration) for t in bad) >= 0.8 * len(bad)
    assert sum(kept.fulfils(t.configuration) for t in tried if not t.failed) > 85
    flat = found["flat runs"]
    assert 0.2 < flat.facts["saved"] < 0.6
    assert flat.change.plan == {"early stopping": "fold race"}
    assert flat.facts["best"] not in flat.trials
    assert "flat runs" not in {f.code for f in findings(material(tried, stops=True))}


@pytest.mark.parametrize(("by_chance", "gone"), [(0.3, [0.5, 0.9, 0.9]), (0.05, [0.97, 0.2]), (0.9, [0.1, 0.0])])
def test_the_chance_that_what_is_cut_was_better_is_that_of_draws(by_chance: float, gone: list[float]) -> None:
    rng = np.random.default_rng(1)
    means = np.concatenate([rng.normal(0, 0.5, 30), gone, [1.0]])
    spread = means.std(ddof=1)
    kept, doubt = 1 - by_chance, spread * np.sqrt(by_chance * (1 - by_chance))
    worth = (
        means.mean()
        + kept * (np.array([*gone, means.max()]) - means.mean())
        + doubt * rng.standard_normal((400_000, len(gone) + 1))
    )
    drawn = (worth[:, :-1].max(1) > worth[:, -1] + spread * np.sqrt(by_chance)).mean()
    assert chance_of_loss(means, np.array(gone), by_chance) == pytest.approx(drawn, abs=3e-3)
    assert chance_of_loss(means, np.array(gone), 1.0) == 0  # all is noise: nobody is better


def test_nothing_gained_is_told_only_where_the_space_holds_no_more() -> None:
    space = parse("x: 0 .. 1\ny: 0 .. 1")

    def found(points: NDArray[np.float64]) -> list[str]:
        scores = -((points[:, 0] - 0.4) ** 2) - (points[:, 1] - 0.5) ** 2
        first = np.argsort(-scores, kind="stable")[:1]  # the best one comes first: a long time without a gain, either way
        order = [*first, *np.setdiff1d(np.arange(len(points)), first)]
        tried = [
            Tried(i, space.decode(points[at]), float(scores[at]), (float(scores[at]),) * 4, 1.0) for i, at in enumerate(order, 1)
        ]
        return [f.code for f in findings(material(tried, space, models=True))]

    even = np.array([[x, y] for x in np.linspace(0, 1, 8) for y in np.linspace(0, 1, 8)])
    assert "nothing gained" in found(np.vstack([even, [[0.4, 0.5]]]))
    assert "nothing gained" not in found(even[np.abs(even[:, 0] - 0.4) > 0.3]), "its top was never tried"


def test_what_cannot_be_changed_is_left_and_the_rest_is_done() -> None:
    gone = Finding("x", {}, (), (), 1.0, Change(parameters=(Fixed(name="kind", value="p"),)))
    fine = Finding("y", {}, (), (), 1.0, Change(requirements=("x <= 9",)))
    after, done = follow(SPACE, [gone, fine])
    assert done in ([fine], [gone, fine])
    assert after.requirements
    with pytest.raises(InvalidSpace):
        Change(requirements=("nothing <= 9",)).applied(SPACE)
    only = restricted(SPACE, Fixed(name="kind", value="p"))
    assert only.dropped == ("own",)
    assert "own" not in only.applied(SPACE).by_name


@pytest.mark.parametrize(
    "tried",
    [
        [],
        trials(count=1),
        [Tried(i, t.configuration, 0.5, (0.5, 0.5)) for i, t in enumerate(trials(count=30), 1)],
        [Tried(i, t.configuration, None, (), 1.0, failed=True) for i, t in enumerate(trials(count=30), 1)],
        [Tried(i, t.configuration, float("nan")) for i, t in enumerate(trials(count=30), 1)],
    ],
    ids=["none", "one", "equal", "all failed", "not numbers"],
)
def test_where_trials_say_nothing_nothing_breaks(tried: list[Tried]) -> None:
    scored = [t for t in tried if t.mean is not None]
    assert (
        read(SPACE, [t.configuration for t in scored], np.array([t.mean for t in scored], dtype=float), np.random.default_rng(1))
        is None
    )
    assert findings(Material(SPACE, tuple(tried))) == []


def test_sixty_parameters_one_option_tried_and_a_single_setting() -> None:
    wide = parse("\n".join(f"p{i}: 0 .. 1" for i in range(60)))
    rng = np.random.default_rng(4)
    drawn = [wide.decode(row) for row in rng.random((24, 60))]
    many = [Tried(i, c, float(c["p3"]) + 0.01 * rng.standard_normal()) for i, c in enumerate(drawn, 1)]
    reading = reading_of(many, wide)
    assert importances(reading, rng).singles[0].name == "p3"
    one_option = [t for t in trials(count=60) if t.configuration["kind"] == "p"]
    assert len(along(reading_of(one_option))) == 5
    narrow = parse("x: 0 .. 10")
    line = [Tried(i, {"x": v}, -((v - 3) ** 2)) for i, v in enumerate(np.linspace(0, 10, 12).tolist(), 1)]
    assert len(along(reading_of(line, narrow))) == 1
