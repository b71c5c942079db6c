"""The brief's speed: shared prefixes, importing a large file, and what our pipeline costs a fit. `make bench-brief`.

Each figure is a ratio against something run beside it, in the same process and minute.
"""

from __future__ import annotations

import argparse
import statistics
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np
import psutil
import pyarrow as pa
import pyarrow.csv as pacsv
import pyarrow.parquet as pq
from threadpoolctl import threadpool_limits

from pellux.objectives.tabular.fitting import fit_fold
from pellux.objectives.tabular.fold_data import FoldData
from pellux.objectives.tabular.learners.catalogue import OURS
from pellux.objectives.tabular.prefixes import Prefixes
from pellux.objectives.tabular.preparation import steps_of
from pellux.objectives.tabular.whole_fit import Ground
from pellux.service.decisions.grounds import ground_of
from pellux.service.planning.requests import BriefRequest
from pellux.service.problems.datasets import import_file
from pellux.service.problems.problems import create_problem
from pellux.service.workspace import Workspace


def timed(work: Callable[[], object]) -> float:
    begun = time.perf_counter()
    work()
    return time.perf_counter() - begun


def made_up(workspace: Workspace, folder: Path, rows: int, columns: int) -> Ground:
    rng = np.random.default_rng(0)
    matrix = rng.normal(size=(rows, 20)) @ rng.normal(size=(20, columns)) + rng.normal(size=(rows, columns))
    target = matrix[:, 0] + 3 * rng.normal(size=rows) > 0
    path = folder / f"made_{rows}_{columns}.csv"
    table = {f"x{i:03d}": matrix[:, i] for i in range(columns)} | {"label": np.where(target, "yes", "no")}
    pacsv.write_csv(pa.table(table), path)
    found = import_file(workspace, path)
    brief = BriefRequest(data=found.hash, target="label", metric="ROC AUC", holdout=0)
    return ground_of(workspace, create_problem(workspace, brief))


def prefixes(ground: Ground, folder: Path) -> tuple[float, float, bool]:
    """Seconds with and without shared prefixes for scaler → PCA (8 settings) → logistic regression (20), 5 folds."""
    chosen = OURS.learner("logistic", "binary")

    def run(kept: Prefixes) -> list[float]:
        data = FoldData(ground.table, ground.brief, ground.folds.kept, kept)
        found = []
        for keep in np.linspace(0.5, 0.85, 8):
            for c in np.geomspace(1e-3, 1e2, 20):
                settings = {"reduce": "pca", "keep": float(keep), "C": float(c), "steps": 200}
                for fold in range(5):
                    ready = data.prepared(fold, steps_of(chosen, settings))
                    found.append(fit_fold(ready, chosen, settings, ground.brief, time.perf_counter).score)
        return found

    scores: dict[str, list[float]] = {}
    without = timed(lambda: scores.__setitem__("without", run(Prefixes(budget=0))))
    shared = timed(lambda: scores.__setitem__("shared", run(Prefixes(folder=folder / "prefixes"))))
    return shared, without, scores["shared"] == scores["without"]


def large_file(folder: Path, rows: int, columns: int) -> Path:
    """Two thirds numbers, the rest whole numbers, categories and dates."""
    path, rng = folder / "large.csv", np.random.default_rng(1)
    words = np.array([f"kind {i}" for i in range(40)])
    with path.open("wb") as file:
        for begin in range(0, rows, 50_000):
            n = min(50_000, rows - begin)
            block = {}
            for i in range(columns):
                kind = i % 6
                block[f"c{i}"] = (
                    words[rng.integers(0, 40, n)] if kind == 4
                    else rng.integers(0, 1000, n) if kind == 5
                    else np.round(rng.normal(size=n), 4)
                )  # fmt: skip
            pacsv.write_csv(pa.table(block), file, pacsv.WriteOptions(include_header=begin == 0))
    return path


def importing(folder: Path, rows: int, columns: int) -> tuple[float, float, float, float]:
    """Seconds of our import and of pyarrow alone (read, write Parquet); our peak memory over what was there, and in MB the
    table's size in memory."""
    path = large_file(folder, rows, columns)
    path.read_bytes()  # in the page cache for both
    held: list[int] = []

    def theirs() -> None:
        table = pacsv.read_csv(path)
        held.append(table.nbytes)
        pq.write_table(table, folder / "theirs.parquet")

    alone = timed(theirs)
    process, peak, done = psutil.Process(), [0], [False]
    before = process.memory_info().rss - process.memory_info().shared

    def watch() -> None:
        while not done[0]:
            now = process.memory_info()
            peak[0] = max(peak[0], now.rss - now.shared - before)
            time.sleep(0.02)

    import threading

    watcher = threading.Thread(target=watch)
    watcher.start()
    workspace = Workspace(folder / "import")
    ours = timed(lambda: import_file(workspace, path))
    again = timed(lambda: import_file(workspace, path))
    workspace.close()
    done[0] = True
    watcher.join()
    print(f"  the same file again: {again:.1f} s")
    return ours, alone, peak[0] / 2**20, held[0] / 2**20


def overhead(ground: Ground, key: str, settings: dict[str, object], repeats: int) -> float:
    """A fit through our pipeline, prepared anew every time, over the same scikit-learn pipeline called by hand."""
    from sklearn.metrics import roc_auc_score

    from pellux.objectives.tabular.whole_fit import unfitted

    chosen, fold = OURS.learner(key, "binary"), 0
    train, test = ground.folds.train(fold), ground.folds.test(fold)
    matrix, target = ground.matrix, ground.target

    def by_hand() -> None:
        pipeline = unfitted(key, settings, ground, train).fit(matrix[train], target[train])
        roc_auc_score(target[test], pipeline.predict_proba(matrix[test])[:, 1])

    data = FoldData(ground.table, ground.brief, ground.folds.kept, Prefixes(budget=0))

    def ours() -> None:
        data._prefixes._kept.clear()
        fit_fold(data.prepared(fold, steps_of(chosen, settings)), chosen, settings, ground.brief, time.perf_counter)

    by_hand()
    ours()
    ratios = []
    for _ in range(repeats):  # side by side, so that a busy machine is busy for both
        mine, theirs = timed(ours), timed(by_hand)
        ratios.append(mine / theirs)
    return statistics.median(ratios)


def main() -> None:
    asked = argparse.ArgumentParser()
    asked.add_argument("--rows", type=int, default=1_000_000)
    asked.add_argument("--columns", type=int, default=50)
    given = asked.parse_args()
    with tempfile.TemporaryDirectory() as name, threadpool_limits(1):
        folder = Path(name)
        workspace = Workspace(folder / "workspace")
        for rows, columns in ((2000, 20), (5000, 100)):
            ground = made_up(workspace, folder, rows, columns)
            shared, without, equal = prefixes(ground, folder / str(columns))
            print(f"prefixes, {rows} x {columns}: {without / shared:.2f} x faster ({shared:.1f} s, {without:.1f} s), scores equal: {equal}")  # fmt: skip
        ground = made_up(workspace, folder, 6000, 24)
        for key, settings in (("logistic", {}), ("forest", {"trees": 40}), ("boosting", {"rounds": 60})):
            print(f"overhead of a fit, {key}: {overhead(ground, key, settings, 15):.3f} x")
        workspace.close()
    with tempfile.TemporaryDirectory() as name:
        ours, alone, peak, size = importing(Path(name), given.rows, given.columns)
        print(f"import, {given.rows:,} x {given.columns}: {ours / alone:.2f} x pyarrow alone ({ours:.1f} s, {alone:.1f} s); "
              f"own memory at most {peak:.0f} MB, the table is {size:.0f} MB")  # fmt: skip


if __name__ == "__main__":
    main()
