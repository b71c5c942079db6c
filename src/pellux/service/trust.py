"""Own code of a workspace runs only where this user brought it in, or has said of this workspace that it may.

A workspace can come from anywhere, and opening it is not to run what stands in it. What this user brings is sealed with a key
that lies outside of every workspace (objectives/sealed.py); what carries no such seal waits for a word of theirs.
"""

from __future__ import annotations

import json
import threading
from collections.abc import Iterable
from pathlib import Path
from typing import Any

from pellux.objectives.code.brief import FUNCTION, PROGRAM
from pellux.objectives.sealed import mark
from pellux.objectives.tabular.objective import KIND as TABLE
from pellux.service.trusting import NotTrusted
from pellux.service.workspace import Workspace
from pellux.store import problems, runs
from pellux.store.records import Problem

SEALS = "seals.txt"  # in the folder of own code: a name and its seal a line; a later line counts
PURPOSE = "own code"
RUN = (PROGRAM, FUNCTION)  # objectives whose briefs say what is run
_writing = threading.Lock()


def seal_own(workspace: Workspace, key: str) -> None:
    """An own learner or metric that this user has just brought."""
    _write(workspace, {key: _of_own(workspace.own_folder, key)})


def seal_problem(workspace: Workspace, problem_id: int, brief: Any) -> None:
    """A problem of own code that this user has just framed."""
    _write(workspace, {f"problem {problem_id}": _of_brief(brief)})


def trust(workspace: Workspace) -> list[str]:
    """A person's word: everything that stands in the workspace now may run. Returns what that was new for."""
    waiting = untrusted(workspace)
    _write(workspace, {name: content for name, content in _everything(workspace) if name in waiting})
    return list(waiting.values())


def untrusted(workspace: Workspace) -> dict[str, str]:
    """What may not run: names, and what people call it."""
    seals = _seals(workspace.own_folder)
    return {name: _called(workspace, name) for name, content in _everything(workspace) if not _sealed(seals, name, content)}


def require_trust(workspace: Workspace, problem: Problem, learner: str | None = None) -> None:
    """NotTrusted when a fit, a score or an analysis of a problem would run code that nobody here has brought or allowed.

    `learner` is the one that is going to be fitted; without it, those of all of the problem's searches are asked for.
    """
    wanted: dict[str, bytes] = {}
    if problem.objective == TABLE:
        wanted = {key: _of_own(workspace.own_folder, key) for key in _own_keys(workspace, problem, learner)}
    elif problem.objective in RUN:
        wanted = {f"problem {problem.id}": _of_brief(problem.brief)}
    seals = _seals(workspace.own_folder) if wanted else {}
    waiting = [_called(workspace, name) for name, content in wanted.items() if not _sealed(seals, name, content)]
    if waiting:
        raise NotTrusted(
            f"This workspace's own code was not brought here by you ({', '.join(waiting)}), so it does not run yet. "
            f"Look at it, then say that it may: on the home page, or pellux trust --workspace {workspace.folder}."
        )


def _own_keys(workspace: Workspace, problem: Problem, learner: str | None) -> list[str]:
    """Own learners and metrics that a problem about a table uses, with one learner or anywhere."""
    known = [path.stem for path in workspace.own_folder.glob("*.json")]
    if not known:
        return []
    if learner is None:
        with workspace.database.read() as session:
            learner = " ".join(run.learner for run in runs.searches_of(session, problem.id))
    used = f"{learner} {json.dumps(problem.brief)}"
    return [key for key in known if key in used]


def _everything(workspace: Workspace) -> Iterable[tuple[str, bytes]]:
    for path in sorted(workspace.own_folder.glob("*.json")):
        yield path.stem, _of_own(workspace.own_folder, path.stem)
    with workspace.database.read() as session:
        every = problems.every_problem(session)
    for problem in every:
        if problem.objective in RUN:
            yield f"problem {problem.id}", _of_brief(problem.brief)


def _called(workspace: Workspace, name: str) -> str:
    kind, _, number = name.partition(" ")
    if kind != "problem" or not number:
        return name
    with workspace.database.read() as session:
        return f"the code of '{problems.get_problem(session, int(number)).name}'"


def _of_own(folder: Path, key: str) -> bytes:
    """The description and every file of an own learner or metric; what an interpreter kept beside them is never run."""
    with_it = sorted(p for p in (folder / key).rglob("*") if p.is_file() and "__pycache__" not in p.parts)
    beside = [folder / f"{key}.json", folder / f"{key}.py", *with_it]
    parts = [
        f"{path.relative_to(folder)} {len(path.read_bytes())} ".encode() + path.read_bytes() for path in beside if path.exists()
    ]
    return b"".join(parts)


def _of_brief(brief: Any) -> bytes:
    return json.dumps(brief, sort_keys=True).encode()


def _sealed(seals: dict[str, str], name: str, content: bytes) -> bool:
    return seals.get(name) == mark(name.encode() + b"\0" + content, PURPOSE).hex()


def _seals(folder: Path) -> dict[str, str]:
    try:
        lines = (folder / SEALS).read_text("utf-8").splitlines()
    except OSError:
        return {}
    return {name: seal for seal, _, name in (line.partition(" ") for line in lines)}


def _write(workspace: Workspace, new: dict[str, bytes]) -> None:
    if not new:
        return
    workspace.own_folder.mkdir(exist_ok=True)
    lines = [f"{mark(name.encode() + chr(0).encode() + content, PURPOSE).hex()} {name}\n" for name, content in new.items()]
    with _writing, (workspace.own_folder / SEALS).open("a", encoding="utf-8") as file:
        file.write("".join(lines))
