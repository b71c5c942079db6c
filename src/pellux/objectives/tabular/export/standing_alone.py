"""A wrapper that a saved model needs, under a module of its own: a file beside the model instead of an installed Pellux."""

from __future__ import annotations

import inspect
import sys
from types import ModuleType
from typing import Any

MODULE = "outsider"  # the file that goes along is called so


def text() -> str:
    """The source of the module."""
    from pellux.objectives.tabular.learners.stages import Outsider

    kind: Any = Outsider
    return f"import copy\n\nfrom sklearn.base import BaseEstimator\n\n\n{inspect.getsource(kind)}"


def standing_alone(pipeline: Any) -> Any:
    """A fitted pipeline whose last step is somebody's own class in our wrapper, as it is to be saved; any other as it is."""
    from pellux.objectives.tabular.learners.stages import Outsider

    kind: Any = Outsider
    name, last = pipeline.steps[-1]
    if type(last) is not kind:
        return pipeline
    own = {name: value for name, value in vars(kind).items() if name not in ("__dict__", "__weakref__")}
    alone: Any = type(kind.__name__, kind.__bases__, {**own, "__module__": MODULE})
    module = ModuleType(MODULE)
    vars(module)[kind.__name__] = alone
    sys.modules[MODULE] = module  # whoever saves it looks the class up there
    twin = alone(last.model)
    twin.__dict__.update(last.__dict__)
    found = type(pipeline)([*pipeline.steps[:-1], (name, twin)])
    found.__dict__.update({k: v for k, v in pipeline.__dict__.items() if k != "steps"})
    return found
