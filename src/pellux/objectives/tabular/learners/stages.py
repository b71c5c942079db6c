"""A model that is trained in iterations, as one estimator: with settings that change on the way, if there is a schedule.

The class stands alone: scripts that are taken away carry its text with them.
"""

import copy

import numpy as np
from sklearn.base import BaseEstimator, RegressorMixin, clone


class ScaledTarget(RegressorMixin, BaseEstimator):
    """Trains `model` on a target of mean 0 and variance 1, and predicts in the target's own units."""

    def __init__(self, model):
        self.model = model

    def fit(self, rows, target, sample_weight=None):
        self.model = clone(self.model)
        self._measure(target)
        self.model.fit(rows, (target - self.mean_) / self.scale_, sample_weight=sample_weight)
        return self

    def partial_fit(self, rows, target, sample_weight=None):
        if not hasattr(self, "mean_"):
            self._measure(target)
        self.model.partial_fit(rows, (target - self.mean_) / self.scale_, sample_weight=sample_weight)
        return self

    def _measure(self, target):
        self.mean_, self.scale_ = float(np.mean(target)), float(np.std(target)) or 1.0

    def predict(self, rows):
        return self.mean_ + self.scale_ * self.model.predict(rows)


class TrainedInStages(BaseEstimator):
    """Trains `model` up to each stage's iteration with that stage's settings: stages are (iteration, settings)."""

    def __init__(self, model, stages, counter):
        self.model = model
        self.stages = stages
        self.counter = counter

    def fit(self, rows, target, sample_weight=None):
        model, done = clone(self.model), 0
        inner = getattr(model, "model", model)  # what a scaled target is around
        by_epoch = hasattr(model, "partial_fit")
        classes = {} if inner is not model else {"classes": np.unique(target)}
        if by_epoch:
            inner.random_state = np.random.RandomState(inner.random_state)
        for until, settings in self.stages:
            inner.set_params(**settings)
            if hasattr(inner, "_optimizer"):  # the optimiser keeps the rate that it was made with
                inner._optimizer.learning_rate_init = inner.learning_rate_init
            if by_epoch:
                for _ in range(done, until):
                    model.partial_fit(rows, target, sample_weight=sample_weight, **classes)
            else:
                model.set_params(warm_start=True, **{self.counter: until}).fit(rows, target, sample_weight=sample_weight)
            done = until
        self.model_ = model
        if hasattr(model, "classes_"):
            self.classes_ = model.classes_
        return self

    def predict(self, rows):
        return self.model_.predict(rows)

    def predict_proba(self, rows):
        return self.model_.predict_proba(rows)


class Outsider(BaseEstimator):
    """A class that is no scikit-learn estimator, made to look like one; `model_` is the fitted object itself."""

    def __init__(self, model):
        self.model = model

    def fit(self, rows, target, **given):
        self.model_ = copy.deepcopy(self.model)
        self.model_.fit(rows, target, **given)
        if hasattr(self.model_, "classes_"):
            self.classes_ = self.model_.classes_
        return self

    def predict(self, rows):
        return self.model_.predict(rows)

    def __getattr__(self, name):  # predict_proba is there exactly when it is there
        if name == "predict_proba" and hasattr(self.__dict__.get("model"), name):
            return self.__dict__.get("model_", self.__dict__["model"]).predict_proba
        raise AttributeError(name)
