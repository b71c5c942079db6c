"""A look at someone's own class or function, in a process of its own: `python -m pellux.objectives.tabular.own.probe`.

The order comes as JSON on standard input, the answer goes to the file descriptor it names; what the code prints, goes
elsewhere. If the code forks, exits or hangs, whoever started this process notices and ends the whole group.
"""

from __future__ import annotations

import importlib
import importlib.util
import inspect
import json
import os
import pickle
import re
import sys
import traceback
import warnings
from pathlib import Path
from typing import Any

import numpy as np

from pellux.objectives.tabular.own.from_source import FromSource, importable

ROWS, COLUMNS = 60, 4
SEEDS = ("random_state", "seed")
TASKS = ("binary", "multiclass", "regression")


def main() -> None:
    order = json.loads(sys.stdin.read())
    warnings.simplefilter("ignore")
    try:
        found = _import(order)
        answer = _learner(found) if order["kind"] == "learner" else _metric(found, order)
    except BaseException as error:  # whatever it is, it is the person's to read
        kept = [line for line in traceback.format_exception(error) if "own_probe.py" not in line]
        answer = {"error": f"{type(error).__name__}: {error}", "traceback": "".join(kept)[-4000:]}
    with os.fdopen(order["answer"], "w") as pipe:
        json.dump(answer, pipe)


def _import(order: dict[str, Any]) -> Any:
    if order["file"]:
        path = Path(order["file"])
        importable(path.parent)  # from its source: what was kept compiled may be of a moment before
        spec = importlib.util.spec_from_file_location(path.stem, path, loader=FromSource(path.stem, str(path)))
        if spec is None or spec.loader is None:
            raise ImportError(f"{path} is no Python file")
        module = importlib.util.module_from_spec(spec)
        sys.modules[path.stem] = module
        spec.loader.exec_module(module)
    else:
        module = importlib.import_module(order["module"])
    if not hasattr(module, order["name"]):
        near = ", ".join(n for n in dir(module) if not n.startswith("_"))[:200]
        raise AttributeError(f"there is no {order['name']} in it; it has {near}")
    return getattr(module, order["name"])


def _learner(kind: Any) -> dict[str, Any]:
    if not inspect.isclass(kind):
        raise TypeError(f"{kind!r} is not a class")
    methods: dict[str, Any] = {method: getattr(kind, method, None) for method in ("fit", "predict")}
    for method, found in methods.items():
        if not callable(found):
            raise TypeError(f"{kind.__name__} has no method {method}(rows{', target' if method == 'fit' else ''})")
    signature = inspect.signature(kind.__init__).parameters
    plain = {n: p for n, p in list(signature.items())[1:] if p.kind in (p.POSITIONAL_OR_KEYWORD, p.KEYWORD_ONLY)}
    without = [n for n, p in plain.items() if p.default is p.empty]
    if without:
        raise TypeError(f"{kind.__name__}: its settings {', '.join(without)} have no default; every setting needs one")
    seed = next((n for n in SEEDS if n in plain), "")
    explained = _explained(inspect.getdoc(kind) or "")
    settings = [
        {"name": n, "sentence": explained.get(n, f"The setting {n} of {kind.__name__}."), **offer}
        for n, p in plain.items()
        if n != seed and (offer := _offer(p.default)) is not None
    ]
    tasks, failure, warning = _tried(kind, seed)
    if not tasks:
        raise failure if failure else TypeError(f"{kind.__name__} could learn nothing")
    doc = (inspect.getdoc(kind) or "").split("\n\n")[0].replace("\n", " ").strip()
    return {
        "settings": settings, "tasks": tasks, "seed": seed, "weights": "sample_weight" in inspect.signature(methods["fit"]).parameters,
        "sentence": doc or f"Your own class {kind.__name__}.", "warning": warning,
    }  # fmt: skip


def _offer(default: Any) -> dict[str, Any] | None:
    """Range and limits of a setting by its default; None where nothing can be searched."""
    if isinstance(default, bool):
        return {"default": default, "domain": "yes | no", "limits": "yes | no"}
    if isinstance(default, int):
        domain = f"{max(default // 4, 1)} .. {default * 4} int log" if default > 0 else f"{default - 10} .. {default + 10} int"
        return {"default": default, "domain": domain, "limits": "-1000000000 .. 1000000000 int"}
    if isinstance(default, float) and np.isfinite(default):
        domain = f"{default / 10:.6g} .. {default * 10:.6g} log" if default > 0 else f"{default - 1:.6g} .. {default + 1:.6g}"
        return {"default": default, "domain": domain, "limits": "-1e30 .. 1e30"}
    if isinstance(default, str):
        written = json.dumps(default, ensure_ascii=False)
        return {"default": default, "domain": written, "limits": written}
    return None


def _explained(doc: str) -> dict[str, str]:
    """`name : type` and the line after it, as numpydoc writes parameters."""
    return {m[1]: m[2].strip() for m in re.finditer(r"^(\w+) :.*\n\s+(.+)$", doc, re.MULTILINE)}


def _tried(kind: Any, seed: str) -> tuple[list[str], BaseException | None, str]:
    """The tasks at which it fits and predicts made-up rows, why it failed at the first of the others, and what to be warned of."""
    rng = np.random.default_rng(0)
    rows = rng.normal(size=(ROWS, COLUMNS))
    line = rows[:, 0] + 0.3 * rng.normal(size=ROWS)
    targets = {
        "binary": (line > 0).astype(int), "multiclass": np.digitize(line, [-0.5, 0.5]), "regression": line * 3 + 1,
    }  # fmt: skip
    classifies = _is(kind, "classifier") or callable(getattr(kind, "predict_proba", None))
    wanted = ("regression",) if _is(kind, "regressor") else TASKS[:2] if classifies else TASKS
    found, failure, warning = [], None, ""
    for task in wanted:
        try:
            model = kind(**({seed: 0} if seed else {}))
            model.fit(rows, targets[task])
            said = np.asarray(model.predict(rows[:10]))
            if said.shape != (10,):
                raise ValueError(f"predict gave the shape {said.shape} for 10 rows; it has to be (10,)")
            if task == "regression":
                said.astype(float)
            elif not np.isin(said, np.unique(targets[task])).all():
                raise ValueError("predict gave values that are no classes of the target")
            elif hasattr(model, "predict_proba"):
                _check_probabilities(np.asarray(model.predict_proba(rows[:10])), len(np.unique(targets[task])), model)
            found.append(task)
            warning = warning or _unsaved(model)
        except Exception as error:
            failure = failure or error
    return found, failure, warning


def _unsaved(model: Any) -> str:
    try:
        pickle.dumps(model)
    except Exception as error:
        return (
            f"A fitted {type(model).__name__} cannot be pickled ({type(error).__name__}: {error}): its size stays unknown, and there "
            "will be no model.joblib to take away."
        )
    return ""


def _check_probabilities(given: Any, classes: int, model: Any) -> None:
    if given.shape != (10, classes):
        raise ValueError(f"predict_proba gave the shape {given.shape} for 10 rows and {classes} classes")
    if not hasattr(model, "classes_"):
        raise ValueError("it has predict_proba, so after fit it needs classes_: the classes in the order of the columns")


def _is(kind: Any, what: str) -> bool:
    return getattr(kind, "_estimator_type", "") == what or any(c.__name__ == f"{what.capitalize()}Mixin" for c in kind.__mro__)


def _metric(function: Any, order: dict[str, Any]) -> dict[str, Any]:
    if not callable(function):
        raise TypeError(f"{function!r} is not a function")
    rng, third = np.random.default_rng(0), _third(function)
    weights = {"none": (), "needed": (np.ones(ROWS),), "optional": (np.ones(ROWS),)}[third]
    suited, trouble = [], []
    for task in order["tasks"]:
        try:
            _example(function, task, order["needs"], third, weights, rng)
        except Exception as error:
            trouble.append(error)
        else:
            suited.append(task)
    if not suited:
        raise trouble[0]
    doc = (inspect.getdoc(function) or "").split("\n\n")[0].replace("\n", " ").strip()
    return {"sentence": doc or f"Your own function {function.__name__}.", "third": third, "tasks": suited}


def _example(function: Any, task: str, needs: str, third: str, weights: tuple[Any, ...], rng: Any) -> None:
    """Judge a plain example of a kind of target; what it cannot judge it raises at, or is not finite."""
    classes = {"binary": 2, "multiclass": 3}.get(task, 0)
    truth = rng.integers(0, classes, ROWS) if classes else rng.normal(size=ROWS)
    said = rng.dirichlet(np.ones(classes), ROWS) if classes and needs == "probabilities" else truth
    scores = [float(function(truth, said, *weights)), *([float(function(truth, said))] if third != "needed" else [])]
    if not np.isfinite(scores).all():
        raise ValueError(f"it gave {scores[0]} for a plain example of a {task} target")


def _third(function: Any) -> str:
    """Whether a function takes the rows' weights beside truth and predictions: 'none', 'optional' or 'needed'."""
    try:
        parameters = list(inspect.signature(function).parameters.values())
    except (TypeError, ValueError):  # written in C: it is asked without
        return "none"
    places = [p for p in parameters if p.kind in (p.POSITIONAL_ONLY, p.POSITIONAL_OR_KEYWORD)]
    if len(places) > 2 and places[2].default is places[2].empty:
        return "needed"
    return "optional" if len(places) > 2 or any(p.kind is p.VAR_POSITIONAL for p in parameters) else "none"


if __name__ == "__main__":
    main()
