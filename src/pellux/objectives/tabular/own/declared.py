"""People's own learners and metrics: classes and functions of theirs, known here by what a look at them found out.

Each is a description `KEY.json` in the workspace's folder `own`, with a copy of its file beside it. The key ends in the
hash of the code, so what a key means never changes. The code itself is imported only where a fit or a score is computed,
never in the server; see probe.py for the look at it.
"""

from __future__ import annotations

import importlib
import importlib.util
import json
import sys
from collections.abc import Mapping
from pathlib import Path
from types import ModuleType
from typing import Any

import numpy as np

from pellux.core.judging import Metric, Metrics
from pellux.objectives.tabular.learners.catalogue import Catalogue
from pellux.objectives.tabular.learners.settings import Circumstances, Learner, Setting
from pellux.objectives.tabular.own.from_source import FromSource, importable
from pellux.objectives.tabular.preparation import preparation_settings, with_preparation

LEARNER, METRIC = "learner", "metric"
UNLIMITED_INT, UNLIMITED_REAL = "-1000000000 .. 1000000000 int", "-1e30 .. 1e30"


def catalogue_of(folder: Path | None) -> Catalogue:
    """Our learners and metrics, and those that a workspace's folder describes."""
    if folder is None or not folder.is_dir():
        return Catalogue()
    found = [json.loads(path.read_text("utf-8")) for path in sorted(folder.glob("*.json"))]
    learners = {one["key"]: with_preparation(own_learner(one, folder)) for one in found if one["kind"] == LEARNER}
    metrics = {one["key"]: own_metric(one, folder) for one in found if one["kind"] == METRIC}
    return Catalogue(learners, Metrics(metrics))


def own_learner(found: Mapping[str, Any], folder: Path) -> Learner:
    names: dict[str, str] = {}

    def build(settings: Mapping[str, Any], around: Circumstances) -> Any:
        kind = load(found, folder)
        given = {names[name]: value for name, value in settings.items() if name in names}
        model = kind(**given, **({found["seed"]: around.seed} if found["seed"] else {}))
        if hasattr(model, "get_params") and hasattr(model, "__sklearn_tags__"):
            return model
        from pellux.objectives.tabular.learners.stages import Outsider

        wrapper: Any = Outsider
        return wrapper(model)

    bare = Learner(found["key"], found["label"], found["sentence"], tuple(found["tasks"]), "scaled", (), build)
    taken = {s.name for s in preparation_settings(bare)} | {"model"}
    settings = []
    for given in found["settings"]:
        name = given["name"] + ("_" if given["name"] in taken else "")
        names[name] = given["name"]
        settings.append(Setting(name, given["sentence"], given["default"], given["domain"], given["limits"]))
    return Learner(
        key=found["key"], label=found["label"], sentence=found["sentence"], tasks=tuple(found["tasks"]), preparation="scaled",
        settings=tuple(settings), build=build, weights=found["weights"],
    )  # fmt: skip


def own_metric(found: Mapping[str, Any], folder: Path) -> Metric:
    third = found.get("third", "optional")  # earlier versions did not ask

    def judge(truth: Any, predicted: Any, classes: int, weight: Any) -> float:
        function = load(found, folder)
        if weight is None and third == "needed":
            weight = np.ones(len(truth))
        return float(function(truth, predicted) if weight is None else function(truth, predicted, weight))

    return Metric(
        found["key"], found["larger_is_better"], found["needs"], tuple(found["tasks"]), found["sentence"], judge,
        least=-float("inf"), most=float("inf"), weighs=third != "none",
    )  # fmt: skip


def load(found: Mapping[str, Any], folder: Path) -> Any:
    """The class or function itself."""
    module = importlib.import_module(found["module"]) if not found["file"] else _from_file(found, folder / f"{found['key']}.py")
    return getattr(module, found["name"])


def _from_file(found: Mapping[str, Any], path: Path) -> ModuleType:
    """Under the file's own name where that is free: so a saved model can be loaded wherever the file is importable."""
    stem = Path(found["file"]).stem
    for name in (stem, found["key"]):
        known = sys.modules.get(name)
        if known is not None and getattr(known, "__file__", None) == str(path):
            return known
    name = stem if importlib.util.find_spec(stem) is None else found["key"]
    # For what it imports from its own folder: as it was when it was brought, or, of what earlier versions brought, as it is.
    # Nothing of ours is shadowed.
    importable(path.with_suffix("") if "beside" in found else Path(found["file"]).parent)
    spec = importlib.util.spec_from_file_location(name, path, loader=FromSource(name, str(path)))
    if spec is None or spec.loader is None:
        raise ImportError(f"{path} is no Python file.")
    module = importlib.util.module_from_spec(spec)
    sys.modules[name] = module
    try:
        spec.loader.exec_module(module)
    except BaseException:
        del sys.modules[name]
        raise
    return module
