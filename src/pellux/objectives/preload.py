# ruff: noqa: F401
"""What fits of all kinds of objectives need: imported once by the process that workers are forked from."""

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
