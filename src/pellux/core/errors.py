"""Every error a user can cause, in one tree.

PelluxError
├── InvalidSpace        a space that cannot be searched
│   └── NotationError   a line of space notation that does not parse (line, column, caret)
├── InvalidBrief        a problem that cannot be judged
│   └── InvalidData     a file that cannot be read as a table
├── InvalidPlan         a plan that cannot be run
├── NotFound            no such object
├── Conflict            the object is in a state that does not allow it
│   └── FileGone        a file that everything about the object needs is not there any more
├── InvalidOwnCode      a person's own learner or metric that does not work
└── WorkspaceError      the folder cannot be used (locked, newer, read-only, full)

Each has a stable `code`; the web layer turns it into a problem document, the command line into one line.
"""

from __future__ import annotations

import errno


def disk_is_full(error: OSError) -> bool:
    """Whether it is for want of room: that passes, and is nobody's mistake."""
    return error.errno in (errno.ENOSPC, errno.EDQUOT)


class PelluxError(Exception):
    """Base of all errors meant for a person. `at` names the field that has to change."""

    code = "error"

    def __init__(self, message: str, *, at: str | None = None) -> None:
        super().__init__(message)
        self.message = message
        self.at = at


class InvalidSpace(PelluxError):
    """A space that cannot be searched."""

    code = "invalid-space"


class NotationError(InvalidSpace):
    """A mistake in space notation; `str()` shows the line with a caret under the mistake."""

    code = "notation"

    def __init__(self, problem: str, *, line: int, column: int, source: str, expected: str = "") -> None:
        self.problem, self.line, self.column = problem, line, column
        self.source, self.expected = source, expected
        tail = f" Expected {expected}." if expected else ""
        caret = " " * (column - 1) + "^"
        super().__init__(f"Line {line}, column {column}: {problem}{tail}\n  {source}\n  {caret}", at="space")


class InvalidBrief(PelluxError):
    """A problem that cannot be judged."""

    code = "invalid-brief"


class InvalidData(InvalidBrief):
    """A file that cannot be read as a table."""

    code = "invalid-data"


class InvalidPlan(PelluxError):
    """A request or plan that cannot be run."""

    code = "invalid-plan"


class InvalidOwnCode(PelluxError):
    """`detail` holds the traceback, or what the code printed."""

    code = "invalid-own-code"

    def __init__(self, message: str, *, at: str | None = None, detail: str = "") -> None:
        super().__init__(message, at=at)
        self.detail = detail


class NotFound(PelluxError):
    """There is no such object."""

    code = "not-found"


class Conflict(PelluxError):
    """The object is in a state that does not allow it."""

    code = "conflict"


class FileGone(Conflict):
    """A file of the workspace is not there any more; `path` says which."""

    code = "file-gone"

    def __init__(self, message: str, *, path: str) -> None:
        super().__init__(message)
        self.path = path


class WorkspaceError(PelluxError):
    """The folder cannot be used: read-only, full, of a newer version."""

    code = "workspace"
