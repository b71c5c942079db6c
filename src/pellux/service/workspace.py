"""A workspace: the folder with database, data, artifacts and logs; and the lock of the one engine that may use it."""

from __future__ import annotations

import os
import shutil
import time
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from pellux.core.errors import Conflict, WorkspaceError, disk_is_full
from pellux.core.judging import Brief
from pellux.core.objective import Objective
from pellux.engine.artifacts import Artifacts, FileArtifacts
from pellux.engine.clock import Clock
from pellux.engine.devices import DevicePool
from pellux.objectives import sealed
from pellux.objectives.code.objective import CODE_KINDS
from pellux.objectives.registry import Kind, Objectives, Stored
from pellux.objectives.tabular.objective import KIND as TABLE
from pellux.objectives.tabular.objective import Tabular
from pellux.objectives.tabular.own.declared import catalogue_of
from pellux.service.machine import devices_here
from pellux.service.machines.clusters import Clusters
from pellux.store.database import Database
from pellux.store.ledger import newest_time
from pellux.store.lock import EngineHeld, EngineLock
from pellux.store.records import Problem
from pellux.tables.files import FOLDS, array

FOLDERS = ("data", "artifacts", "logs")
OURS = ("pellux.db", *FOLDERS, "checkpoints", "fits", "prefixes", "own")  # all that is made in it, but for the lock
INCOMING = "incoming-"  # begins the names of folders for imports that are not done


class Workspace:
    """An opened workspace. Everything that touches it gets this object.

    Attributes
    ----------
    steady : Clock
        What durations are measured with, and when things happened for the engine.
    clock : callable
        What time it is for people.
    """

    def __init__(
        self, folder: Path, wall: Callable[[], float] = time.time, allowed: Sequence[Path] = (), kinds: Sequence[Kind] = (),
        devices: Sequence[str] | None = None, allowed_modules: Sequence[str] = (),
    ) -> None:  # fmt: skip
        self.folder = folder.resolve()
        self.devices = DevicePool(devices_here() if devices is None else devices)
        self.allowed = [path.resolve() for path in allowed]  # folders from which people's own code may run
        self.clusters = Clusters(self.folder)
        self._told: dict[str, float] = {}
        sealed.have_key()  # before any process that is to know it is started
        self._lock = EngineLock(self.folder)
        try:
            self.folder.mkdir(mode=0o700, parents=True, exist_ok=True)
            for name in FOLDERS:
                (self.folder / name).mkdir(exist_ok=True)
        except (FileExistsError, NotADirectoryError):
            raise WorkspaceError(f"{self.folder} is a file; a workspace is a folder.") from None
        except OSError as error:
            raise _cannot_write(self.folder, error) from None
        self.database = Database(self.folder / "pellux.db")
        _keep_private(self.folder)
        self.hub = self.database.hub
        with self.database.read() as session:
            self.steady = Clock(newest_time(session), wall)
        self.clock = self.steady.people
        self.allowed_modules = frozenset(allowed_modules)  # names of modules, as a folder is allowed
        self.look_again()
        self._objectives = Objectives(Tabular(lambda: self.catalogue), *CODE_KINDS, *kinds)

    def look_again(self) -> None:
        """Take in what people brought of their own code since."""
        self.catalogue = catalogue_of(self.own_folder)

    def objective(self, problem: Problem, folds: Path | None = None) -> Objective:
        """A problem's objective, on its own folds or on others."""
        where = folds or self.folds_file(problem.id)
        return self._objectives.open(Stored(problem.objective, problem.brief, self.folder / "data", where, self.own_folder))

    def brief(self, problem: Problem) -> Brief:
        """The brief of a problem about a table; Conflict for one that is about something else."""
        if problem.objective != TABLE:
            raise Conflict(f"{problem.name} is not about a table: there are no columns and rows to look at.")
        return Brief.from_json(problem.brief, self.catalogue.metrics)

    def artifacts(self, search_id: int) -> Artifacts:
        """What the fits of a search leave to go on from."""
        return FileArtifacts(self.checkpoints_folder(search_id), self.fits_folder(search_id))

    @contextmanager
    def telling(self, token: str) -> Iterator[Callable[[float], None]]:
        """Lets a long piece of work say how far it is, from 0 to 1, to whoever knows its token."""
        try:
            yield lambda share: self._told.__setitem__(token, share) if token else None
        finally:
            self._told.pop(token, None)

    def told(self, token: str) -> float | None:
        return self._told.get(token)

    def data_folder(self, content_hash: str) -> Path:
        return self.folder / "data" / content_hash

    def folds_file(self, problem_id: int) -> Path:
        return self.folder / "artifacts" / f"problem-{problem_id}-folds.npy"

    def fresh_folds_file(self, search_id: int) -> Path:
        """The fresh folds of a re-judging."""
        return self.folder / "artifacts" / f"search-{search_id}-folds.npy"

    def fresh_repeats(self, search_id: int) -> int:
        """How often a re-judging cuts the rows into folds."""
        return len(array(self.fresh_folds_file(search_id), FOLDS, "r"))

    def decision_folder(self, decision_id: int) -> Path:
        """Where the fitted model of a decision lies."""
        return self.folder / "artifacts" / f"decision-{decision_id}"

    def checkpoints_folder(self, search_id: int) -> Path:
        """What the growing fits of a search leave to go on from."""
        return self.folder / "checkpoints" / f"search-{search_id}"

    def fits_folder(self, search_id: int) -> Path:
        """The folders of fits that write files of their own: what is in their `keep` stays with the trial."""
        return self.folder / "fits" / f"search-{search_id}"

    def prefixes_folder(self, search_id: int) -> Path:
        """Prepared rows that the workers of a search share while it runs."""
        return self.folder / "prefixes" / f"search-{search_id}"

    @property
    def own_folder(self) -> Path:
        """People's own learners and metrics, as they were when they were brought."""
        return self.folder / "own"

    def log_file(self, search_id: int) -> Path:
        return self.folder / "logs" / f"search-{search_id}"

    def hold_engine(self, **about: Any) -> None:
        """Become the one engine of this workspace until this process ends, however it ends; EngineHeld when another is."""
        try:
            self._lock.take(**about)
        except OSError as error:
            raise _cannot_write(self.folder, error) from None
        for left in (self.folder / "data").glob(f"{INCOMING}*"):  # by an import that ended with its process
            shutil.rmtree(left, ignore_errors=True)

    def tell_about_engine(self, **about: Any) -> None:
        """Leave word for others: who holds the engine and where to reach it."""
        self._lock.tell(**about)

    def close(self) -> None:
        self.clusters.close()
        self.database.close()
        self._lock.release()


def _keep_private(folder: Path) -> None:
    """Data, results and logs are for the workspace's owner: nobody else passes its folders. What else lies in the folder of a
    workspace is not ours to close."""
    for name in OURS:
        path = folder / name
        mode = path.stat().st_mode if path.exists() else 0
        if mode & 0o077 and path.stat().st_uid == os.geteuid():
            path.chmod(mode & ~0o077)


def _cannot_write(folder: Path, error: OSError) -> WorkspaceError:
    if disk_is_full(error):
        return WorkspaceError(f"The disk that holds {folder} is full. Free some space and try again.")
    return WorkspaceError(f"The workspace {folder} cannot be written: {error.strerror}. Check its permissions.")


__all__ = ["EngineHeld", "Workspace"]
