"""Kills the server, kill -9, again and again while it searches a program's settings; then asks whether anything was lost or done twice.

python -m benchmarks.own.kills 100 1        # how many times, and the seed
"""

from __future__ import annotations

import random
import shutil
import sqlite3
import sys
import tempfile
import time
from collections import Counter
from pathlib import Path

import psutil
from tests.serving import Server

from pellux.demo.routes import COMMAND, FOLDER

SPACE = "rate: 1e-3 .. 1 log, start 0.02\nwidth: 4 .. 32 int log, start 16\nheat: 0.2 .. 3 log, start 1\npull: 1e-5 .. 0.1 log, start 1e-3\ncalm: 0 .. 0.99, start 0.9\n"


def program(folder: Path) -> None:
    """The demo's program, which also writes down every epoch that it begins."""
    text = (FOLDER / "plan_routes.py").read_text()
    line = "        rng = np.random.default_rng([given.seed, epoch])\n"
    assert line in text
    note = "        with open('begun.txt', 'a') as file: file.write(f'{given.out.parent.name}/{given.out.name} {epoch + 1}\\n')\n"
    (folder / "plan_routes.py").write_text(text.replace(line, note + line))


def run(kills: int, seed: int, trials: int = 30) -> dict[str, int]:
    """What was found; AssertionError at the first thing that is not as it should be."""
    rng, killed = random.Random(seed), 0
    with tempfile.TemporaryDirectory(prefix="pellux-kills-") as name:
        folder = Path(name)
        program(folder)
        workspace = folder / "w"
        search = 0
        while killed < kills:
            with Server(workspace, "--allow", str(folder)) as server:
                if search == 0 or server.get(f"/searches/{search}")["state"] == "finished":
                    search = _launch(server, folder, trials, seed + killed)
                _await_epochs(folder, rng.randint(0, 6))
                time.sleep(rng.uniform(0, 0.2))
                server.kill()
                killed += 1
        with Server(workspace, "--allow", str(folder)) as server:
            server.until(f"/searches/{search}", lambda s: s["state"] == "finished", 600)
        orphans = [p.pid for p in psutil.process_iter(["cmdline"]) if str(folder) in " ".join(p.info["cmdline"] or [])]
        assert not orphans, orphans
        twice = _done_twice(workspace / "pellux.db")
        assert not twice, f"scored fits were run again: {twice}"
        lines = (folder / "begun.txt").read_text().splitlines()
        begun, further = Counter(lines), _further_back(lines)
        again = sum(count - 1 for count in begun.values() if count > 1)
        shutil.rmtree(workspace)
    return {
        "kills": killed,
        "epochs": sum(begun.values()),
        "epochs begun again": again,
        "begun again before the last checkpoint": further,
        "scored fits run again": len(twice),
        "orphans": 0,
    }


def _further_back(lines: list[str]) -> int:
    """How often a fit began further back than with the epoch that was under way; it may where its trial was not written down yet."""
    reached: dict[str, int] = {}
    count = 0
    for line in lines:
        fit, epoch = line.rsplit(" ", 1)
        count += int(epoch) < reached.get(fit, 0)
        reached[fit] = int(epoch)
    return count


def _await_epochs(folder: Path, count: int, seconds: float = 20) -> None:
    """Until so many more epochs have begun, or the search has ended."""
    path, until = folder / "begun.txt", time.monotonic() + seconds
    before = path.stat().st_size if path.exists() else 0
    least = before + 12 * count  # a line has a dozen bytes or more
    while (path.stat().st_size if path.exists() else 0) < least and time.monotonic() < until:
        time.sleep(0.01)


def _launch(server: Server, folder: Path, trials: int, seed: int) -> int:
    brief = {
        "runs": COMMAND.split(), "folder": str(folder), "judged by": {"score": "in_time"}, "folds": 3, "seed": seed,
        "grows": {"what": "epochs", "most": 9, "goes on": True},
    }  # fmt: skip
    status, problem = server.call("POST", "/api/v1/own-code/problems", {"brief": brief, "space": SPACE})
    assert status == 201, problem
    plan = {
        "trials": trials,
        "workers": 2,
        "early stopping": "asynchronous halving",
        "stopping": {"least": 1},
        "strategy": "random",
        "seed": seed,
    }
    status, search = server.call("POST", f"/api/v1/problems/{problem['id']}/searches", {"space": SPACE, "plan": plan})
    assert status == 201, search
    return int(search["id"])


def _done_twice(database: Path) -> list[tuple[int, ...]]:
    """Fits of a rung that were told as scored more than once."""
    wanted = "search_id, " + ", ".join(f"json_extract(payload, '$.{key}')" for key in ("trial", "fold", "rung"))
    where = "kind = 'fit' AND json_extract(payload, '$.state') = 'done'"
    with sqlite3.connect(database) as connection:
        return connection.execute(f"SELECT {wanted} FROM ledger WHERE {where} GROUP BY {wanted} HAVING COUNT(*) > 1").fetchall()


if __name__ == "__main__":
    print(run(int(sys.argv[1]) if len(sys.argv) > 1 else 100, int(sys.argv[2]) if len(sys.argv) > 2 else 1))
