"""Linear algebra on one thread, for processes of ours that work side by side."""

from __future__ import annotations

from contextlib import AbstractContextManager
from functools import cache
from typing import Any

from threadpoolctl import ThreadpoolController


@cache
def libraries() -> ThreadpoolController:
    """What is loaded here and has threads of its own. To look for it takes as long as a short fit does: it is asked for once, by the
    process that others are forked from."""
    return ThreadpoolController()


def one_thread() -> AbstractContextManager[Any]:
    """Each library's threads held to one while this lasts, whatever the environment says."""
    found: AbstractContextManager[Any] = libraries().limit(limits=1)
    return found
