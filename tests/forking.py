"""Commands of ours as processes of their own, forked from one that has everything loaded.

An interpreter that loads what a server needs, and another that loads what its workers need, take six seconds of processor time together;
tests start some hundred. `popen` is `subprocess.Popen` of `python -m MODULE ...`: arguments, environment, folder, pipes, signals and exit
status are those of a process that was started; only what is loaded before the first line of ours is there already. Tests of how Pellux
starts (tests/test_wheel.py, some of tests/cli) start an interpreter.

Scripts that were taken away (`python [-I | -P] FILE ...`, `python -P -c TEXT ...`) find the libraries they ask for loaded, too, and nothing of
ours: what they import of Pellux would be loaded anew, and seen in `sys.modules`.

`python -m tests.forking SOCKET PID` is the process that forks; it ends with process PID.
"""

from __future__ import annotations

import atexit
import contextlib
import fcntl
import gc
import importlib
import json
import os
import runpy
import select
import signal
import socket
import subprocess
import sys
import tempfile
import threading
import time
import traceback
import types
from collections.abc import Mapping
from multiprocessing import connection as addresses
from multiprocessing import forkserver, resource_tracker
from pathlib import Path
from typing import Any

from pellux.cli import COMMANDS

VARIABLE = "PELLUX_TESTS_FORKER"  # its socket, one for all test processes
LOADED = (
    "pellux.engine.preload", "pellux.web.app", "pellux.web.server", "pellux.api", "pellux.engine.cluster.seat", "pellux.engine.cluster.inspecting",
    *(f"pellux.cli.{name.replace('-', '_')}" for name in COMMANDS), "distributed.cli.dask_scheduler", "distributed.cli.dask_worker",
    "tests.serving_two_numbers",
)  # fmt: skip
OURS = ("pellux", "tests", "benchmarks")
PATIENCE = 120.0


# The side of the tests


class _Forked(subprocess.Popen[Any]):
    """A child of the process that forks: how it ended comes through a socket and not from the kernel."""

    _end: socket.socket

    def _execute_child(self, args: list[str], *others: Any) -> None:
        # As subprocess hands them over: … cwd, env, …, the ends of three pipes, …, start_new_session, process_group.
        cwd, env = others[4], others[5]
        p2cread, _, _, c2pwrite, _, errwrite = others[9:15]
        assert args[0] == sys.executable, args
        given = [here if there == -1 else there for here, there in zip((0, 1, 2), (p2cread, c2pwrite, errwrite), strict=True)]
        request = {**_asked_for(args[1:]), "folder": str(cwd or os.getcwd()), "session": bool(others[-2])}
        request["environment"] = dict(os.environ if env is None else env)
        self._end = socket.socket(socket.AF_UNIX)
        self._end.connect(_standing())
        socket.send_fds(self._end, [json.dumps(request).encode() + b"\n"], given)
        self.pid = json.loads(_line(self._end))
        self._child_created = True
        self._close_pipe_fds(*others[9:15])  # type: ignore[attr-defined]

    def _try_wait(self, flags: int) -> tuple[int, int]:
        self._end.setblocking(not flags & os.WNOHANG)
        try:
            said = _line(self._end)
        except BlockingIOError:
            return 0, 0
        self._end.close()
        assert said, "the process that forks is gone"
        return self.pid, int(said)

    def _internal_poll(self, *_: Any, **__: Any) -> int | None:
        if self.returncode is None:
            pid, status = self._try_wait(os.WNOHANG)
            if pid:
                self.returncode = os.waitstatus_to_exitcode(status)
        return self.returncode


def popen(command: list[Any], **how: Any) -> subprocess.Popen[Any]:
    """`subprocess.Popen(command, ...)`; `command` is what an interpreter is called with, `[sys.executable, "-m", module, *arguments]` or a script."""
    return (_Forked if VARIABLE in os.environ else subprocess.Popen)([str(part) for part in command], **how)


def run(command: list[Any], timeout: float, **how: Any) -> subprocess.CompletedProcess[str]:
    """`subprocess.run(command, capture_output=True, text=True, ...)`."""
    with popen(command, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True, **how) as process:
        try:
            out, err = process.communicate(timeout=timeout)
        except BaseException:
            process.kill()
            raise
    return subprocess.CompletedProcess(command, process.returncode, out, err)


def _asked_for(words: list[str]) -> dict[str, Any]:
    """What is run, with what, and whether its folder is looked through for modules."""
    alone = words[0] in ("-I", "-P")
    first, *arguments = words[alone:]
    if first in ("-m", "-c"):
        return {"kind": first, "what": arguments[0], "arguments": arguments[1:], "alone": alone}
    return {"kind": "file", "what": first, "arguments": arguments, "alone": alone}


def _line(end: socket.socket) -> bytes:
    """Up to a line's end; empty where the other side is gone."""
    found = b""
    while not found.endswith(b"\n") and (more := end.recv(1)):
        found += more
        end.setblocking(True)
    return found


def choose() -> None:
    """Called once, by the process that starts the others: where the one that forks will be."""
    folder = tempfile.mkdtemp(prefix="pellux-tests-")
    os.environ[VARIABLE] = f"{folder}/forker"
    os.environ[f"{VARIABLE}_FOR"] = str(os.getpid())


def leave() -> None:
    """By the same one at the end."""
    path = Path(os.environ[VARIABLE])
    with contextlib.suppress(OSError), socket.socket(socket.AF_UNIX) as end:
        end.connect(str(path))
        end.sendall(b"end\n")
        end.recv(1)
    for file in path.parent.iterdir():
        file.unlink()
    path.parent.rmdir()


def _standing() -> str:
    """Its socket; who needs it first starts it."""
    path = os.environ[VARIABLE]
    with open(f"{path}.lock", "w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        if not os.path.exists(path):
            none = {"OMP_NUM_THREADS": "1", "OPENBLAS_NUM_THREADS": "1", "JE_ARROW_MALLOC_CONF": "background_thread:false"}
            command = [sys.executable, "-m", "tests.forking", path, os.environ[f"{VARIABLE}_FOR"]]
            with open(f"{path}.log", "w") as log:
                started = subprocess.Popen(
                    command,
                    cwd=Path(__file__).parents[1],
                    env={**os.environ, **none},
                    stdin=subprocess.DEVNULL,
                    stdout=log,
                    stderr=log,
                )
            end = time.monotonic() + PATIENCE
            while not os.path.exists(path):
                if started.poll() is not None or time.monotonic() > end:
                    raise AssertionError(Path(f"{path}.log").read_text())
                time.sleep(0.02)
            started.returncode = 0  # nobody waits for it: it ends with process PID
    return path


# The process that forks


def serve(path: str, until: int) -> None:
    """Fork what is asked for, say its number and, once it has ended, how; until process `until` is gone or says so."""
    for name in LOADED:
        importlib.import_module(name)
    assert len(os.listdir("/proc/self/task")) == 1, "what is forked beside threads may wait for them for ever"
    gc.collect()
    gc.freeze()
    listener = socket.socket(socket.AF_UNIX)
    listener.bind(f"{path}.new")
    listener.listen(64)
    os.rename(f"{path}.new", path)
    waiting: dict[int, int] = {}  # children, and the descriptors through which it is said how they end
    ended, wakes = os.pipe()
    os.set_blocking(wakes, False)
    signal.signal(signal.SIGCHLD, lambda *_: None)
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    signal.set_wakeup_fd(wakes)
    while os.path.exists(f"/proc/{until}"):
        ready = select.select([listener, ended], [], [], 1.0)[0]
        if ended in ready:
            os.read(ended, 4096)
            _reap(waiting)
        if listener in ready:
            end = listener.accept()[0].detach()
            if not _asked(end, waiting):
                return


def _reap(waiting: dict[int, int]) -> None:
    with contextlib.suppress(ChildProcessError):
        while (one := os.waitpid(-1, os.WNOHANG))[0]:
            end = waiting.pop(one[0])
            with contextlib.suppress(OSError):
                os.write(end, f"{one[1]}\n".encode())
            os.close(end)


def _asked(end: int, waiting: dict[int, int]) -> bool:
    with socket.socket(fileno=os.dup(end)) as talk:
        text, given, _, _ = socket.recv_fds(talk, 1 << 20, 3)
        while not text.endswith(b"\n") and (more := talk.recv(1 << 20)):
            text += more
    if not text.endswith(b"\n"):  # whoever asked is gone
        for one in (end, *given):
            os.close(one)
        return True
    if text == b"end\n":
        return False
    pid = os.fork()
    if pid == 0:
        _become(json.loads(text), given)
    for one in given:
        os.close(one)
    waiting[pid] = end
    os.write(end, f"{pid}\n".encode())
    return True


def _become(request: Mapping[str, Any], given: list[int]) -> None:
    """What was asked for. Never returns."""
    status = 1
    try:
        _stand(request, given)
        try:
            _carry_out(request["kind"], request["what"])
            status = 0
        except SystemExit as end:
            status = end.code if isinstance(end.code, int) else 0 if end.code is None else 1
            if isinstance(end.code, str):
                print(end.code, file=sys.stderr)
        except KeyboardInterrupt:
            traceback.print_exc()
            status = 130
        threading._shutdown()  # type: ignore[attr-defined]
        atexit._run_exitfuncs()
    except BaseException:
        traceback.print_exc()
    finally:
        with contextlib.suppress(Exception):
            sys.stdout.flush()
            sys.stderr.flush()
        os._exit(status)


def _carry_out(kind: str, what: str) -> None:
    if kind == "-m":
        sys.modules.pop(what, None)  # it is run, and not what was imported for what it needs
        runpy.run_module(what, run_name="__main__", alter_sys=True)
        return
    for name in [name for name in sys.modules if name.partition(".")[0] in OURS]:
        del sys.modules[name]
    main = sys.modules["__main__"] = types.ModuleType("__main__")
    if kind == "file":
        main.__file__ = what
        code = compile(Path(what).read_bytes(), what, "exec")
    else:
        code = compile(what, "<string>", "exec")
    exec(code, main.__dict__)


def _stand(request: Mapping[str, Any], given: list[int]) -> None:
    """As an interpreter finds itself at its start: pipes, signals, folder, environment, arguments, where modules are looked for."""
    signal.set_wakeup_fd(-1)
    if request["session"]:
        os.setsid()
    for place, one in enumerate(given):
        os.dup2(one, place)
    os.closerange(3, 1 << 12)
    signal.signal(signal.SIGCHLD, signal.SIG_DFL)
    signal.signal(signal.SIGINT, signal.default_int_handler)
    os.chdir(request["folder"])
    os.environ.clear()
    os.environ.update(request["environment"])
    time.tzset()
    kind, what = request["kind"], request["what"]
    sys.argv = ["-c" if kind == "-c" else what, *request["arguments"]]
    more = [one for one in request["environment"].get("PYTHONPATH", "").split(":") if one]
    here = [] if request["alone"] else [os.path.dirname(os.path.abspath(what)) if kind == "file" else request["folder"]]
    sys.path[:] = [*here, *more, *(one for one in sys.path[1:] if one not in more)]
    for place, mode in enumerate("rww"):
        stream = open(place, mode, closefd=False, buffering=1 if place == 2 else -1)  # noqa: SIM115
        setattr(sys, ("stdin", "stdout", "stderr")[place], stream)
    _fork_workers_from_here()


def _fork_workers_from_here() -> None:
    """The process that workers are forked from: it would be an interpreter that loads all of this again. It ends with this one."""
    ours: Any = forkserver._forkserver  # type: ignore[attr-defined]
    listener = socket.socket(socket.AF_UNIX)
    address = addresses.arbitrary_address("AF_UNIX")  # type: ignore[attr-defined]
    listener.bind(address)
    os.chmod(address, 0o600)
    listener.listen()
    alive, holds = os.pipe()
    pid = os.fork()
    if pid == 0:
        os.close(holds)
        with contextlib.suppress(BaseException):
            forkserver.main(listener.detach(), alive, None)
        os._exit(0)
    os.close(alive)
    listener.close()
    ours._forkserver_address, ours._forkserver_alive_fd, ours._forkserver_pid = address, holds, pid
    resource_tracker.ensure_running()


if __name__ == "__main__":
    serve(sys.argv[1], int(sys.argv[2]))
