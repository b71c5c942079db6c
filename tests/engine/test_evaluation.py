"""What becomes of what an evaluator raises."""

from __future__ import annotations

import errno

import pytest

from pellux.engine.evaluation import evaluate
from pellux.engine.states import FitState
from pellux.service.wording import sentence


class Raising:
    def __init__(self, error: Exception) -> None:
        self.error = error

    def evaluate(self, order: object, context: object) -> None:
        raise self.error


@pytest.mark.parametrize("code", [errno.ENOSPC, errno.EDQUOT])
def test_a_full_disk_loses_the_fit_and_names_the_disk(code: int) -> None:
    outcome = evaluate(Raising(OSError(code, "full")), None, None, lambda: "said", "/there")  # type: ignore[arg-type]
    assert (outcome.state, outcome.reason.code, outcome.reason.facts["folder"]) == (FitState.LOST, "disk full", "/there")


@pytest.mark.parametrize("error", [PermissionError(errno.EACCES, "not yours"), ValueError("not a number")])
def test_any_other_error_is_the_trials_own(error: Exception) -> None:
    outcome = evaluate(Raising(error), None, None, lambda: "said", "/there")  # type: ignore[arg-type]
    assert outcome.state == FitState.ERROR
    assert str(error.args[-1]) in sentence(outcome.reason)
    assert outcome.log.startswith("said")
    assert type(error).__name__ in outcome.log
