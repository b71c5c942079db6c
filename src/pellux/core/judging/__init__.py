"""Metrics, split plans, and what fold scores amount to."""

from pellux.core.judging.brief import Brief
from pellux.core.judging.metrics import (
    BINARY,
    METRICS,
    MULTICLASS,
    REGRESSION,
    Metric,
    check_suits,
    default_metric,
    metric,
    metrics_for,
)
from pellux.core.judging.split_plans import HOLDOUT, UNUSED, SplitPlan, assign_folds, fingerprint, fresh_folds
from pellux.core.judging.summary import mean, standard_error

__all__ = [
    "BINARY", "HOLDOUT", "METRICS", "MULTICLASS", "REGRESSION", "UNUSED", "Brief", "Metric", "SplitPlan",
    "assign_folds", "check_suits", "default_metric", "fingerprint", "fresh_folds",
    "mean", "metric", "metrics_for", "standard_error",
]  # fmt: skip
