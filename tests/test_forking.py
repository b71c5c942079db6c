"""A command that is forked is, for a test, one that was started: what it is given, what it says, how it ends."""

from __future__ import annotations

import json
import os
import signal
import subprocess
import sys
from pathlib import Path

import psutil
import pytest

from tests.forking import popen, run
from tests.waiting import until

TOLD = """
import json, multiprocessing, os, signal, sys, threading, time

def main():
    told = {"name": __name__, "arguments": sys.argv[1:], "folder": os.getcwd(), "given": os.environ.get("GIVEN"), "home": "HOME" in os.environ}
    told |= {"read": sys.stdin.read(), "own": os.getpid() == os.getsid(0), "threads": threading.active_count(), "open": len(os.listdir("/proc/self/fd"))}
    told["interrupts"] = signal.getsignal(signal.SIGINT) is signal.default_int_handler
    print(json.dumps(told), flush=True)
    print("beside", file=sys.stderr)
    if "raise" in sys.argv:
        raise ValueError("as asked")
    if "workers" in sys.argv:
        context = multiprocessing.get_context("forkserver")
        worker = context.Process(target=time.sleep, args=(600,))
        worker.start()
        print(worker.pid, flush=True)
        worker.join()
    if "sleep" in sys.argv:
        time.sleep(600)
    sys.exit(int(sys.argv[-1]) if sys.argv[-1].isdigit() else "in words" if "words" in sys.argv else None)

if __name__ == "__main__":
    main()
"""


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    (tmp_path / "teller.py").write_text(TOLD)
    return tmp_path


def command(*arguments: str) -> list[str]:
    return [sys.executable, "-m", "teller", *arguments]


def test_it_gets_what_it_is_given(folder: Path) -> None:
    done = run(
        command("one", "7"), timeout=60, cwd=folder, env={"GIVEN": "yes", "PYTHONPATH": "/nowhere"}, stdin=subprocess.DEVNULL
    )
    told = json.loads(done.stdout)
    assert told.pop("open") <= 9, (
        "nothing of who forks is open: pipes, what workers are forked through, and the folder that is listed"
    )
    assert told == {
        "name": "__main__", "arguments": ["one", "7"], "folder": str(folder), "given": "yes", "home": False, "read": "", "own": False,
        "threads": 1, "interrupts": True,
    }  # fmt: skip
    assert (done.returncode, done.stderr) == (7, "beside\n")


@pytest.mark.parametrize(
    ("argument", "status", "last"), [("words", 1, "in words"), ("raise", 1, "ValueError: as asked"), ("nothing", 0, "beside")]
)
def test_it_ends_as_any_program_does(folder: Path, argument: str, status: int, last: str) -> None:
    done = run(command(argument), timeout=60, cwd=folder)
    assert (done.returncode, done.stderr.splitlines()[-1]) == (status, last)


def test_it_is_killed_with_its_group_and_says_by_what(folder: Path) -> None:
    with popen(command("sleep"), cwd=folder, stdin=subprocess.DEVNULL, stdout=subprocess.PIPE, start_new_session=True) as process:
        assert process.stdout is not None
        assert json.loads(process.stdout.readline())["own"]
        assert process.poll() is None
        with pytest.raises(subprocess.TimeoutExpired):
            process.wait(0.05)
        os.killpg(process.pid, signal.SIGTERM)
        assert process.wait(20) == -signal.SIGTERM
        assert process.poll() == -signal.SIGTERM, "asked again it says the same"


def test_workers_are_forked_from_a_process_that_ends_with_it(folder: Path) -> None:
    with popen(command("workers"), cwd=folder, stdin=subprocess.DEVNULL, stdout=subprocess.PIPE) as process:
        assert process.stdout is not None
        process.stdout.readline()
        worker = psutil.Process(int(process.stdout.readline()))
        forks = worker.parent()
        assert forks is not None
        assert forks.ppid() == process.pid
        process.kill()
        worker.kill()  # a plain one is not tied to its parent, as those of Pellux are
        # Whoever adopts it may be slow to bury it.
        until(lambda: not forks.is_running() or forks.status() == psutil.STATUS_ZOMBIE, what="the end of it")


SEEN = (
    "import json, sys; print(json.dumps([sys.argv[1:], sys.path[0], __name__, 'pellux' in sys.modules, 'sklearn' in sys.modules]))"
)


@pytest.mark.parametrize("how", ["file", "file alone", "text"])
def test_a_script_finds_libraries_and_nothing_of_ours(tmp_path: Path, how: str) -> None:
    (tmp_path / "seen.py").write_text(SEEN + "\nassert __file__.endswith('seen.py')")
    what = {"file": ["seen.py"], "file alone": ["-I", "seen.py"], "text": ["-c", SEEN]}[how]
    done = run([sys.executable, *what, "one", "-2"], 60, cwd=tmp_path)
    assert (done.returncode, done.stderr) == (0, "")
    arguments, first, name, ours, libraries = json.loads(done.stdout)
    assert (arguments, name, ours, libraries) == (["one", "-2"], "__main__", False, True)
    assert (first == str(tmp_path)) == (how != "file alone")
