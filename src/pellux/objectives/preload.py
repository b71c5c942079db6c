# ruff: noqa: F401
"""What fits of all kinds of objectives need: imported once by the process that workers are forked from."""

import numpy as np
import sklearn.compose
import sklearn.ensemble
import sklearn.impute
import sklearn.linear_model
import sklearn.metrics
import sklearn.neural_network
import sklearn.pipeline
import sklearn.preprocessing
import sklearn.tree

import pellux.objectives.tabular.evaluator
from pellux.objectives.tabular.preparation import Steps, transformer


def first_fit() -> None:
    """What libraries look for once in a process, as plug-ins among all that is installed, takes longer than a small fit: it is done here."""
    table = np.array([[0.0, np.nan, 0.0], [1.0, 2.0, 1.0], [3.0, 1.0, 0.0], [2.0, 4.0, 1.0]])
    learner = sklearn.pipeline.make_pipeline(transformer(Steps(), 3, (2,), "binary"), sklearn.tree.DecisionTreeClassifier())
    learner.fit(table, [0, 1, 0, 1]).predict_proba(table)


first_fit()
