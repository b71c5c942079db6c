"""Libraries with threads of their own have one in a process of ours."""

from __future__ import annotations

import numpy as np
from threadpoolctl import threadpool_info, threadpool_limits

from pellux.engine.one_thread import libraries, one_thread


def threads() -> set[int]:
    return {library["num_threads"] for library in threadpool_info()}


def test_whatever_the_environment_says_there_is_one_thread_until_it_is_over() -> None:
    assert np.linalg.norm(np.eye(3)) > 1, "a library of linear algebra is loaded"
    libraries.cache_clear()
    with threadpool_limits(2):  # as somebody's OMP_NUM_THREADS would have it
        assert threads() == {2}
        with one_thread():
            assert threads() == {1}
        assert threads() == {2}
    assert libraries() is libraries(), "they are looked for once"
