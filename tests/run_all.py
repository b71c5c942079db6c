"""Every check of `make test`: quick ones side by side, then the tests. Ends with 1 when any of them fails."""

from __future__ import annotations

import os
import subprocess
import sys
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

ROOT = Path(__file__).parents[1]
BIN = Path(sys.executable).parent
FRONTEND = ROOT / "frontend"
CHECKS: list[tuple[str, list[str], Path]] = [
    ("mypy", [str(BIN / "mypy")], ROOT),
    ("eslint, prettier", ["npm", "run", "--silent", "lint"], FRONTEND),
    ("tsc", ["npm", "run", "--silent", "typecheck"], FRONTEND),
    ("import-linter", [str(BIN / "lint-imports")], ROOT),
    ("vitest", ["npm", "run", "--silent", "test"], FRONTEND),
    ("documents are current", [sys.executable, "-m", "pellux.web.documents", "--check"], ROOT),
    ("TypeScript types are current", ["npm", "run", "--silent", "types:check"], FRONTEND),
    ("ruff", [str(BIN / "ruff"), "check", "--quiet", "src", "tests", "benchmarks"], ROOT),
    ("ruff format", [str(BIN / "ruff"), "format", "--check", "--quiet", "src", "tests", "benchmarks"], ROOT),
]
# One process more than there are cores: many tests wait for real servers, workers and browsers.
# Each gets a stretch of neighbours, which share a server, and takes from another's when it has none left.
TESTS = [str(BIN / "pytest"), "-n", str((os.cpu_count() or 2) + 1), "--dist", "worksteal", "--durations=20"]


def check(name: str, command: list[str], folder: Path) -> bool:
    begun = time.monotonic()
    done = subprocess.run(
        command, cwd=folder, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True, stdin=subprocess.DEVNULL
    )
    good = done.returncode == 0
    words = "" if good else f"\n{done.stdout}"
    print(f"{'ok    ' if good else 'FAILED'} {name} ({time.monotonic() - begun:.0f} s){words}", flush=True)
    return good


def main() -> int:
    # Tests start some hundred processes: each would compile every module of ours anew where nothing may be kept.
    os.environ.pop("PYTHONDONTWRITEBYTECODE", None)
    subprocess.run([sys.executable, "-m", "compileall", "-q", "src", "tests", "benchmarks"], cwd=ROOT, check=True)
    with ThreadPoolExecutor(2) as pool:
        good = all(list(pool.map(lambda c: check(*c), CHECKS)))
    # Two test processes with as many BLAS threads each stand in each other's way.
    alone = {**os.environ, "OMP_NUM_THREADS": "1", "OPENBLAS_NUM_THREADS": "1"}
    tests = subprocess.run(TESTS, cwd=ROOT, stdin=subprocess.DEVNULL, env=alone).returncode
    return 0 if good and tests == 0 else 1


if __name__ == "__main__":
    sys.exit(main())
