"""Processes of ours: forked from one that has what they need loaded, and ended with all they started."""

from __future__ import annotations

import contextlib
import multiprocessing
import os
import signal
from multiprocessing import forkserver
from typing import Any

import psutil

THREADS = ("OMP_NUM_THREADS", "OPENBLAS_NUM_THREADS", "MKL_NUM_THREADS")


def prepare() -> Any:
    """Start the process that workers are forked from; call it early, from the main thread. Returns its context."""
    for name in THREADS:
        os.environ.setdefault(name, "1")
    context = multiprocessing.get_context("forkserver")
    context.set_forkserver_preload(["pellux.engine.preload"])
    forkserver.ensure_running()
    return context


def busy_seconds(pid: int) -> float:
    """Processor time that a process has used; 0 when it is gone."""
    try:
        times = psutil.Process(pid).cpu_times()
        return float(times.user + times.system)
    except psutil.Error:
        return 0.0


def kill_group(pid: int | None) -> None:
    """SIGKILL to a worker and everything it started; before it made its own group, to itself alone."""
    if pid is None:
        return
    with contextlib.suppress(ProcessLookupError, PermissionError):
        try:
            leads = os.getpgid(pid) == pid
        except ProcessLookupError:  # it is gone itself, but what it started may still be there
            leads = True
        (os.killpg if leads else os.kill)(pid, signal.SIGKILL)
