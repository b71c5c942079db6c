"""The errors that people can cause, for the edges that tell them: web and command line know the service and nothing below it."""

from pellux.core.errors import (
    Conflict,
    InvalidBrief,
    InvalidData,
    InvalidOwnCode,
    InvalidPlan,
    InvalidSpace,
    NotationError,
    NotFound,
    PelluxError,
    WorkspaceError,
    disk_is_full,
)
from pellux.store.lock import EngineHeld

__all__ = [
    "Conflict", "EngineHeld", "InvalidBrief", "InvalidData", "InvalidOwnCode", "InvalidPlan", "InvalidSpace", "NotFound",
    "NotationError", "PelluxError", "WorkspaceError", "disk_is_full",
]  # fmt: skip
