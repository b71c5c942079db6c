"""The server is killed again and again while it searches a program's settings; benchmarks/own/kills.py is the campaign itself."""

from __future__ import annotations

import pytest
from benchmarks.own import kills


@pytest.mark.slow
def test_kills_lose_nothing_and_do_nothing_twice() -> None:
    found = kills.run(3, seed=4, trials=3)
    assert found["kills"] == 3
    assert found["epochs"] >= 3 * 3
    # Two fits at a time and a checkpoint each epoch; a worker that starves on a busy machine may cost an epoch beside the kills.
    assert found["epochs begun again"] <= 3 * 2 + 5
    assert found["begun again before the last checkpoint"] <= 1
