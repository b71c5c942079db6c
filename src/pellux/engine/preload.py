"""Imported once by the process that workers are forked from, so that a worker starts in tens of milliseconds."""

import sklearn.compose
import sklearn.ensemble
import sklearn.impute
import sklearn.linear_model
import sklearn.metrics
import sklearn.neural_network
import sklearn.pipeline
import sklearn.preprocessing
import sklearn.tree  # noqa: F401

import pellux.engine.worker  # noqa: F401
