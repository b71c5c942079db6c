"""Metrics, split plans, and what fold scores amount to."""

from pellux.core.judging.brief import Brief
from pellux.core.judging.metrics import (
    BINARY,
    METRICS,
    MULTICLASS,
    REGRESSION,
    Metric,
    check_suits,
    declare,
    default_metric,
    every_metric,
    metric,
    metrics_for,
)
from pellux.core.judging.split_plans import (
    HOLDOUT,
    ONLY_LEARNT,
    UNUSED,
    Folds,
    Rows,
    SplitPlan,
    assign_folds,
    fingerprint,
    fresh_folds,
)
from pellux.core.judging.summary import mean, standard_error

__all__ = [
    "BINARY", "HOLDOUT", "METRICS", "MULTICLASS", "ONLY_LEARNT", "REGRESSION", "UNUSED", "Brief", "Folds", "Metric",
    "Rows", "SplitPlan", "assign_folds", "check_suits", "declare", "default_metric", "every_metric", "fingerprint", "fresh_folds",
    "mean", "metric", "metrics_for", "standard_error",
]  # fmt: skip
