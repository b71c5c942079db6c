"""How long fits take, measured on the spot."""

from __future__ import annotations

import tempfile
from pathlib import Path

import numpy as np

from benchmarks.scenes import warm_arrivals
from pellux.service.engine.engine import Engine
from pellux.service.planning.launching import launch
from pellux.service.planning.requests import SearchRequest, SettingsRequest
from pellux.service.searches.trials import lanes
from pellux.service.workspace import Workspace


def measured() -> tuple[list[float], float]:
    """Seconds of a fit of each of 24 random forests, and the spread of the logarithm over the folds of one."""
    with tempfile.TemporaryDirectory() as folder:
        workspace = Workspace(Path(folder))
        engine = Engine(workspace)
        plan = SettingsRequest(strategy="random", trials=24, workers=2, seed=5)
        search = launch(engine, warm_arrivals(workspace), SearchRequest(learner="forest", space=None, plan=plan))
        engine.join(search)
        by_trial: dict[int, list[float]] = {}
        for fit in lanes(workspace, search).fits:
            by_trial.setdefault(fit.trial, []).append(fit.seconds)
        engine.close()
        workspace.close()
    logs = [np.log(seconds) for trial, seconds in by_trial.items() if trial]
    return [float(np.exp(one.mean())) for one in logs], float(np.sqrt(np.mean([one.var(ddof=1) for one in logs])))
