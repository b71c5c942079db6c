"""A metric of one's own: what a wrong estimate of a trip's energy costs at the depot."""

import numpy as np


def late_charge(truth, predicted, weight=None):
    """Minutes lost a trip: a battery that was charged too little costs four minutes a kWh, one too much costs one."""
    missing = np.maximum(truth - predicted, 0)
    surplus = np.maximum(predicted - truth, 0)
    return float(np.average(4 * missing + surplus, weights=weight))
