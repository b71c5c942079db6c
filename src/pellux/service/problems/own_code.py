"""Brings people's own learners and metrics into a workspace: a look at them first, in a process of its own."""

from __future__ import annotations

import contextlib
import hashlib
import importlib.util
import json
import os
import re
import secrets
import signal
import subprocess
import sys
import tempfile
from collections.abc import Sequence
from pathlib import Path
from typing import IO, Any, Literal

from pydantic import Field

from pellux.core.errors import InvalidOwnCode
from pellux.core.judging.metrics import LABELS, PROBABILITIES, VALUES
from pellux.objectives.code.fingerprint import files_of, fingerprint
from pellux.objectives.code.guardian import VARIABLE, end_all
from pellux.objectives.tabular.own.declared import LEARNER, METRIC
from pellux.service.planning.requests import Request
from pellux.service.problems.schemas import OwnCodeView
from pellux.service.trust import seal_own
from pellux.service.workspace import Workspace

PATIENCE = 60.0  # seconds that importing it and a first small fit may take
MOST_OUTPUT = 4000


class OwnCodeRequest(Request):
    """A class of yours to tune, or a function of yours to judge by."""

    kind: Literal["learner", "metric"]
    where: str = Field(description="'file.py:Name' in an allowed folder, or 'package.module:Name' of what is installed.")
    larger_is_better: bool = Field(True, alias="larger is better", description="Of a metric.")
    needs: Literal["labels", "probabilities", "values"] = Field("labels", description="What a metric is given beside the truth.")
    sentence: str = Field("", max_length=300, description="What it means; its docstring when left out.")


def bring(workspace: Workspace, request: OwnCodeRequest) -> OwnCodeView:
    """Look at it, keep it, make it known. InvalidOwnCode says with its traceback what is wrong with it."""
    place, colon, name = request.where.rpartition(":")
    if not colon or not name.isidentifier() or not place:
        raise InvalidOwnCode(f"'{request.where}' is not 'file.py:Name' or 'package.module:Name'.", at="where")
    file = _allowed(workspace, place) if place.endswith(".py") else None
    if file is None:
        _require_allowed_module(workspace, place)
    tasks = {VALUES: ["regression"], LABELS: ["binary", "multiclass"], PROBABILITIES: ["binary", "multiclass"]}[request.needs]
    order = {"kind": request.kind, "file": str(file or ""), "module": "" if file else place, "name": name,
             "needs": request.needs, "tasks": tasks}  # fmt: skip
    found = look(order)
    beside = _beside(file) if file else ()
    code = _code(file, beside) if file else request.where.encode() + _origin(place)
    described = {
        "tasks": tasks, **found, "kind": request.kind, "file": order["file"], "module": order["module"], "name": name, "label": name,
        "sentence": request.sentence or found["sentence"], "beside": list(beside),
    }  # fmt: skip
    if request.kind == METRIC:
        described |= {"larger_is_better": request.larger_is_better, "needs": request.needs}
    told = json.dumps({k: v for k, v in described.items() if k not in ("file", "warning", "third")}, sort_keys=True).encode()
    key = f"{re.sub(r'[^a-z0-9]+', '_', name.lower())}_{hashlib.sha256(code + told).hexdigest()[:8]}"
    described["key"] = key
    folder = workspace.own_folder
    folder.mkdir(exist_ok=True)
    if file:
        (folder / f"{key}.py").write_bytes(file.read_bytes())
    for name in beside:
        kept = folder / key / name
        kept.parent.mkdir(parents=True, exist_ok=True)
        kept.write_bytes((file.parent / name).read_bytes())  # type: ignore[union-attr]
    half = folder / f".{key}.{os.getpid()}"
    half.write_text(json.dumps(described, indent=1), "utf-8")
    half.replace(folder / f"{key}.json")
    seal_own(workspace, key)
    workspace.look_again()
    return _view(described)


def list_own(workspace: Workspace) -> list[OwnCodeView]:
    paths = sorted(workspace.own_folder.glob("*.json"), key=lambda path: path.stat().st_mtime)
    return [_view(json.loads(path.read_text("utf-8"))) for path in paths]


def _view(found: dict[str, Any]) -> OwnCodeView:
    where = f"{found['file'] or found['module']}:{found['name']}"
    return OwnCodeView(
        key=found["key"], kind=found["kind"], where=where, sentence=found["sentence"], tasks=found["tasks"],
        settings=[s["name"] for s in found.get("settings", [])], warning=found.get("warning", ""),
    )  # fmt: skip


def _allowed(workspace: Workspace, place: str) -> Path:
    """The file, if it lies in a folder that the operator allowed; symbolic links do not lead out of it."""
    if not workspace.allowed:
        raise InvalidOwnCode("No folder is allowed for own code. Start Pellux with --allow FOLDER.", at="where")
    wanted = Path(place)
    for folder in workspace.allowed:
        path = (wanted if wanted.is_absolute() else folder / wanted).resolve()
        if path.is_relative_to(folder) and path.is_file():
            return path
    folders = ", ".join(str(folder) for folder in workspace.allowed)
    raise InvalidOwnCode(f"There is no file {place} in a folder allowed for own code ({folders}).", at="where")


def _beside(file: Path) -> tuple[str, ...]:
    """The files of its folder that it imports: they are its code too, and are kept with it."""
    return tuple(name for name in files_of(file, file.parent) if name != file.name)


def _code(file: Path, beside: Sequence[str]) -> bytes:
    if not beside:
        return file.read_bytes()
    return file.read_bytes() + fingerprint(file.parent, beside).encode()


def _require_allowed_module(workspace: Workspace, module: str) -> None:
    """A module is named by the operator, as a folder is, or lies in an allowed folder."""
    parts = module.split(".")
    if any(".".join(parts[: i + 1]) in workspace.allowed_modules for i in range(len(parts))):
        return
    with contextlib.suppress(Exception):
        spec = importlib.util.find_spec(parts[0])
        if (
            spec is not None
            and spec.origin is not None
            and any(Path(spec.origin).resolve().is_relative_to(a) for a in workspace.allowed)
        ):
            return
    raise InvalidOwnCode(f"The module {module} is not allowed for own code. Start Pellux with --allow {parts[0]}.", at="where")


def _origin(module: str) -> bytes:
    """The source of an installed module, so that another version of it is another learner."""
    with contextlib.suppress(Exception):
        spec = importlib.util.find_spec(module)
        if spec is not None and spec.origin is not None and spec.origin.endswith(".py"):
            return Path(spec.origin).read_bytes()
    return b""


def look(order: dict[str, Any], patience: float = PATIENCE) -> dict[str, Any]:
    """What a look at the code found; everything it started is ended with it."""
    reading, writing = os.pipe()
    token, order_text = secrets.token_hex(12), json.dumps({**order, "answer": writing}).encode()
    what = f"{order['file'] or order['module']}:{order['name']}"
    with tempfile.TemporaryFile() as printed:  # a pipe would stay open as long as anything that the code left running
        process = subprocess.Popen(
            [sys.executable, "-P", "-m", "pellux.objectives.tabular.own.probe"], stdin=subprocess.PIPE, stdout=printed,
            stderr=subprocess.STDOUT, pass_fds=(writing,), start_new_session=True, env={**os.environ, VARIABLE: token},
        )  # fmt: skip
        os.close(writing)
        late = False
        try:
            with contextlib.suppress(BrokenPipeError):
                process.communicate(order_text, timeout=patience)
        except subprocess.TimeoutExpired:
            late = True
        finally:
            with contextlib.suppress(ProcessLookupError, PermissionError):
                os.killpg(process.pid, signal.SIGKILL)
            process.wait()
            end_all(token)  # also what left its group
            with os.fdopen(reading, "rb") as pipe:
                os.set_blocking(pipe.fileno(), False)
                answer = pipe.read()
        said = _end_of(printed)
    if late:
        raise InvalidOwnCode(
            f"{what} was not done after {patience:.0f} s with importing and fitting {60} made-up rows. Does it wait for something?",
            at="where", detail=said,
        )  # fmt: skip
    if not answer:
        how = f"exit status {process.returncode}" if process.returncode >= 0 else f"signal {-process.returncode}"
        raise InvalidOwnCode(f"{what} ended the process that looked at it ({how}).", at="where", detail=said)
    found: dict[str, Any] = json.loads(answer)
    if "error" in found:
        raise InvalidOwnCode(f"{what}: {found['error']}", at="where", detail=found["traceback"])
    return found


def _end_of(printed: IO[bytes]) -> str:
    printed.seek(max(printed.seek(0, os.SEEK_END) - MOST_OUTPUT, 0))
    return printed.read().decode("utf-8", "replace")


__all__ = ["LEARNER", "METRIC", "OwnCodeRequest", "bring", "list_own", "look"]
