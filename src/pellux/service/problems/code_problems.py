"""Problems whose fits are people's own code: framed, looked at before launch, kept."""

from __future__ import annotations

import contextlib
import hashlib
import os
import sys
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from types import ModuleType
from typing import Any

import cloudpickle

from pellux.core.errors import Conflict, InvalidOwnCode, InvalidPlan
from pellux.core.objective import Holds
from pellux.core.space import Space, Value, parse
from pellux.engine.background_process import BackgroundFailed, BackgroundProcess
from pellux.objectives.code.brief import FUNCTION, KINDS, OUTSIDE, PROGRAM, CodeBrief, Growing
from pellux.objectives.code.fingerprint import file_inside, files_of, fingerprint, script_of
from pellux.objectives.code.first_look import first_look
from pellux.objectives.code.help_text import suggest
from pellux.objectives.code.objective import Own, sent_file
from pellux.objectives.code.paths import search_path
from pellux.objectives.code.process import NotStarted, run_program
from pellux.objectives.code.templates import names_in
from pellux.service.planning.code_requests import CodeBriefRequest, FirstLookRequest, HelpRequest
from pellux.service.problems.schemas import (
    CodeBriefView,
    FirstLookView,
    GrowsView,
    GuessView,
    HelpView,
    HoldsView,
    LookFile,
    LookLine,
    OptionView,
    ReadView,
)
from pellux.service.trust import seal_problem
from pellux.service.wording import sentence
from pellux.service.workspace import Workspace
from pellux.store import problems, runs
from pellux.store.records import Problem

HELP_SECONDS = 20.0
MOST_HELP = 5_000  # lines


@dataclass(frozen=True)
class Sent:
    """A function that came by value: its name and its pickled bytes, laid into the workspace by whoever holds it."""

    name: str
    digest: str


def send(workspace: Workspace, function: Callable[..., Any]) -> Sent:
    """Lay a function into the workspace by value, with all of its own that it uses; whoever runs the engine runs it then."""
    module = sys.modules.get(getattr(function, "__module__", None) or "")
    by_value = module is not None and module.__name__ != "__main__" and _is_the_users(module)
    if by_value and module is not None:
        cloudpickle.register_pickle_by_value(module)
    try:
        content: bytes = cloudpickle.dumps(function)
    except Exception as error:  # whatever a class of the user's raises
        raise InvalidOwnCode(f"The function cannot be sent to worker processes: {error}.", at="what") from None
    finally:
        if by_value and module is not None:
            cloudpickle.unregister_pickle_by_value(module)
    digest = hashlib.sha256(content).hexdigest()
    path = sent_file(workspace.own_folder, digest)
    path.parent.mkdir(parents=True, exist_ok=True)
    half = path.with_suffix(f".{os.getpid()}")
    half.write_bytes(content)
    half.replace(path)
    return Sent(getattr(function, "__name__", "function"), digest)


def _is_the_users(module: ModuleType) -> bool:
    """Whether a module is code of the user's own, not of an installed package: workers elsewhere would not find it."""
    place = getattr(module, "__file__", None)
    return place is not None and "site-packages" not in place and not place.startswith(sys.base_prefix)


def frame_code(workspace: Workspace, request: CodeBriefRequest, space: str = "", sent: Sent | None = None) -> CodeBrief:
    """The brief that is meant, its files found and fingerprinted; a PelluxError says what is wrong with it."""
    kinds = [request.runs is not None, request.function is not None or sent is not None, request.outside]
    if sum(kinds) != 1:
        raise InvalidPlan("A problem of your own code has one of: runs (a program), function, outside.", at="brief.runs")
    kind = (PROGRAM, FUNCTION, OUTSIDE)[kinds.index(True)]
    folder, files, mark = Path(), tuple[str, ...](), ""
    if kind != OUTSIDE and sent is None:
        if kind == PROGRAM:
            names_in(request.runs or ())
        folder, script = _found(workspace, request.folder, lambda folder: _script(kind, request, folder))
        files = files_of(script, folder, request.files)
        mark = fingerprint(folder, files)
    grows = request.grows
    return CodeBrief(
        kind=kind, metric=request.judged_by.score.strip(), larger_is_better=request.judged_by.larger_is_better,
        runs=tuple(request.runs or ()), folder=str(folder) if files else "", function=sent.name if sent else request.function or "",
        sent=sent.digest if sent else "", pick_out=request.judged_by.pick_out, recorded=tuple(dict.fromkeys(one.score for one in request.recorded)),
        smaller=tuple(one.score for one in request.recorded if not one.larger_is_better),
        folds=request.folds, holds=Holds(request.holds.cores, request.holds.devices, request.holds.memory_mb),
        grows=None if grows is None else Growing(grows.what, grows.most, grows.goes_on, tuple(grows.may_change)),
        final=request.final, seed=request.seed, files=files, fingerprint=mark, space=space,
        limits=tuple(request.limits), against=tuple(request.against),
    )  # fmt: skip


def _script(kind: str, request: CodeBriefRequest, folder: Path) -> Path:
    if kind == PROGRAM:
        return script_of(request.runs or (), folder)
    place, _, name = (request.function or "").rpartition(":")
    path = file_inside(place, folder) if place.endswith(".py") and name.isidentifier() else None
    if path is None:
        raise InvalidOwnCode(f"'{request.function}' is not 'file.py:name' of a file in {folder}.", at="brief.function")
    return path


def _found(workspace: Workspace, wanted: str, script: Callable[[Path], Path]) -> tuple[Path, Path]:
    """The folder meant and the script in it; where no folder is named, the first allowed one that has it."""
    first = allowed_folder(workspace, wanted)
    for folder in () if wanted else workspace.allowed:
        with contextlib.suppress(InvalidOwnCode):
            return folder, script(folder)
    return first, script(first)  # what is wrong is told of the folder that was meant


def allowed_folder(workspace: Workspace, wanted: str) -> Path:
    """The folder meant, if it is one that the operator allowed or lies in one; symbolic links do not lead out of it."""
    if not workspace.allowed:
        raise InvalidOwnCode("No folder is allowed for own code. Start Pellux with --allow FOLDER.", at="brief.folder")
    for allowed in workspace.allowed:
        with contextlib.suppress(OSError):  # a name that no file can have
            path = (allowed / wanted).resolve()
            if path.is_relative_to(allowed) and path.is_dir():
                return path
    folders = ", ".join(str(folder) for folder in workspace.allowed)
    raise InvalidOwnCode(f"'{wanted}' is no folder among those allowed for own code ({folders}).", at="brief.folder")


def create_code_problem(
    workspace: Workspace, request: CodeBriefRequest, space: str = "", *, reuse: bool = False, sent: Sent | None = None
) -> int:
    """Keep a new problem; with `reuse`, an existing one of the same brief and code serves again.

    Where only the code is another, the new problem remembers the one it came from.
    """
    brief = frame_code(workspace, request, space, sent)
    with workspace.database.write() as session:
        made = problems.problem_of_brief(session, brief.identity) if reuse else None
        if made is None:
            made = problems.add_problem(
                session, name=request.name or f"{brief.metric} of {brief.label}", created_at=workspace.clock(), objective=brief.kind,
                brief=brief.to_json(), brief_hash=brief.identity, derived_from=_older_version(problems.every_problem(session), brief),
            )  # fmt: skip
        seal_problem(workspace, made, problems.get_problem(session, made).brief)
        return made


def _older_version(every: list[Problem], brief: CodeBrief) -> int | None:
    """The newest problem that differs in the code alone."""
    for problem in every:
        if problem.objective == brief.kind and CodeBrief.from_json(problem.brief).family == brief.family:
            return problem.id
    return None


def change_code_problem(workspace: Workspace, problem_id: int, request: CodeBriefRequest, space: str = "") -> None:
    """Replace the brief of a problem that no search uses yet."""
    brief = frame_code(workspace, request, space)
    with workspace.database.write() as session:
        problem = problems.get_problem(session, problem_id)
        if problem.frozen or runs.searches_of(session, problem_id):
            raise Conflict("The brief is frozen: searches of this problem use it. Save the change as a new problem.")
        if problem.objective not in KINDS:
            raise Conflict(f"{problem.name} is about a table; its brief is another one.")
        problems.change_objective(session, problem_id, brief.kind)
        problems.change_brief(
            session, problem_id, workspace.clock(), brief=brief.to_json(), brief_hash=brief.identity, data_hash=None, folds_hash=None
        )  # fmt: skip
        problems.label(session, problem_id, workspace.clock(), name=request.name or None)
        seal_problem(workspace, problem_id, problems.get_problem(session, problem_id).brief)


def look_first(workspace: Workspace, request: FirstLookRequest, sent: Sent | None = None) -> FirstLookView:
    """One real fit at the start values, at the smallest level; nothing of it is kept."""
    brief = frame_code(workspace, request.brief, sent=sent)
    if brief.kind == OUTSIDE:
        raise InvalidPlan("Fits of an outside loop are not ours to run: there is nothing to look at.", at="brief.outside")
    space = _space(request.space)
    Own(brief).check(space)
    configuration = space.completed({})
    devices = workspace.devices.take(brief.holds.devices)
    if devices is None:
        raise Conflict(f"A fit holds {brief.holds.devices} devices, and so many are not free now.")
    try:
        return _looked(workspace, brief, configuration, space, devices, request.seconds)
    finally:
        workspace.devices.give(devices)


def _looked(
    workspace: Workspace, brief: CodeBrief, configuration: dict[str, Value], space: Space, devices: tuple[str, ...], seconds: float
) -> FirstLookView:  # fmt: skip
    sent = sent_file(workspace.own_folder, brief.sent) if brief.sent else None
    background = BackgroundProcess(first_look, brief, configuration, tuple(space.by_name), devices, sent)
    late = threading.Event()

    def give_up() -> None:
        late.set()
        background.end()

    timer = threading.Timer(seconds, give_up)
    timer.start()
    try:
        found = background.result()
    except BackgroundFailed as failure:
        if late.is_set():
            raise InvalidOwnCode(
                f"{brief.label} was not done after {seconds:g} s at the smallest level. Give the first look more seconds.",
                at="seconds",
            ) from None
        raise InvalidOwnCode(f"{brief.label}: {failure}", at="brief.runs", detail=failure.trace) from None
    finally:
        timer.cancel()
    return FirstLookView(
        configuration=configuration, level=found["level"], seconds=found["seconds"], how=found["how"], score=found["score"],
        curve=found["curve"], recorded=found["recorded"], left_out=found["left_out"],
        problem=sentence(found["reason"]) if found["reason"] else "",
        lines=[
            LookLine(aside=line["aside"], text=line["text"], read=None if line["read"] is None else ReadView(**line["read"]))
            for line in found["lines"]
        ],
        files=[LookFile(**file) for file in found["files"]], guess=GuessView(**found["guess"]) if found["guess"] else None,
    )  # fmt: skip


def _space(text: str) -> Space:
    return parse(text) if text.strip() else Space(())


def read_help(workspace: Workspace, request: HelpRequest) -> HelpView:
    """Run a program's --help, and say what it tells of settings."""
    folder, _ = _found(workspace, request.folder, lambda folder: script_of(request.runs, folder))
    bare = [part for part in request.runs if "{" not in part]
    environment = {**os.environ, "COLUMNS": "120", "PATH": search_path(os.environ)}
    lines, until = list[str](), time.monotonic() + HELP_SECONDS
    try:
        done = run_program(
            [*bare, "--help"], folder, environment, lambda stream, line: lines.append(line) if len(lines) < MOST_HELP else None,
            lambda: time.monotonic() > until, grace=1,
        )  # fmt: skip
    except NotStarted as refusal:
        raise InvalidOwnCode(str(refusal), at="brief.runs") from None
    if done.told_to:
        raise InvalidOwnCode(f"{bare[-1]} --help was not done after {HELP_SECONDS:.0f} s.", at="brief.runs")
    text = "\n".join(lines)
    found = suggest(request.runs, text)
    if not found.options:
        raise InvalidOwnCode(
            f"{bare[-1]} --help tells of no option with a default (exit status {done.status}). Write the space yourself.",
            at="brief.runs", detail=text[-4000:],
        )  # fmt: skip
    options = [
        OptionView(name=o.name, setting=o.setting, sentence=o.sentence, default=o.default, choices=list(o.choices))
        for o in found.options
    ]
    return HelpView(runs=list(found.runs), space=found.space, grows=found.grows, most=found.most, options=options, text=text)


def code_brief_view(brief: CodeBrief) -> CodeBriefView:
    grows, holds = brief.grows, brief.holds
    return CodeBriefView(
        kind=brief.kind, label=brief.label, runs=list(brief.runs), function=brief.function, folder=brief.folder, metric=brief.metric,
        larger_is_better=brief.larger_is_better, pick_out=brief.pick_out, recorded=list(brief.recorded), smaller=list(brief.smaller), folds=brief.folds,
        grows=None if grows is None else GrowsView(what=grows.what, most=grows.most, goes_on=grows.goes_on, may_change=list(grows.may_change)),
        holds=HoldsView(cores=holds.cores, devices=holds.devices, memory_mb=holds.memory_mb), final=brief.final, seed=brief.seed,
        files=list(brief.files), fingerprint=brief.fingerprint, space=brief.space,
    )  # fmt: skip
