# ruff: noqa: F401
"""Imported once by the process that workers are forked from, so that a worker starts in tens of milliseconds."""

import pellux.engine.worker
import pellux.objectives.preload
from pellux.engine.one_thread import libraries

libraries()

import gc
gc.collect()
gc.freeze()
