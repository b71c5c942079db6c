"""A workspace or a server, opened."""

from __future__ import annotations

import importlib.util
import os
import sys
from collections.abc import Callable, Mapping, Sequence
from pathlib import Path
from types import TracebackType
from typing import Any
from urllib.parse import quote

from pellux.api.data import as_file
from pellux.api.problem import Problem
from pellux.api.transport import BYTES, Client, Http, InProcess
from pellux.service.engine.engine import Engine, prepare
from pellux.service.errors import InvalidPlan
from pellux.service.evidence import faceoffs
from pellux.service.planning.code_requests import CodeBriefRequest
from pellux.service.planning.requests import checked
from pellux.service.problems.code_problems import create_code_problem, send
from pellux.service.workspace import EngineHeld, Workspace
from pellux.web.app import create_app

Grows = tuple[str, int] | Mapping[str, Any]


def open(
    where: str | os.PathLike[str] = "pellux-workspace",
    *,
    token: str | None = None,
    allow: Sequence[str | os.PathLike[str]] | None = None,
    devices: Sequence[str] | None = None,
) -> Bench:
    """Open a workspace, whose engine this process runs then, or a server.

    Parameters
    ----------
    where : folder or address
        A folder (made if missing) or http://host:port. A folder whose engine another process runs is reached through it.
    token : str, optional
        Of a server that wants one.
    allow : folders and names of modules, optional
        From which programs, functions and classes may run; this folder when left out.
    devices : names, optional
        Devices that fits may hold; what the system tells of when left out.

    Raises
    ------
    WorkspaceError
        The folder cannot be used, or the server does not answer.
    """
    text = os.fspath(where)
    if text.startswith(("http://", "https://")):
        return Bench(Client(Http(text, token)))
    _spare_the_script()
    given = [Path.cwd()] if allow is None else list(allow)
    modules = [a for a in given if isinstance(a, str) and not Path(a).is_dir() and "/" not in a]
    folders = [Path(a) for a in given if a not in modules]
    workspace = Workspace(Path(text), allowed=folders, allowed_modules=modules, devices=devices)
    try:
        workspace.hold_engine()
    except EngineHeld as held:
        workspace.close()
        url = str(held.holder.get("url") or "")
        if not url:
            raise
        return Bench(Client(Http(url, held.holder.get("token"))))
    engine = Engine(workspace)
    prepare()
    engine.take_up()
    faceoffs.take_up(engine)
    return Bench(Client(InProcess(create_app(engine))), engine)


class Bench:
    """Where problems, searches and decisions are. `close` it, or use it in a with statement; what runs goes on when it is next opened."""

    def __init__(self, client: Client, engine: Engine | None = None) -> None:
        self.client, self._engine = client, engine

    def __enter__(self) -> Bench:
        return self

    def __exit__(self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None) -> None:
        self.close()

    def close(self) -> None:
        """End the engine that this process runs, if it does; a server goes on."""
        if self._engine is not None:
            self._engine.close()
            self._engine.workspace.close()
            self._engine = None

    def call(self, method: str, path: str, body: Any = None) -> Any:
        """Any operation of the HTTP interface: `bench.call("GET", "/problems/1/split")`."""
        return self.client.call(method, path, body)

    @property
    def problems(self) -> list[Problem]:
        """Every problem, newest first."""
        return [Problem(self.client, found["id"]) for found in self.client.get("/problems")]

    def problem(
        self,
        what: int | str | Callable[..., Any] | None = None,
        *,
        data: Any = None,
        target: Any = None,
        runs: str | Sequence[str] | None = None,
        outside: bool = False,
        judged_by: str | Mapping[str, Any] | None = None,
        larger_is_better: bool = True,
        grows: Grows | None = None,
        holds: Mapping[str, Any] | None = None,
        space: str = "",
        **brief: Any,
    ) -> Problem:
        """A problem: one that is there, or a new one about a table, a function, a program or an outside loop.

        The same brief gives the same problem again.

        Parameters
        ----------
        what : int, callable or str, optional
            A problem's number; a function, plain or generator, of (settings, fit); or 'file.py:name' in an allowed folder.
        data, target : table and column, optional
            A file, DataFrame, Arrow table, mapping or array, and what is predicted (a column's name, or an array).
        runs : command, optional
            Of a program, with placeholders; `folder` says where it runs.
        outside : bool
            Fits are taken by `search.fits()` or over HTTP.
        judged_by : str or mapping
            The score's name (of own code), or all of `judged by` as plans have it. Of a table it is `metric`.
        grows : (what, most) or mapping, optional
            What own code is trained in, such as ('epochs', 27).
        holds : mapping, optional
            Cores, devices and memory_mb of one fit.
        space : str
            Where searches of own code begin.
        brief : keyword arguments
            All else that plans have under `brief`: metric, folds, holdout, group, recorded, seed, name, folder, final, files …

        Raises
        ------
        InvalidPlan, InvalidBrief, InvalidData, InvalidOwnCode
            With the sentence and, as `at`, the field that has to change.
        """
        if isinstance(what, int) and not isinstance(what, bool):
            return Problem(self.client, self.client.get(f"/problems/{what}")["id"])
        if data is not None:
            name, content, column = as_file(data, target)
            held = self.client.call("POST", f"/data?name={_quoted(name)}", content, media=BYTES)
            body = {"data": held["hash"], "target": column or "", **brief}
            return Problem(self.client, self.client.post("/problems?reuse=true", body)["id"])
        if judged_by is None:
            raise InvalidPlan("Own code is judged by a score: say judged_by='recall'.", at="judged_by")
        judged = {"score": judged_by, "larger is better": larger_is_better} if isinstance(judged_by, str) else dict(judged_by)
        found: dict[str, Any] = {"judged by": judged, "grows": _grows(grows), "holds": dict(holds or {}), **brief}
        if callable(what):
            return Problem(self.client, self._sent(what, found, space))
        found |= {"runs": runs if runs is None or isinstance(runs, str) else list(runs), "outside": outside, "function": what}
        made = self.client.post("/own-code/problems?reuse=true", {"brief": found, "space": space})
        return Problem(self.client, made["id"])

    def _sent(self, function: Callable[..., Any], brief: dict[str, Any], space: str) -> int:
        if self._engine is None:
            raise InvalidPlan(
                "A function itself is never sent over HTTP. Open the workspace in this process, or name a file of a folder that the "
                "server allows: 'train.py:train'.",
                at="what",
            )
        request = checked(CodeBriefRequest, brief)
        workspace = self._engine.workspace
        return create_code_problem(workspace, request, space, reuse=True, sent=send(workspace, function))

    def __repr__(self) -> str:
        return f"<Bench with {len(self.problems)} problems>"


def _grows(grows: Grows | None) -> dict[str, Any] | None:
    if grows is None:
        return None
    return {"what": grows[0], "most": grows[1]} if isinstance(grows, tuple) else dict(grows)


def _quoted(name: str) -> str:
    return quote(name)


def _spare_the_script() -> None:
    """Worker processes would run a script that has no `if __name__ == "__main__"` once more; they need nothing of it, for functions
    are sent by value."""
    main = sys.modules["__main__"]
    if getattr(main, "__spec__", None) is None and hasattr(main, "__file__"):
        main.__spec__ = importlib.util.find_spec("pellux.__main__")  # one that is never run again
