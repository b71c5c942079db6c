"""Small neural networks, trained epoch by epoch."""

from __future__ import annotations

import warnings
from collections.abc import Mapping
from typing import Any

import numpy as np

from pellux.core.judging import BINARY, MULTICLASS, REGRESSION
from pellux.objectives.tabular.learners.settings import MORE_COSTS_LESS, MORE_COSTS_MORE, Circumstances, Growth, Learner, Setting


def _network(settings: Mapping[str, Any], around: Circumstances) -> Any:
    from sklearn.neural_network import MLPClassifier, MLPRegressor

    epochs = settings["epochs"]
    model = (MLPRegressor if around.task == REGRESSION else MLPClassifier)(
        hidden_layer_sizes=(settings["width"],) * settings["layers"],
        activation=settings["activation"],
        alpha=settings["pull"],
        batch_size=settings["batch"],
        learning_rate_init=settings["rate"],
        max_iter=epochs,
        # It stops where it is told to, not where a rule of its own says so.
        tol=0.0,
        n_iter_no_change=epochs + 1,
        random_state=around.seed,
    )
    return scaled(model, around)


def scaled(model: Any, around: Circumstances) -> Any:
    """A regression learns a target of mean 0 and variance 1: steps of a fixed size suit no other."""
    if around.task != REGRESSION:
        return model
    from pellux.objectives.tabular.learners.stages import ScaledTarget

    wrapper: Any = ScaledTarget
    return wrapper(model)


def grow_by_epochs(model: Any, rows: Any, target: Any, weight: Any, done: int, to: int) -> None:
    """Epoch by epoch as `fit` would: it draws from one stream, so the model gets the stream and not the seed."""
    inner = getattr(model, "model", model)
    if done == 0:
        inner.set_params(random_state=np.random.RandomState(inner.random_state))
    classes = {} if inner is not model else {"classes": np.unique(target)}
    with warnings.catch_warnings():
        # A bold rate may overflow; the scores say so.
        warnings.filterwarnings("ignore", category=RuntimeWarning)
        # A batch that is larger than a fold's rows is all of them.
        warnings.filterwarnings("ignore", message=".*batch_size.*")
        for _ in range(done, to):
            model.partial_fit(rows, target, sample_weight=weight, **classes)


def _steer(model: Any, settings: Mapping[str, Any]) -> None:
    model = getattr(model, "model", model)
    model.set_params(alpha=settings["pull"], batch_size=settings["batch"], learning_rate_init=settings["rate"])
    if hasattr(model, "_optimizer"):  # the optimiser keeps the rate that it was made with
        model._optimizer.learning_rate_init = settings["rate"]


NETWORK = Learner(
    key="network",
    label="Neural network",
    sentence="Layers of weighted sums bent by a curve, trained epoch by epoch: strong on many smooth columns, fussy about its rate.",
    tasks=(BINARY, MULTICLASS, REGRESSION),
    preparation="scaled",
    settings=(
        Setting(
            "rate", "How far each step of the training goes; too small never arrives, too large jumps about.",
            1e-3, "1e-4 .. 0.1 log", "1e-9 .. 10 log",
        ),
        Setting(
            "width", "Units in each layer; more can follow finer shapes.",
            100, "8 .. 256 int log", "1 .. 10000 int", MORE_COSTS_MORE,
        ),
        Setting("layers", "How many layers stand behind each other.", 1, "1 .. 3 int", "1 .. 20 int", MORE_COSTS_MORE),
        Setting(
            "pull", "Pulls all weights towards zero; guards against overfitting.", 1e-4, "1e-6 .. 1 log", "0 .. 1e6",
        ),
        Setting(
            "batch", "Rows that each step of the training looks at; smaller is noisier and takes more steps.",
            64, "16 .. 256 int log", "1 .. 1000000 int", MORE_COSTS_LESS,
        ),
        Setting(
            "activation", "The curve that bends each unit's sum.", "relu", "relu | tanh | logistic", "relu | tanh | logistic | identity",
        ),
        Setting(
            "epochs", "How often the training goes over all rows.", 27, "27", "1 .. 100000 int", MORE_COSTS_MORE,
        ),
    ),
    build=_network,
    growth=Growth("epochs", 60, grow_by_epochs, _steer, steerable=("rate", "pull", "batch"), by_epoch=True),
)  # fmt: skip
