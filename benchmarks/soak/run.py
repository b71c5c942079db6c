"""Servers, workers and the machine's faults at random, under searches of every kind; checks after each whether a promise was broken.

python -m benchmarks.soak.run [MINUTES] [SEED]        # MINUTES: 30; ends with 1 at the first break, and prints what repeats it

First every search that is promised to repeat runs undisturbed. Then faults come every few seconds while two searches run at a
time; then requests made up from the OpenAPI document; at last the same searches again and again without faults, to see that
memory and descriptors stay flat.
"""

from __future__ import annotations

import contextlib
import os
import platform
import random
import shutil
import signal
import subprocess
import sys
import tempfile
import time
from collections import Counter
from datetime import date
from pathlib import Path
from typing import Any

import psutil
import schemathesis
from tests.serving import Server

from benchmarks.document import put
from benchmarks.soak import contract
from benchmarks.soak.checks import Broken, Known, differing, gone, none_twice, results, size, whole, within
from benchmarks.soak.faults import Faults, workers_of
from benchmarks.soak.work import Holder, Piece, pieces, problems

TARGET = Path(__file__).parents[2] / "docs" / "reliability.md"
DISK = "640m"
INSIDE = "PELLUX_SOAK_DISK"
KILLS = 0.08  # share of faults; a server that is killed before its workers have started gets nowhere
STALLED = 240.0  # seconds without any progress of a search that count as a break
CONTRACT_SHARE, MOST_CONTRACT = 1 / 6, 600.0


class Soak:
    def __init__(self, folder: Path, seed: int, own_disk: bool) -> None:
        self.folder, self.seed, self.rng = folder, seed, random.Random(seed)
        self.clock = folder / "clock"
        self.clock.write_text("0")
        self.database = folder / "w" / "pellux.db"
        self.server: Server
        self.known, self.counts = Known(), Counter[str]()
        self.faults = Faults(lambda: self.server, folder, self.clock, self.rng, own_disk)
        self.log: list[str] = []
        self.undisturbed: dict[str, Any] = {}
        self.finished = Counter[str]()

    def begin(self) -> None:
        """Start a server, whatever the machine is doing."""
        begun = time.monotonic()
        while True:
            env = {**os.environ, "SOAK_CLOCK": str(self.clock), "OMP_NUM_THREADS": "1", "OPENBLAS_NUM_THREADS": "1"}
            try:
                self.server = Server(
                    self.folder / "w",
                    "--allow",
                    str(self.folder),
                    "--allow",
                    str(_routes()),
                    module="benchmarks.soak.server",
                    env=env,
                )
                return
            except AssertionError as refusal:  # the disk is full, the database locked: it says so, and can be started again
                self.note(f"did not start: {str(refusal)[-200:]}")
                within("a server starts", 60, begun)
                time.sleep(0.5)

    def note(self, what: str) -> None:
        self.log.append(f"{time.strftime('%H:%M:%S')} {what}")

    def calm(self, mine: dict[str, int]) -> None:
        """Every search that repeats, undisturbed; before them one of each kind, which scores the baselines."""
        first = {(p.problem, p.body.get("learner")): p for p in pieces()}
        for piece in [*first.values(), *(p for p in pieces() if p.repeats)]:
            self._undisturbed(piece, mine)

    def _undisturbed(self, piece: Piece, mine: dict[str, int]) -> None:
        search = self.launch(piece, mine)
        holder = self._holder(piece, search)
        self.server.until(f"/searches/{search}", lambda s: s["state"] == "finished", 120)
        holder.ended.set()
        self.undisturbed[piece.name] = results(self.database, search)

    def launch(self, piece: Piece, mine: dict[str, int]) -> int:
        begun = time.monotonic()
        while True:
            with contextlib.suppress(OSError, ValueError):
                status, found = self.server.call("POST", f"/api/v1/problems/{mine[piece.problem]}/searches", piece.body)
                if status == 201:
                    return int(found["id"])
                if status not in (503, 409):
                    raise Broken(f"{piece.name} was refused: {found}")
            within(f"{piece.name} is launched", 120, begun)
            time.sleep(0.5)

    def _holder(self, piece: Piece, search: int) -> Holder:
        holder = Holder(lambda: self.server, search, search)
        if piece.problem == "outside":
            holder.start()
        return holder

    def rough(self, mine: dict[str, int], until: float) -> None:
        waiting: list[Piece] = []
        running: dict[int, tuple[Piece, Holder, list[float]]] = {}
        while time.monotonic() < until or running:
            last = time.monotonic() >= until
            while len(running) < 2 and not last:
                waiting = waiting or self.rng.sample(pieces(), len(pieces()))
                piece = waiting.pop()
                search = self.launch(piece, mine)
                running[search] = (piece, self._holder(piece, search), [0.0, time.monotonic()])
                self.note(f"search {search}: {piece.name}")
            if not last:
                self.fault()
            else:
                self.faults.wait()
                time.sleep(0.5)
            for search in list(running):
                if self._ended(search, *running[search]):
                    running.pop(search)[1].ended.set()

    def _ended(self, search: int, piece: Piece, holder: Holder, seen: list[float]) -> bool:
        """Whether a search has ended as it should; Broken where it did otherwise, or stands still."""
        try:
            view = self.server.get(f"/searches/{search}")
        except (OSError, ValueError, AssertionError):  # it stands still, or is locked: asked again soon
            within(f"search {search} ({piece.name}) answers", STALLED, seen[1])
            return False
        if view["state"] == "finished":
            self._check(search, piece, view)
            return True
        if view["state"] in ("failed", "stopped") or view["halted"]:
            raise Broken(f"search {search} ({piece.name}) is {view['state']}: {view['reason']} {view['halted'] or ''}")
        if view["fits"]["run"] != seen[0]:
            seen[:] = [view["fits"]["run"], time.monotonic()]
        if time.monotonic() - seen[1] > STALLED:
            raise Broken(
                f"search {search} ({piece.name}) stands still: {view['state']}, {view['reason']} {view['waits_for']}\n{self._stuck(search, view)}"
            )
        return False

    def _stuck(self, search: int, view: Any) -> str:
        """What a search that stands still is doing."""
        os.kill(self.server.process.pid, signal.SIGUSR1)
        time.sleep(1)
        stacks = (self.folder / "stacks").read_text()
        workers = [(p.pid, p.status()) for p in workers_of(self.server)]
        live = [t for t in self.server.get(f"/searches/{search}/trials?limit=50")["trials"] if t["ended_at"] is None]
        return f"{view['trials']} {view['fits']}\nworkers {workers}\nlive {live}\n{stacks[-6000:]}"

    def _check(self, search: int, piece: Piece, view: Any) -> None:
        if view["trials"]["failed"] or view["trials"]["withdrawn"]:
            amiss = self.server.get(f"/searches/{search}/trials?where=state%20%3D%20failed")["trials"]
            why = "; ".join(f"trial {trial['number']}: {trial['reason']}" for trial in amiss)
            raise Broken(f"search {search} ({piece.name}): trials failed: {view['trials']} {why}")
        self.counts["fits"] += none_twice(self.database, search)
        self.known.look(self.database)
        self.counts["entries"] = whole(self.database)
        if piece.repeats:
            other = differing(self.undisturbed[piece.name], results(self.database, search))
            if other:
                raise Broken(f"search {search} ({piece.name}) ended otherwise than undisturbed: {other}")
        self.finished["repeated exactly" if piece.repeats else "finished"] += 1

    def fault(self) -> None:
        time.sleep(self.rng.uniform(0.5, 4))
        if self.rng.random() < KILLS:
            self.kill()
            return
        kind = self.rng.choice(list(self.faults.kinds))
        if self.faults.begin(kind):
            self.counts[kind] += 1
            self.note(kind)
        self._alive()

    def kill(self) -> None:
        self.note("the server is killed")
        with contextlib.suppress(psutil.Error, sqlite_error()):
            self.known.look(self.database)
        below = []
        with contextlib.suppress(psutil.Error):
            below = psutil.Process(self.server.process.pid).children(recursive=True)
        self.server.kill()
        self.counts["the server is killed (kill -9)"] += 1
        gone(below)
        time.sleep(self.rng.uniform(0, 1))
        self.begin()

    def _alive(self) -> None:
        begun = time.monotonic()
        while True:
            if (code := self.server.process.poll()) is not None:
                raise Broken(f"the server ended by itself ({code})")
            with contextlib.suppress(OSError, ValueError):
                if self.server.call("GET", "/health")[0] == 200:
                    return
            within("the server answers", 60, begun)

    def requests(self, mine: dict[str, int], seconds: float) -> Counter[str]:
        """Made-up requests to the running server."""
        until, told, round_ = time.monotonic() + seconds, Counter[str](), 0
        searches = [s["id"] for p in mine.values() for s in self.server.get(f"/problems/{p}/searches")][:20]
        data = [d["hash"] for d in self.server.get("/data")]
        real = {
            "problem_id": list(mine.values()),
            "search_id": searches,
            "trial_id": list(range(1, 40)),
            "content_hash": data,
            "fold": [0, 1],
        }
        while time.monotonic() < until:
            schema = schemathesis.openapi.from_url(f"{self.server.url}/api/v1/openapi.json")
            told += contract.fuzz(schema, real, examples=15, number=self.seed + round_, until=until, timeout=300)
            round_ += 1
        self._alive()
        return told

    def flat(self, mine: dict[str, int]) -> list[tuple[float, int]]:
        """The same searches in rounds, without faults; memory and descriptors after each round."""
        chosen = [
            p
            for p in pieces()
            if p.name in ("random, none, tree", "gaussian process, none, tree", "random, function", "random, none, program")
        ]
        sizes = []
        for _ in range(5):
            for piece in chosen:
                search = self.launch(piece, mine)
                self.server.until(f"/searches/{search}", lambda s: s["state"] == "finished", 240)
            sizes.append(size(self.server.process.pid))
        (second, descriptors), (last, descriptors_then) = sizes[1], sizes[-1]
        if last > 1.1 * second + 10 or descriptors_then > descriptors + 10:
            raise Broken(f"memory or descriptors grow with each round of the same searches: {sizes}")
        return sizes


def sqlite_error() -> type[Exception]:
    import sqlite3

    return sqlite3.Error


def _routes() -> Path:
    from pellux.demo.routes import FOLDER

    return FOLDER


def soak(minutes: float, seed: int, folder: Path, own_disk: bool) -> int:
    found = Soak(folder, seed, own_disk)
    begun = time.monotonic()
    try:
        found.begin()
        mine = problems(found.server, folder)
        found.calm(mine)
        calm = time.monotonic() - begun
        left = max(60 * minutes - calm, 30)
        found.rough(mine, time.monotonic() + left * (1 - CONTRACT_SHARE) - 40)
        found.server.kill()
        found.begin()
        told = found.requests(mine, min(left * CONTRACT_SHARE, MOST_CONTRACT))
        found.server.kill()
        shutil.rmtree(folder / "w")
        found.begin()
        sizes = found.flat(problems(found.server, folder))
    except BaseException as error:
        print("\n".join(found.log[-40:]))
        print(f"BROKEN after {(time.monotonic() - begun) / 60:.1f} min: {type(error).__name__}: {error}")
        print(f"Again: python -m benchmarks.soak.run {minutes:g} {seed}")
        return 1
    finally:
        with contextlib.suppress(Exception):
            found.faults.wait()
            found.server.kill()
    put("soak", _table(found, told, sizes, (time.monotonic() - begun) / 60, own_disk), TARGET)
    return 0


def _table(found: Soak, told: Counter[str], sizes: list[tuple[float, int]], minutes: float, own_disk: bool) -> list[str]:
    faults = {k: v for k, v in sorted(found.counts.items()) if k not in ("fits", "entries")}
    return [
        f"Written by `make soak` on {date.today()}: {minutes:.0f} minutes, seed {found.seed}, {os.cpu_count()} shared cores, Python {platform.python_version()}.",
        "",
        "| what was done to it | times |", "|---|---|",
        *[f"| {kind} | {count} |" for kind, count in faults.items()],
        *([] if own_disk else ["| the disk is full | left out: no file system of its own could be made here |"]),
        f"| requests made up from the OpenAPI document | {told.total():,} |",
        "",
        "| what came of it | |", "|---|---|",
        f"| searches that ended exactly as undisturbed, as promised | {found.finished['repeated exactly']} |",
        f"| searches of other kinds that ended | {found.finished['finished']} |",
        f"| fits scored; of these lost, changed or run again | {found.counts['fits']:,}; 0 |",
        f"| ledger entries, gaps | {found.counts['entries']:,}, 0 |",
        "| searches that failed, stood still or needed a person | 0 |",
        "| processes that outlived a killed server | 0 |",
        f"| answers to made-up requests: 5xx, not as documented | 0, 0 (of {', '.join(f'{n:,} × {s}' for s, n in told.most_common())}) |",
        f"| memory of the server after each of five rounds of the same searches, MB | {', '.join(f'{mb:.0f}' for mb, _ in sizes)} |",
        f"| descriptors then | {', '.join(str(n) for _, n in sizes)} |",
    ]  # fmt: skip


def main() -> int:
    minutes, seed = float(sys.argv[1]) if len(sys.argv) > 1 else 30.0, int(sys.argv[2]) if len(sys.argv) > 2 else 1
    own = os.environ.get(INSIDE)
    if own:
        return soak(minutes, seed, Path(own), own_disk=True)
    folder = Path(tempfile.mkdtemp(prefix="pellux-soak-"))
    try:
        shell = f'mount -t tmpfs -o size={DISK} tmpfs "$0" && exec "$@"'
        probe = subprocess.run(["unshare", "-rm", "sh", "-c", shell, str(folder), "true"], capture_output=True)
        if probe.returncode:
            print("A file system of its own cannot be made here: no disk will be full.")
            return soak(minutes, seed, folder, own_disk=False)
        again = [sys.executable, "-m", "benchmarks.soak.run", f"{minutes:g}", str(seed)]
        return subprocess.run(
            ["unshare", "-rm", "sh", "-c", shell, str(folder), *again], env={**os.environ, INSIDE: str(folder)}
        ).returncode
    finally:
        shutil.rmtree(folder, ignore_errors=True)


if __name__ == "__main__":
    sys.exit(main())
