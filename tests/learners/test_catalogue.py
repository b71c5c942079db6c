"""What the catalogue says of each learner holds."""

from __future__ import annotations

import numpy as np
import pytest
from numpy.random import default_rng

from pellux.core.errors import InvalidPlan, InvalidSpace
from pellux.core.space import Space, parse
from pellux.objectives.tabular.learners.building import estimator
from pellux.objectives.tabular.learners.catalogue import LEARNERS, OURS
from pellux.objectives.tabular.learners.settings import Circumstances, accepts

PAIRS = [(key, task) for key, entry in LEARNERS.items() for task in entry.tasks]


@pytest.mark.parametrize(("key", "task"), PAIRS)
def test_every_draw_from_the_default_space_fits(key: str, task: str) -> None:
    found = OURS.learner(key, task)
    space = found.default_space()
    found.check(space)
    rng = np.random.default_rng(1)
    rows = rng.normal(size=(80, 3))
    target = rng.normal(size=80) if task == "regression" else rng.integers(0, 2 if task == "binary" else 3, 80)
    for number in range(4):
        drawn = space.decode(default_rng([5, number]).random(space.dimension))
        drawn = {name: min(v, 60) if name in ("trees", "rounds") else v for name, v in drawn.items() if name != "epochs"}
        model = estimator(
            found, {"epochs": 3, **drawn} if found.growth and found.growth.by_epoch else drawn, Circumstances(task, 3)
        )
        model.fit(rows, target)
        assert model.predict(rows).shape == (80,)


@pytest.mark.parametrize("key", list(LEARNERS))
def test_every_setting_is_described_and_its_default_allowed(key: str) -> None:
    for setting in LEARNERS[key].settings:
        assert setting.sentence.endswith((".", "all.")), setting.name
        assert accepts(setting.allowed, setting.default), setting.name
        for end in parse(f"{setting.name}: {setting.domain}").parameters:
            LEARNERS[key].check(Space((end,)))


def test_a_regression_is_not_offered_class_weights() -> None:
    assert "balance" in OURS.learner("forest", "binary").defaults
    assert "balance" not in OURS.learner("forest", "regression").defaults
    assert "balance" in OURS.learner("forest", "binary").default_space().by_name
    boosting = OURS.learner("boosting", "binary")
    assert "balance" not in boosting.default_space().by_name, "it costs ten times the work there"
    assert "balance" in boosting.default_space(uneven=True).by_name
    boosting.check(parse("balance: yes | no"))


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("speed: 1 .. 2", "has no such setting. It has: rate"),
        ("leaves: 2.5 .. 9", r"a real number does not fit.*Add 'int'"),
        ("leaves: 1 .. 9 int", "1 is not accepted; it takes 2 .. 32768 int"),
        ("bins: 300", "300 is not accepted"),
        ("balance: 0 .. 1 int", "a range does not fit"),
        ("balance: maybe", "maybe is not accepted; it takes yes | no"),
        ("rate: fast | slow", "fast is not accepted"),
    ],
)
def test_a_space_the_learner_cannot_use_is_refused_by_name(text: str, words: str) -> None:
    with pytest.raises(InvalidSpace, match=words.replace("|", r"\|")) as caught:
        OURS.learner("boosting", "binary").check(parse(text))
    assert caught.value.at == text.split(":")[0]


def test_unfitting_learners_are_refused_with_those_that_fit() -> None:
    with pytest.raises(InvalidPlan, match="cannot learn a regression.*ridge"):
        OURS.learner("logistic", "regression")
    with pytest.raises(InvalidPlan, match="cannot learn a binary target"):
        OURS.learner("ridge", "binary")
    with pytest.raises(InvalidPlan, match="unknown.*boosting"):
        OURS.learner("oracle")
