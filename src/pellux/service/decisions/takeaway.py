"""What can be taken away of a decision: record, configuration, script, model, report, trials; one by one or together."""

from __future__ import annotations

import datetime
import io
import json
import zipfile
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from pellux.core.errors import Conflict, NotFound, WorkspaceError
from pellux.objectives.tabular.export.training_script import Origin, training_script
from pellux.service.decisions.analysis_kinds import MODEL, ground_of
from pellux.service.decisions.configurations import configuration_text
from pellux.service.decisions.report.page import report
from pellux.service.decisions.schemas import TakeawayFile
from pellux.service.engine.analyses import DONE, newest_analysis
from pellux.service.searches.trials import export
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
        task = decision.record["problem"]["brief"]["task"]
        settings = {**workspace.catalogue.learner(trial["learner"], task).defaults, **trial["configuration"]}
        return configuration_text({"learner": trial["learner"], "settings": settings}, format).encode()

    return make


def _record(workspace: Workspace, decision: Decision) -> bytes:
    return (json.dumps({**decision.record, "sha256": decision.fingerprint}, indent=2, ensure_ascii=False) + "\n").encode()


def _script(workspace: Workspace, decision: Decision) -> bytes:
    record, trial = decision.record, decision.record["trial"]
    signed = datetime.datetime.fromtimestamp(decision.created_at, datetime.UTC).strftime("%d %B %Y")
    origin = Origin(
        title=f"{record['problem']['name']}: trial {trial['number']} of search {trial['search']}.",
        made=f"Written by Pellux for decision {decision.id} of {signed}"
        + (f", signed {decision.signer}" if decision.signer else "")
        + f". Chosen by: {decision.rule}.",
        scores=trial["fold_scores"], folds_hash=record["problem"]["folds_sha256"], versions=record["versions"],
    )  # fmt: skip
    return training_script(ground_of(workspace, decision.problem_id), trial["learner"], trial["configuration"], origin).encode()


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
    _File("trials.csv", "Every trial of the problem.", "text/csv", _trials("csv")),
    _File("trials.jsonl", "Every trial of the problem.", "application/jsonl", _trials("jsonl")),
    _File("trials.parquet", "Every trial of the problem.", "application/vnd.apache.parquet", _trials("parquet")),
)
BY_NAME = {file.name: file for file in FILES}


def files_of(workspace: Workspace, decision: Decision) -> list[TakeawayFile]:
    fit = newest_analysis(workspace, decision.problem_id, MODEL, _asked(decision))
    return [_view(workspace, decision, file, fit) for file in FILES]


def _asked(decision: Decision) -> dict[str, int]:
    return {"trial": decision.trial_id, "decision": decision.id}


def _view(workspace: Workspace, decision: Decision, file: _File, fit: Analysis | None) -> TakeawayFile:
    if file.make is not None:
        return TakeawayFile(name=file.name, sentence=file.sentence, state="ready", message="", bytes=None)
    path = workspace.decision_folder(decision.id) / file.name
    if fit is not None and fit.state == DONE and path.exists():
        return TakeawayFile(name=file.name, sentence=file.sentence, state="ready", message="", bytes=path.stat().st_size)
    if fit is not None and fit.state == "running":
        return TakeawayFile(
            name=file.name, sentence=file.sentence, state="making", message="The model is being fitted on all rows.", bytes=None
        )
    return TakeawayFile(name=file.name, sentence=file.sentence, state="none", message=_why_none(file, fit), bytes=None)


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
    if name not in BY_NAME:
        raise NotFound(f"A decision has no file '{name}'. It has: {', '.join(BY_NAME)}, everything.zip.")
    return _bytes(workspace, decision, BY_NAME[name]), BY_NAME[name].media


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
    return (workspace.decision_folder(decision.id) / file.name).read_bytes()


def _together(workspace: Workspace, decision: Decision) -> bytes:
    held = io.BytesIO()
    with zipfile.ZipFile(held, "w", zipfile.ZIP_DEFLATED, compresslevel=4) as archive:
        for name, found in everything(workspace, decision):
            archive.writestr(name, found)
    return held.getvalue()


def everything(workspace: Workspace, decision: Decision) -> list[tuple[str, bytes]]:
    """All files that there are; MISSING.txt says which are not, and why."""
    found, missing = [], []
    for view in files_of(workspace, decision):
        try:
            found.append((view.name, _bytes(workspace, decision, BY_NAME[view.name])))
        except Conflict as refusal:
            missing.append(f"{view.name}: {refusal.message}")
    return [*found, ("MISSING.txt", ("\n".join(missing) + "\n").encode())] if missing else found


def write_all(workspace: Workspace, decision_id: int, folder: Path) -> list[str]:
    """Write all files into a folder, made if it is not there; the names written."""
    files = everything(workspace, _decision(workspace, decision_id))
    try:
        folder.mkdir(parents=True, exist_ok=True)
        for name, found in files:
            (folder / name).write_bytes(found)
    except OSError as error:
        raise WorkspaceError(f"{folder} cannot be written: {error.strerror}.") from None
    return [name for name, _ in files]
