# ruff: noqa: F401
"""Imported once by the process that workers are forked from, so that a worker starts in tens of milliseconds."""

import gc

import pellux.engine.worker
import pellux.objectives.preload
from pellux.engine.one_thread import libraries

libraries()

# What all workers share is left out when one of them looks for garbage: to go through it takes a tenth of a second, and makes a copy of it for each.
gc.collect()
gc.freeze()
