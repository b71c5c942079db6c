"""One fit through an evaluator, in a worker: what it raises becomes a reason, what it prints its log."""

from __future__ import annotations

import time
import traceback
from collections.abc import Callable

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
    clock: Callable[[], float] = time.perf_counter,
) -> Outcome:
    """The fit's outcome, whatever happens in it; `tail` gives the end of what it printed."""
    begun = clock()
    try:
        return Outcome.of(evaluator.evaluate(order, context), tail())
    except FitFailed as failed:
        seconds = clock() - begun if failed.seconds is None else failed.seconds
        return Outcome(FitState.ERROR, seconds=seconds, reason=failed.reason, log=tail(), warnings=failed.warnings)
    except Unavailable as missing:
        return Outcome(FitState.LOST, seconds=clock() - begun, reason=missing.reason, log=tail())
    except MemoryError:
        return Outcome(FitState.MEMORY, seconds=clock() - begun, reason=because("too little memory"), log=tail())
    except Exception as error:
        reason = because("error", kind=type(error).__name__, text=str(error))
        log = tail() + traceback.format_exc()[-LOG_TAIL:]
        return Outcome(FitState.ERROR, seconds=clock() - begun, reason=reason, log=log)
