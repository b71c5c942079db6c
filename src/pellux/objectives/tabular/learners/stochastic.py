"""Linear models trained row by row, epoch by epoch: for many rows, and for early stopping on iterations."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from pellux.core.judging import BINARY, MULTICLASS, REGRESSION
from pellux.objectives.tabular.learners.networks import grow_by_epochs, scaled
from pellux.objectives.tabular.learners.settings import MORE_COSTS_MORE, Circumstances, Growth, Learner, Setting


def _stochastic(settings: Mapping[str, Any], around: Circumstances) -> Any:
    from sklearn.linear_model import SGDClassifier, SGDRegressor

    regression = around.task == REGRESSION
    model = (SGDRegressor if regression else SGDClassifier)(
        loss="squared_error" if regression else "log_loss",
        penalty="elasticnet",
        alpha=settings["pull"],
        l1_ratio=float(settings["sparsity"]),
        learning_rate=settings["schedule_kind"],
        eta0=settings["rate"],
        average=settings["average"],
        max_iter=settings["epochs"],
        tol=None,
        random_state=around.seed,
    )
    return scaled(model, around)


def _steer(model: Any, settings: Mapping[str, Any]) -> None:
    inner = getattr(model, "model", model)
    inner.set_params(alpha=settings["pull"], l1_ratio=float(settings["sparsity"]), eta0=settings["rate"])


SGD = Learner(
    key="sgd",
    label="Stochastic linear model",
    sentence="A weighted sum of the columns, learnt row by row in small steps: for many rows, when exact solvers take too long.",
    tasks=(BINARY, MULTICLASS, REGRESSION),
    preparation="scaled",
    settings=(
        Setting(
            "rate", "How far each step goes; too small never arrives, too large jumps about.",
            0.01, "1e-4 .. 1 log", "1e-12 .. 1e3 log",
        ),
        Setting(
            "schedule_kind", "Whether steps stay as long as they are, or grow shorter as training goes on.",
            "invscaling", "constant | invscaling", "constant | invscaling | optimal",
        ),
        Setting("pull", "Pulls all weights towards zero; guards against overfitting.", 1e-4, "1e-7 .. 0.1 log", "0 .. 1e6"),
        Setting(
            "sparsity", "How much of the pull sets weights to exactly zero instead of making all smaller.",
            0.15, "0 .. 1", "0 .. 1",
        ),
        Setting("average", "Averages the weights over the steps: calmer near the end.", False, "yes | no", "yes | no"),
        Setting("epochs", "How often the training goes over all rows.", 27, "27", "1 .. 100000 int", MORE_COSTS_MORE),
    ),
    build=_stochastic,
    growth=Growth("epochs", 60, grow_by_epochs, _steer, steerable=("rate", "pull", "sparsity"), by_epoch=True),
)  # fmt: skip
