"""A model that is trained in iterations, as one estimator: with settings that change on the way, if there is a schedule.

The class stands alone: scripts that are taken away carry its text with them.
"""

import numpy as np
from sklearn.base import BaseEstimator, clone


class TrainedInStages(BaseEstimator):
    """Trains `model` up to each stage's iteration with that stage's settings: stages are (iteration, settings)."""

    def __init__(self, model, stages, counter):
        self.model = model
        self.stages = stages
        self.counter = counter

    def fit(self, rows, target):
        model, done = clone(self.model), 0
        by_epoch = hasattr(model, "partial_fit")
        if by_epoch:
            model.random_state = np.random.RandomState(model.random_state)
        for until, settings in self.stages:
            model.set_params(**settings)
            if hasattr(model, "_optimizer"):  # the optimiser keeps the rate that it was made with
                model._optimizer.learning_rate_init = model.learning_rate_init
            if by_epoch:
                for _ in range(done, until):
                    model.partial_fit(rows, target, classes=np.unique(target))
            else:
                model.set_params(warm_start=True, **{self.counter: until}).fit(rows, target)
            done = until
        self.model_ = model
        if hasattr(model, "classes_"):
            self.classes_ = model.classes_
        return self

    def predict(self, rows):
        return self.model_.predict(rows)

    def predict_proba(self, rows):
        return self.model_.predict_proba(rows)
