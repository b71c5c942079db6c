"""docs/own-code.md and its schema are true: the curl session runs as it stands, what is laid down fits the schema."""

from __future__ import annotations

import json
import re
import subprocess
from pathlib import Path

import pytest
from jsonschema import Draft202012Validator

from pellux.core.objective import Holds
from pellux.objectives.code.brief import CodeBrief, Growing
from pellux.objectives.code.folders import prepare_folder
from pellux.objectives.code.program import Run, facts_of
from pellux.objectives.code.templates import FACTS
from pellux.service.planning.code_requests import CodeBriefRequest
from tests.serving import Server

DOCS = Path(__file__).parents[2] / "docs"
PAGE = (DOCS / "own-code.md").read_text("utf-8")
SCHEMA = json.loads((DOCS / "own-code.schema.json").read_text("utf-8"))


def validator(name: str) -> Draft202012Validator:
    return Draft202012Validator({**SCHEMA["$defs"][name], "$defs": SCHEMA["$defs"]})


def test_what_is_laid_down_for_a_program_fits_the_schema(tmp_path: Path) -> None:
    brief = CodeBrief("program", "recall", True, runs=("p",), folds=3, grows=Growing("epochs", 9), holds=Holds(devices=1))
    for fold in ("2", "all"):
        run = Run({"rate": 0.5, "kind": "a", "on": True}, 4, fold, 0, 9, tmp_path)
        prepare_folder(tmp_path, run.configuration, {**facts_of(brief, run), "counter": "epochs", "devices": ["1"]})
        validator("fit").validate(json.loads((tmp_path / "fit.json").read_text()))
    validator("score line").validate({"recall": 0.5, "epoch": 3})
    validator("prediction").validate({"row": "1", "truth": "yes", "no": "0.2", "yes": "0.8"})


def test_every_key_placeholder_and_variable_is_documented() -> None:
    for name, field in CodeBriefRequest.model_fields.items():
        assert name in ("name", "outside", "function") or f"`{field.alias or name}`" in PAGE
    for fact in FACTS:
        assert f"{{{fact}}}" in PAGE
        assert f"PELLUX_{fact.upper()}" in PAGE


@pytest.mark.slow
def test_the_session_with_curl_runs_as_it_stands(tmp_path: Path) -> None:
    [session] = re.findall(r"```sh\n(curl.*?)```", PAGE, re.DOTALL)
    lines = session.strip().splitlines()
    with Server(tmp_path / "w") as server:
        told: list[dict[str, object]] = []
        lease = ""
        for line in lines:
            script = f"BASE={server.url}/api/v1; LEASE={lease}; {line}"
            done = subprocess.run(["sh", "-c", script], capture_output=True, text=True, timeout=30)
            assert done.returncode == 0, done.stderr
            told.append(json.loads(done.stdout) if done.stdout.strip() else {})
            assert "type" not in told[-1], told[-1]
            fits = told[-1].get("fits")
            lease = str(fits[0]["id"]) if isinstance(fits, list) else lease
        assert told[3] == told[4] == {"go_on": True}
        server.until("/searches/1", lambda s: s["fits"]["run"] == 1)


def test_the_examples_in_the_page_are_python(tmp_path: Path) -> None:
    for block in re.findall(r"```python\n(.*?)```", PAGE, re.DOTALL):
        compile(block, "own-code.md", "exec")
