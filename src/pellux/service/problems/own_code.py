"""Brings people's own learners and metrics into a workspace: a look at them first, in a process of its own."""

from __future__ import annotations

import contextlib
import hashlib
import importlib.util
import json
import os
import re
import signal
import subprocess
import sys
from pathlib import Path
from typing import Any, Literal

from pydantic import Field

from pellux.core.errors import InvalidOwnCode
from pellux.core.judging.metrics import LABELS, PROBABILITIES, VALUES
from pellux.objectives.tabular.own.declared import LEARNER, METRIC
from pellux.service.planning.requests import Request
from pellux.service.problems.schemas import OwnCodeView
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
    tasks = {VALUES: ["regression"], LABELS: ["binary", "multiclass"], PROBABILITIES: ["binary", "multiclass"]}[request.needs]
    order = {"kind": request.kind, "file": str(file or ""), "module": "" if file else place, "name": name,
             "needs": request.needs, "tasks": tasks}  # fmt: skip
    found = look(order)
    code = file.read_bytes() if file else request.where.encode() + _origin(place)
    described = {
        "tasks": tasks, **found, "kind": request.kind, "file": order["file"], "module": order["module"], "name": name, "label": name,
        "sentence": request.sentence or found["sentence"],
    }  # fmt: skip
    if request.kind == METRIC:
        described |= {"larger_is_better": request.larger_is_better, "needs": request.needs}
    told = json.dumps({k: v for k, v in described.items() if k not in ("file", "warning", "third")}, sort_keys=True).encode()
    key = f"{re.sub(r'[^a-z0-9]+', '_', name.lower())}_{hashlib.sha256(code + told).hexdigest()[:8]}"
    described["key"] = key
    folder = workspace.own_folder
    folder.mkdir(exist_ok=True)
    if file:
        (folder / f"{key}.py").write_bytes(code)
    half = folder / f".{key}.{os.getpid()}"
    half.write_text(json.dumps(described, indent=1), "utf-8")
    half.replace(folder / f"{key}.json")
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
    process = subprocess.Popen(
        [sys.executable, "-P", "-m", "pellux.objectives.tabular.own.probe"], stdin=subprocess.PIPE, stdout=subprocess.PIPE,
        stderr=subprocess.STDOUT, pass_fds=(writing,), start_new_session=True,
    )  # fmt: skip
    os.close(writing)
    what = f"{order['file'] or order['module']}:{order['name']}"
    try:
        printed, _ = process.communicate(json.dumps({**order, "answer": writing}).encode(), timeout=patience)
    except subprocess.TimeoutExpired as late:
        raise InvalidOwnCode(
            f"{what} was not done after {patience:.0f} s with importing and fitting {60} made-up rows. Does it wait for something?",
            at="where", detail=_end_of(late.stdout),
        ) from None  # fmt: skip
    finally:
        with contextlib.suppress(ProcessLookupError, PermissionError):
            os.killpg(process.pid, signal.SIGKILL)
        process.wait()
        if process.stdout is not None:
            process.stdout.close()
        with os.fdopen(reading, "rb") as pipe:
            os.set_blocking(pipe.fileno(), False)
            answer = pipe.read()
    if not answer:
        how = f"exit status {process.returncode}" if process.returncode >= 0 else f"signal {-process.returncode}"
        raise InvalidOwnCode(f"{what} ended the process that looked at it ({how}).", at="where", detail=_end_of(printed))
    found: dict[str, Any] = json.loads(answer)
    if "error" in found:
        raise InvalidOwnCode(f"{what}: {found['error']}", at="where", detail=found["traceback"])
    return found


def _end_of(printed: bytes | None) -> str:
    return (printed or b"").decode("utf-8", "replace")[-MOST_OUTPUT:]


__all__ = ["LEARNER", "METRIC", "OwnCodeRequest", "bring", "list_own", "look"]
