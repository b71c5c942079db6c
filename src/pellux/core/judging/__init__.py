"""Metrics, split plans, and what fold scores amount to."""

from pellux.core.judging.brief import Brief
from pellux.core.judging.metrics import (
    BINARY,
    METRICS,
    MULTICLASS,
    OURS,
    REGRESSION,
    Metric,
    Metrics,
    default_metric,
)
from pellux.core.judging.split_plans import (
    HOLDOUT,
    ONLY_LEARNT,
    UNUSED,
    Folds,
    Rows,
    SplitPlan,
    Tested,
    assign_folds,
    fingerprint,
    fresh_folds,
)
from pellux.core.judging.summary import mean, standard_error

__all__ = [
    "BINARY", "HOLDOUT", "METRICS", "MULTICLASS", "ONLY_LEARNT", "OURS", "REGRESSION", "UNUSED", "Brief", "Folds", "Metric", "Metrics",
    "Rows", "SplitPlan", "Tested", "assign_folds", "default_metric", "fingerprint", "fresh_folds", "mean", "standard_error",
]  # fmt: skip
