"""The Gaussian process against an independent one, its gradients against differences, log EI against an integral."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import integrate, optimize, stats
from sklearn.gaussian_process import GaussianProcessRegressor
from sklearn.gaussian_process.kernels import RBF, ConstantKernel, Kernel, Matern

from pellux.core.forecasting.cost_model import CostModel
from pellux.core.space import parse
from pellux.core.strategies.gains import log_augmentation, log_expected_improvement
from pellux.core.surrogates.coding import Coding
from pellux.core.surrogates.gaussian_process import Hyperparameters, Likelihood, Posterior, fit
from pellux.core.surrogates.warp import warped

RNG = np.random.default_rng(4)
INPUTS = RNG.random((24, 3))
SCORES = np.sin(6 * INPUTS[:, 0]) + INPUTS[:, 1] ** 2
NOISE = np.ones(24)
GROUPS = np.arange(3)
NO_SUM = -60.0  # log variance of a sum over parameters that is not there


@pytest.mark.parametrize(("smooth", "kind"), [(False, partial(Matern, nu=2.5)), (True, RBF)])
def test_the_posterior_is_that_of_an_independent_implementation(smooth: bool, kind: Callable[..., Kernel]) -> None:
    scales, signal, noise = np.array([0.4, 0.9, 2.0]), 1.3, 0.02
    theta = np.concatenate([np.log(scales), np.zeros(3), [np.log(signal), NO_SUM, np.log(noise)]])
    ours = Posterior(Hyperparameters(theta, smooth), INPUTS, SCORES, NOISE, GROUPS)
    kernel = ConstantKernel(signal, "fixed") * kind(scales, "fixed")
    theirs = GaussianProcessRegressor(kernel, alpha=noise, optimizer=None).fit(INPUTS, SCORES - ours.mean)
    at = RNG.random((50, 3))
    mean, deviation = ours.predict(at)
    expected, spread = theirs.predict(at, return_std=True)
    assert np.allclose(mean - ours.mean, expected, atol=1e-7)
    assert np.allclose(ours.expected(at), mean, atol=1e-12)
    assert np.allclose(deviation, spread, atol=1e-6)


@given(st.integers(0, 10_000), st.booleans())
def test_gradients_are_slopes(seed: int, smooth: bool) -> None:
    rng = np.random.default_rng(seed)
    features = np.hstack([rng.random((15, 2)), np.eye(3)[rng.integers(0, 3, 15)] * np.sqrt(0.5)])
    groups = np.array([0, 1, 2, 2, 2])
    likelihood = Likelihood(features, rng.standard_normal(15), rng.uniform(0.5, 2, 15), groups, smooth=smooth)
    theta = likelihood.start(1.5, 1e-2) + 0.3 * rng.standard_normal(9)
    value, gradient = likelihood(theta)
    assert np.isfinite(value)
    assert np.allclose(gradient, optimize.approx_fprime(theta, lambda t: likelihood(t)[0], 1e-6), rtol=1e-3, atol=1e-3)
    posterior = Posterior(Hyperparameters(theta, smooth), features, rng.standard_normal(15), np.ones(15), groups)
    at = np.hstack([rng.random((2, 2)), features[:2, 2:]])
    mean, deviation, by_mean, by_deviation = posterior.predict_with_slopes(at, 2)
    again = posterior.predict(at)
    assert np.allclose(mean, again[0])
    assert np.allclose(deviation, again[1])
    for column in range(2):
        step = np.zeros_like(at)
        step[:, column] = 1e-6
        up, down = posterior.predict(at + step), posterior.predict(at - step)
        assert np.allclose((up[0] - down[0]) / 2e-6, by_mean[:, column], atol=1e-4)
        assert np.allclose((up[1] - down[1]) / 2e-6, by_deviation[:, column], atol=1e-4)


def test_the_kernel_is_as_smooth_as_the_scores_are() -> None:
    inputs = np.random.default_rng(2).random((40, 2))
    away = inputs - 0.5
    waves, edges = np.sin(7 * inputs[:, 0]) * np.cos(5 * inputs[:, 1]), np.abs(away).max(1) + np.abs(away[:, 0] - away[:, 1])
    assert fit(inputs, warped(waves, shape=False), np.ones(40), np.arange(2)).smooth
    assert not fit(inputs, warped(edges, shape=False), np.ones(40), np.arange(2)).smooth


def test_an_additive_function_is_told_from_few_trials() -> None:
    rng = np.random.default_rng(0)
    inputs = rng.random((40, 6))

    def truth(x: np.ndarray) -> np.ndarray:  # type: ignore[type-arg]
        found: np.ndarray = np.sin(9 * x).sum(1)  # type: ignore[type-arg]
        return found

    scores = warped(truth(inputs), shape=False)
    at = rng.random((200, 6))
    errors = []
    for additive in (True, False):
        h = fit(inputs, scores, np.ones(40), np.arange(6), additive=additive)
        mean, _ = Posterior(h, inputs, scores, np.ones(40), np.arange(6)).predict(at)
        errors.append(1 - np.corrcoef(mean, truth(at))[0, 1])
    assert errors[0] < 0.35 * errors[1]


@pytest.mark.parametrize(("mean", "deviation"), [(0.0, 1.0), (1.2, 0.3), (-2.0, 0.5), (-6.0, 0.7)])
def test_log_expected_improvement_is_the_integral(mean: float, deviation: float) -> None:
    best = 0.4
    wanted, _ = integrate.quad(
        lambda y: (y - best) * stats.norm.pdf(y, mean, deviation), best, best + 20 * deviation + abs(mean), epsabs=0, limit=400
    )
    value, by_mean, by_deviation = log_expected_improvement(np.array([mean]), np.array([deviation]), best)
    assert value[0] == pytest.approx(np.log(wanted), abs=1e-5)

    def at(m: float, d: float) -> float:
        return float(log_expected_improvement(np.array([m]), np.array([d]), best)[0][0])

    assert by_mean[0] == pytest.approx((at(mean + 1e-6, deviation) - at(mean - 1e-6, deviation)) / 2e-6, rel=1e-4)
    assert by_deviation[0] == pytest.approx((at(mean, deviation + 1e-6) - at(mean, deviation - 1e-6)) / 2e-6, rel=1e-4)


@given(st.floats(1e-4, 5.0), st.floats(1e-3, 2.0))
def test_another_measurement_tells_little_far_below_the_noise(deviation: float, noise: float) -> None:
    value, slope = log_augmentation(np.array([deviation]), noise)
    assert value[0] == pytest.approx(np.log(1 - noise / np.hypot(deviation, noise)), rel=1e-4, abs=1e-9)
    step = 1e-5 * deviation
    there, here = (log_augmentation(np.array([deviation + s]), noise)[0][0] for s in (step, -step))
    assert slope[0] == pytest.approx((there - here) / (2 * step), rel=1e-4)


def test_log_expected_improvement_stays_finite_far_out() -> None:
    found = log_expected_improvement(np.array([-1e3, -1e6, -10.0]), np.array([1e-3, 1e-3, 1e-7]), 0.0)
    assert all(np.isfinite(part).all() for part in found)
    assert (found[1] > 0).all(), "there is a way up even where improvement is all but impossible"


@given(st.lists(st.floats(-1e6, 1e6), min_size=1, max_size=40))
def test_the_warp_keeps_the_order(scores: list[float]) -> None:
    found = warped(np.array(scores))
    assert np.isfinite(found).all()
    order = np.argsort(scores, kind="stable")
    assert (np.diff(found[order]) >= -1e-9).all()


def test_the_warp_draws_in_a_long_bad_tail() -> None:
    scores = -np.exp(np.random.default_rng(0).normal(0, 1.5, 400))
    assert abs(stats.skew(warped(scores))) < 0.3 < abs(stats.skew(warped(scores, shape=False)))


def test_options_are_equally_far_apart_and_inactive_ones_neutral() -> None:
    space = parse("kind: a *5 | b | c\nx: 0 .. 1 if kind == a\nn: 1 .. 9 int\ny: 0 .. 1 if n > 4")
    coding = Coding.of(space)
    rows = [{"kind": k, "n": 2, **({"x": 0.9} if k == "a" else {})} for k in "abc"]
    features = coding.features(np.array([space.encode(row) for row in rows]))
    kinds = features[:, 3:6]
    assert np.allclose([np.linalg.norm(kinds[i] - kinds[j]) for i, j in ((0, 1), (0, 2), (1, 2))], 1.0)
    assert features[1, 0] == features[2, 0] == 0.5
    assert features[0, -1] == 1.0, "y hangs on a number: an indicator tells that it is inactive"


def test_costs_are_learned_from_few_fits() -> None:
    space = parse("trees: 10 .. 1000 int log, costly\nrate: 0.01 .. 1 log")
    assert CostModel.of(space, [], []) is None
    one = CostModel.of(space, [{"trees": 100, "rate": 0.1}], [2.0])
    assert one is not None
    ends = one.seconds([{"trees": 10, "rate": 0.1}, {"trees": 1000, "rate": 0.1}])
    assert ends[0] < 1.0 < 4.0 < ends[1], "a costly setting costs in proportion before anything else is known"
    rng = np.random.default_rng(0)
    drawn = [space.decode(p) for p in rng.random((30, 2))]
    seconds = [0.01 * float(c["trees"]) ** 0.5 * np.exp(0.1 * rng.standard_normal()) for c in drawn]
    many = CostModel.of(space, drawn, seconds)
    assert many is not None
    fresh = [space.decode(p) for p in rng.random((50, 2))]
    truth = np.array([0.01 * float(c["trees"]) ** 0.5 for c in fresh])
    assert np.abs(np.log(many.seconds(fresh) / truth)).max() < 0.35
    low, high = np.quantile(many.typical(fresh, 400, rng), (0.05, 0.95))
    assert 0.9 * low < truth.mean() < 1.1 * high
