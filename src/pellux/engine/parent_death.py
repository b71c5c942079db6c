"""Ties a process to its parent: when the parent dies, however it dies, the kernel kills the child's process group.

The child holds the reading end of a pipe that nobody writes to. When the parent ends, the pipe hangs up, and the
kernel sends SIGKILL to the group: also while the child computes with the interpreter lock held, and to its children.
"""

from __future__ import annotations

import fcntl
import os
import select
import signal

F_SETSIG = 10  # Linux; not in the fcntl module


def tie(pipe: int) -> None:
    """Die with the writer of `pipe`, the file descriptor of a pipe's reading end."""
    os.setpgid(0, 0)
    fcntl.fcntl(pipe, fcntl.F_SETOWN, -os.getpgid(0))
    fcntl.fcntl(pipe, F_SETSIG, signal.SIGKILL)
    fcntl.fcntl(pipe, fcntl.F_SETFL, fcntl.fcntl(pipe, fcntl.F_GETFL) | os.O_ASYNC)
    if select.select([pipe], [], [], 0)[0]:  # the parent was gone before the signal was armed
        os.killpg(0, signal.SIGKILL)
