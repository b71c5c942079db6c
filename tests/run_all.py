"""Every check of `make test`: quick ones and the tests side by side. Ends with 1 when any of them fails.

python -m tests.run_all frontend    # checks that need Node alone: they run while Python's packages are installed, and any Python 3 will do
python -m tests.run_all             # the others, and how those went
"""

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
FAILED = ROOT / ".setup" / "frontend.failed"  # is there after a check of the front end failed
NODE: list[tuple[str, list[str], Path]] = [
    ("vitest", ["npm", "run", "--silent", "test"], FRONTEND),
    ("eslint, prettier", ["npm", "run", "--silent", "lint"], FRONTEND),
    ("tsc", ["npm", "run", "--silent", "typecheck"], FRONTEND),
    ("TypeScript types are current", ["npm", "run", "--silent", "types:check"], FRONTEND),
]
CHECKS: list[tuple[str, list[str], Path]] = [
    ("mypy", [str(BIN / "mypy")], ROOT),
    ("import-linter", [str(BIN / "lint-imports")], ROOT),
    ("documents are current", [sys.executable, "-m", "pellux.web.documents", "--check"], ROOT),
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


def checked(checks: list[tuple[str, list[str], Path]], at_once: int = 1) -> bool:
    with ThreadPoolExecutor(at_once) as pool:
        return all(list(pool.map(lambda c: check(*c), checks)))


def frontend() -> None:
    """Says what failed and leaves it to `main` to fail: whoever runs the checks wants to see all of them."""
    FAILED.parent.mkdir(exist_ok=True)
    FAILED.touch()  # until it is known that none did
    if checked(NODE, 2):
        FAILED.unlink()


def main() -> int:
    # Tests start some hundred processes: each would compile every module of ours anew where nothing may be kept.
    os.environ.pop("PYTHONDONTWRITEBYTECODE", None)
    subprocess.run([sys.executable, "-m", "compileall", "-q", "src", "tests", "benchmarks"], cwd=ROOT, check=True)
    with ThreadPoolExecutor(1) as pool:  # beside the tests: one core would be idle as long as types are checked
        others = pool.submit(checked, CHECKS)
        passed = tested()
        good = others.result()
    if FAILED.exists():
        print("FAILED a check of the front end: see above, or run: make frontend-checks", flush=True)
    return 0 if good and passed and not FAILED.exists() else 1


def tested() -> bool:
    # Two test processes with as many BLAS threads each stand in each other's way.
    alone = {**os.environ, "OMP_NUM_THREADS": "1", "OPENBLAS_NUM_THREADS": "1"}
    return subprocess.run(TESTS, cwd=ROOT, stdin=subprocess.DEVNULL, env=alone).returncode == 0


if __name__ == "__main__":
    if sys.argv[1:] == ["frontend"]:
        frontend()
    else:
        sys.exit(main())
