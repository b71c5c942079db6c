"""What can be taken away of a decision: record, configuration, script, model, report, trials; one by one or together."""

from __future__ import annotations

import datetime
import io
import json
import shlex
import zipfile
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

from pellux.core.errors import Conflict, NotFound, WorkspaceError
from pellux.core.space import parse
from pellux.engine.artifacts import KEEP
from pellux.objectives.code.brief import KINDS as CODE
from pellux.objectives.code.brief import PROGRAM, CodeBrief
from pellux.objectives.code.final_run import command_line
from pellux.objectives.code.program import ALL
from pellux.objectives.tabular.export import standing_alone
from pellux.objectives.tabular.export.training_script import Origin, training_script
from pellux.service.decisions.analysis_kinds import KEPT, MODEL, stages_of
from pellux.service.decisions.configurations import configuration_text
from pellux.service.decisions.grounds import ground_of
from pellux.service.decisions.report.page import report
from pellux.service.decisions.schemas import TakeawayFile
from pellux.service.engine.analyses import DONE, newest_analysis
from pellux.service.evidence.reports import known_already
from pellux.service.searches.lookups import called, whose
from pellux.service.searches.trials import export
from pellux.service.wording import sentence
from pellux.service.workspace import Workspace
from pellux.store.decisions import get_decision
from pellux.store.records import Analysis, Decision
from pellux.store.runs import RANKED, searches_of


@dataclass(frozen=True)
class _File:
    name: str
    sentence: str
    media: str
    make: Callable[[Workspace, Decision], bytes] | None = None


def _configuration(format: str) -> Callable[[Workspace, Decision], bytes]:
    def make(workspace: Workspace, decision: Decision) -> bytes:
        trial = decision.record["trial"]
        if decision.record["problem"].get("objective", "table") in CODE:
            return configuration_text({"settings": trial["configuration"]}, format).encode()
        task = decision.record["problem"]["brief"]["task"]
        settings = {**workspace.catalogue.learner(trial["learner"], task).defaults, **trial["configuration"]}
        return configuration_text({"learner": trial["learner"], "settings": settings}, format).encode()

    return make


def _record(workspace: Workspace, decision: Decision) -> bytes:
    return (json.dumps({**decision.record, "sha256": decision.fingerprint}, indent=2, ensure_ascii=False) + "\n").encode()


def _evidence(workspace: Workspace, decision: Decision) -> bytes:
    """What was computed of the search that the choice is from; null where nothing was."""
    with workspace.database.read() as session:
        _, search, _ = whose(session, decision.trial_id)
    found = known_already(workspace, decision.problem_id, search.id)
    return (json.dumps(None if found is None else found.model_dump(mode="json"), indent=2, ensure_ascii=False) + "\n").encode()


def _script(workspace: Workspace, decision: Decision) -> bytes:
    record, trial = decision.record, decision.record["trial"]
    with workspace.database.read() as session:
        chosen = whose(session, decision.trial_id)[:2]
    signed = datetime.datetime.fromtimestamp(decision.created_at, datetime.UTC).strftime("%d %B %Y")
    origin = Origin(
        title=f"{record['problem']['name']}: {called(*chosen)}.",
        made=f"Written by Pellux for decision {decision.id} of {signed}"
        + (f", signed {decision.signer}" if decision.signer else "")
        + f". Chosen by: {decision.rule}.",
        scores=trial["fold_scores"], folds_hash=record["problem"]["folds_sha256"], versions=record["versions"],
    )  # fmt: skip
    return training_script(ground_of(workspace, decision.problem_id), trial["learner"], trial["configuration"], origin).encode()


def _command(workspace: Workspace, decision: Decision) -> bytes:
    """One command, or one for each interval of a schedule."""
    brief, names = _code_of(workspace, decision)
    fold = ALL if brief.final else "0"
    lines = [
        shlex.join(command_line(brief, settings, names, fold, level))
        for settings, level in stages_of(brief, decision.record["trial"]["configuration"])
    ]
    return f"cd {shlex.quote(brief.folder)}\n{chr(10).join(lines)}\n".encode()


def _settings(workspace: Workspace, decision: Decision) -> bytes:
    return (json.dumps(decision.record["trial"]["configuration"], indent=2, ensure_ascii=False) + "\n").encode()


def _code_of(workspace: Workspace, decision: Decision) -> tuple[CodeBrief, list[str]]:
    """The brief as it was signed, and all settings of the space."""
    with workspace.database.read() as session:
        _, search, _ = whose(session, decision.trial_id)
    return CodeBrief.from_json(decision.record["problem"]["brief"]), list(parse(search.space).by_name)


def _report(workspace: Workspace, decision: Decision) -> bytes:
    return report(workspace, decision).encode()


def _trials(format: str) -> Callable[[Workspace, Decision], bytes]:
    def make(workspace: Workspace, decision: Decision) -> bytes:
        with workspace.database.read() as session:
            ids = sorted(search.id for search in searches_of(session, decision.problem_id, kinds=RANKED))
        return b"".join(export(workspace, ids, format))

    return make


FILES = (
    _File("report.html", "The whole decision on one page, charts included.", "text/html", _report),
    _File("train.py", "Plain scikit-learn: fits, checks the stored scores, predicts.", "text/x-python", _script),
    _File("configuration.json", "Learner and settings.", "application/json", _configuration("json")),
    _File("configuration.yaml", "Learner and settings.", "application/yaml", _configuration("yaml")),
    _File("configuration.toml", "Learner and settings.", "application/toml", _configuration("toml")),
    _File("model.joblib", "The model, fitted on all rows. Load it only from people you trust.", "application/octet-stream"),
    _File("model.onnx", "The model in an open format, its predictions checked.", "application/octet-stream"),
    _File("model.json", "Columns, categories and classes in the model's order.", "application/json"),
    _File("record.json", "The decision record with its fingerprint.", "application/json", _record),
    _File("evidence.json", "What the trials of its search say: importance, curves, findings, path.", "application/json", _evidence),
    _File("trials.csv", "Every trial of the problem.", "text/csv", _trials("csv")),
    _File("trials.jsonl", "Every trial of the problem.", "application/jsonl", _trials("jsonl")),
    _File("trials.parquet", "Every trial of the problem.", "application/vnd.apache.parquet", _trials("parquet")),
)
CODE_FILES = (
    FILES[0],
    _File("command.txt", "The command that trains the choice, as it is typed.", "text/plain", _command),
    _File("settings.json", "The settings alone, with their types.", "application/json", _settings),
    *(replace(file, sentence="The settings.") for file in FILES if file.name.startswith("configuration.")),
    _File("kept.zip", "What the training of the choice kept.", "application/zip"),
    *(file for file in FILES if file.name.startswith(("record.", "evidence.", "trials."))),
)

OWN = _File("own.zip", "Your own class and what it imports: unpack it beside model.joblib.", "application/zip")


def _files(workspace: Workspace, decision: Decision) -> Sequence[_File]:
    kind = decision.record.get("problem", {}).get("objective", "table")
    if kind not in CODE:
        return [*FILES, OWN] if _own_files(workspace, decision) else FILES
    return [file for file in CODE_FILES if kind == PROGRAM or file.name != "command.txt"]


def files_of(workspace: Workspace, decision: Decision) -> list[TakeawayFile]:
    fit = newest_analysis(workspace, decision.problem_id, MODEL, _asked(decision))
    return [_view(workspace, decision, file, fit) for file in _files(workspace, decision)]


def _asked(decision: Decision) -> dict[str, int]:
    return {"trial": decision.trial_id, "decision": decision.id}


def _view(workspace: Workspace, decision: Decision, file: _File, fit: Analysis | None) -> TakeawayFile:
    if file.make is not None:
        return TakeawayFile(name=file.name, sentence=file.sentence, state="ready", message="", bytes=None)
    if file.name == OWN.name:
        return TakeawayFile(name=file.name, sentence=file.sentence, state="ready", message="", bytes=None)
    if file.name == "kept.zip":
        return _kept_view(workspace, decision, file, fit)
    path = workspace.decision_folder(decision.id) / file.name
    if fit is not None and fit.state == DONE and path.exists():
        return TakeawayFile(name=file.name, sentence=file.sentence, state="ready", message="", bytes=path.stat().st_size)
    if fit is not None and fit.state == "running":
        return TakeawayFile(
            name=file.name, sentence=file.sentence, state="making", message="The model is being fitted on all rows.", bytes=None
        )
    return TakeawayFile(name=file.name, sentence=file.sentence, state="none", message=_why_none(file, fit), bytes=None)


def _kept_view(workspace: Workspace, decision: Decision, file: _File, fit: Analysis | None) -> TakeawayFile:
    """What there is of kept files: of the final run, where the program can train on everything, else fold by fold."""
    state, message = "ready", ""
    if fit is None or (fit.state != DONE and fit.state != "running"):
        state, message = (
            "none",
            "The final training has not run yet." if fit is None else f"The final training failed: {_failure(fit)}",
        )
    elif fit.state == "running":
        state, message = "making", "The choice is being trained on everything."
    elif not _kept_paths(workspace, decision):
        state, message = "none", "The program left nothing in the folder 'keep'."
    return TakeawayFile(name=file.name, sentence=file.sentence, state=state, message=message, bytes=None)


def _failure(fit: Analysis) -> str:
    try:
        return sentence(json.loads(fit.message))
    except (ValueError, AttributeError):
        return fit.message


def _kept_paths(workspace: Workspace, decision: Decision) -> list[tuple[str, Path]]:
    """Names and files of what the choice kept."""
    final = workspace.decision_folder(decision.id) / KEPT
    if final.is_dir():
        return _below(final, "")
    with workspace.database.read() as session:
        trial, _, _ = whose(session, decision.trial_id)
    folds = range(len(trial.scores))
    fits = workspace.fits_folder(trial.search_id)
    return [one for fold in folds for one in _below(fits / f"{trial.number}-{fold}" / KEEP, f"fold {fold + 1}/")]


def _below(folder: Path, before: str) -> list[tuple[str, Path]]:
    found = sorted(path for path in folder.rglob("*") if path.is_file() and not path.is_symlink())
    return [(f"{before}{path.relative_to(folder)}", path) for path in found]


def _own_files(workspace: Workspace, decision: Decision) -> list[tuple[str, bytes]]:
    """Names and contents of what somebody's own class needs, if one was chosen: its file under its own name, what it imports from
    beside it, and our wrapper around it."""
    key = str(decision.record["trial"].get("learner", ""))
    described = workspace.own_folder / f"{key}.json"
    found = json.loads(described.read_text("utf-8")) if key and described.is_file() else {}
    if not found:
        return []
    paths = [(str(name), workspace.own_folder / key / name) for name in found.get("beside", ())]
    if found.get("file"):
        paths.insert(0, (Path(found["file"]).name, workspace.own_folder / f"{key}.py"))
    return [*((name, path.read_bytes()) for name, path in paths), (f"{standing_alone.MODULE}.py", standing_alone.text().encode())]


def _zipped(files: Sequence[tuple[str, bytes]]) -> bytes:
    held = io.BytesIO()
    with zipfile.ZipFile(held, "w", zipfile.ZIP_DEFLATED, compresslevel=4) as archive:
        for name, found in files:
            archive.writestr(name, found)
    return held.getvalue()


def _why_none(file: _File, fit: Analysis | None) -> str:
    if fit is None:
        return "No model was fitted yet; it is when Pellux is started next."
    if fit.state == DONE and fit.result is not None:
        return str(fit.result["onnx"].get("refusal", "The file is gone from the workspace."))
    return f"The fit on all rows failed: {fit.message}"


def content(workspace: Workspace, decision_id: int, name: str) -> tuple[bytes, str]:
    """A file's bytes and media type; Conflict with the reason when there is none."""
    decision = _decision(workspace, decision_id)
    if name == "everything.zip":
        return _together(workspace, decision), "application/zip"
    by_name = {file.name: file for file in _files(workspace, decision)}
    if name not in by_name:
        raise NotFound(f"A decision has no file '{name}'. It has: {', '.join(by_name)}, everything.zip.")
    return _bytes(workspace, decision, by_name[name]), by_name[name].media


def _decision(workspace: Workspace, decision_id: int) -> Decision:
    with workspace.database.read() as session:
        found = get_decision(session, decision_id)
    if not found.record:
        raise Conflict("This decision was signed by a version of Pellux that kept no record. Sign it again to take it away.")
    return found


def _bytes(workspace: Workspace, decision: Decision, file: _File) -> bytes:
    if file.make is not None:
        return file.make(workspace, decision)
    view = next(f for f in files_of(workspace, decision) if f.name == file.name)
    if view.state != "ready":
        raise Conflict(view.message)
    if file.name in ("kept.zip", OWN.name):
        kept = [(name, path.read_bytes()) for name, path in _kept_paths(workspace, decision)] if file.name == "kept.zip" else None
        return _zipped(_own_files(workspace, decision) if kept is None else kept)
    return (workspace.decision_folder(decision.id) / file.name).read_bytes()


def _together(workspace: Workspace, decision: Decision) -> bytes:
    return _zipped(everything(workspace, decision))


def everything(workspace: Workspace, decision: Decision) -> list[tuple[str, bytes]]:
    """All files that there are; MISSING.txt says which are not, and why."""
    found, missing = [], []
    by_name = {file.name: file for file in _files(workspace, decision)}
    own = _own_files(workspace, decision)  # as they are: a model is loaded beside them
    for view in files_of(workspace, decision):
        if view.name == OWN.name:
            continue
        try:
            found.append((view.name, _bytes(workspace, decision, by_name[view.name])))
        except Conflict as refusal:
            missing.append(f"{view.name}: {refusal.message}")
    return [*found, *own, *([("MISSING.txt", ("\n".join(missing) + "\n").encode())] if missing else [])]


def write_all(workspace: Workspace, decision_id: int, folder: Path) -> list[str]:
    """Write all files into a folder, made if it is not there; the names written."""
    files = everything(workspace, _decision(workspace, decision_id))
    try:
        folder.mkdir(parents=True, exist_ok=True)
        for name, found in files:
            (folder / name).parent.mkdir(parents=True, exist_ok=True)
            (folder / name).write_bytes(found)
    except OSError as error:
        raise WorkspaceError(f"{folder} cannot be written: {error.strerror}.") from None
    return [name for name, _ in files]
