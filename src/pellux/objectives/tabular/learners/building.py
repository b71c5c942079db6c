"""From a learner and its settings to an unfitted estimator; with a schedule, settings change while it is trained.

A schedule is the setting `schedule`: a list of [iteration, settings], each holding from where the one before ends.
"""

from __future__ import annotations

import copy
from collections.abc import Mapping, Sequence
from typing import Any

from pellux.core.objective import SCHEDULE
from pellux.objectives.tabular.learners.settings import Circumstances, Learner


def estimator(learner: Learner, settings: Mapping[str, Any], around: Circumstances) -> Any:
    """The estimator; one that wraps the learner's where plain `fit` could not train it as the search did."""
    growth, schedule = learner.growth, settings.get(SCHEDULE)
    whole = {**learner.defaults, **{name: value for name, value in settings.items() if name != SCHEDULE}}
    if growth is None or not (schedule or growth.by_epoch):
        return learner.build(whole, around)
    from pellux.objectives.tabular.learners.stages import TrainedInStages

    stages: Sequence[Sequence[Any]] = schedule or [[whole[growth.counter], {}]]
    first = {**whole, **stages[0][1], growth.counter: stages[-1][0]}
    model = learner.build(first, around)
    named = [(int(until), _changes(learner, model, {**first, **changed}, around)) for until, changed in stages]
    wrapper: Any = TrainedInStages
    return wrapper(model, named, growth.parameter)


def _changes(learner: Learner, model: Any, settings: Mapping[str, Any], around: Circumstances) -> dict[str, Any]:
    """The estimator's own parameters by which a stage differs from the first."""
    before, now = (getattr(m, "model", m).get_params(deep=False) for m in (model, learner.build(settings, around)))
    return {name: value for name, value in now.items() if value != before[name]}


def plain(model: Any) -> Any:
    """A fitted estimator without our wrappers, for files that must load where Pellux is not."""
    from pellux.objectives.tabular.learners.stages import Outsider, ScaledTarget

    outsider: Any = Outsider
    scaled: Any = ScaledTarget
    if isinstance(model, outsider):
        return model
    inner = getattr(model, "model_", model)
    return _in_own_units(inner) if isinstance(inner, scaled) else inner


def _in_own_units(trained: Any) -> Any:
    """What was trained on a scaled target, with the scale worked into its last weights: a linear model's, or a network's last layer."""
    model, mean, scale = copy.deepcopy(trained.model), trained.mean_, trained.scale_
    if hasattr(model, "coefs_"):
        model.coefs_[-1] = model.coefs_[-1] * scale
        model.intercepts_[-1] = model.intercepts_[-1] * scale + mean
    else:
        model.coef_, model.intercept_ = model.coef_ * scale, model.intercept_ * scale + mean
    return model
