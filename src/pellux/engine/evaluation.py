"""One fit through an evaluator, in a worker: what it raises becomes a reason, what it prints its log."""

from __future__ import annotations

import time
import traceback
from collections.abc import Callable

from pellux.core.errors import disk_is_full
from pellux.core.objective import Evaluator, FitContext, FitFailed, FitOrder, Unavailable
from pellux.core.reasons import because
from pellux.engine.model import Outcome
from pellux.engine.states import FitState

LOG_TAIL = 4000


def evaluate(
    evaluator: Evaluator,
    order: FitOrder,
    context: FitContext,
    tail: Callable[[], str],
    disk: str,
    clock: Callable[[], float] = time.perf_counter,
) -> Outcome:
    """The fit's outcome, whatever happens in it.

    `tail` gives the end of what it printed, `disk` is a folder of the disk that fits write to.
    """
    begun = clock()
    try:
        return Outcome.of(evaluator.evaluate(order, context), tail())
    except FitFailed as failed:
        seconds = clock() - begun if failed.seconds is None else failed.seconds
        return Outcome(FitState.ERROR, seconds=seconds, reason=failed.reason, log=tail(), warnings=failed.warnings)
    except Unavailable as missing:
        return Outcome(FitState.LOST, seconds=clock() - begun, reason=missing.reason, log=tail())
    except OSError as error:
        if disk_is_full(error):  # no fit could do anything then: the search waits, and this fit is tried again
            return Outcome(FitState.LOST, seconds=clock() - begun, reason=because("disk full", folder=disk), log=tail())
        return _error(error, clock() - begun, tail)
    except MemoryError:
        return Outcome(FitState.TOO_LARGE, seconds=clock() - begun, reason=because("too little memory"), log=tail())
    except Exception as error:
        return _error(error, clock() - begun, tail)


def _error(error: Exception, seconds: float, tail: Callable[[], str]) -> Outcome:
    reason = because("error", kind=type(error).__name__, text=str(error))
    log = tail() + "".join(traceback.format_exception(error))[-LOG_TAIL:]
    return Outcome(FitState.ERROR, seconds=seconds, reason=reason, log=log)
