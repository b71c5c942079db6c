"""What the front end's tests take for the server's answers is what the server answers."""

from __future__ import annotations

import json
from typing import Any

import pytest
from jsonschema import Draft202012Validator

from tests.recording import FILE
from tests.web.test_http import DOCUMENT, schema_of

RECORDED: dict[str, Any] = json.loads(FILE.read_text("utf-8"))
NAMED = {
    "checked space": ("POST", "/spaces/check", 200),
    "refused space": ("POST", "/spaces/check", 200),
    "refused brief": ("POST", "/briefs/preview", 422),
    "refused plan": ("POST", "/problems/1/forecast", 422),
    "signed decision": ("POST", "/problems/1/decisions", 201),
    "decisions after signing": ("GET", "/decisions", 200),
}


ENTRY = {"$ref": "#/components/schemas/LedgerEntry", "components": DOCUMENT["components"]}


def test_what_the_ledger_told_fits_the_document() -> None:
    told = RECORDED["ledger"]
    assert {entry["kind"] for entry in told} >= {"problem", "search", "trial", "fit", "points", "analysis", "decision"}
    for entry in told:
        Draft202012Validator(ENTRY).validate(entry)
        assert not Draft202012Validator(ENTRY).is_valid({**entry, "data": {}}), "the check can fail"


@pytest.mark.parametrize("key", sorted(set(RECORDED) - {"ledger"}))
def test_a_recorded_answer_fits_the_document(key: str) -> None:
    method, path, status = NAMED.get(key) or (*key.replace("/api/v1", "").split(" ", 1), 200)  # type: ignore[assignment]
    schema = schema_of(method, path, status, "application/json" if status < 400 else "application/problem+json")
    assert schema is not None, "no operation answers so; record anew: python -m tests.recording"
    answer = RECORDED[key]
    Draft202012Validator({**schema, "components": DOCUMENT["components"]}).validate(answer)
    if status == 422:
        assert {"detail", "field", "status"} <= answer.keys()
    for name in required(schema):
        wrong = {k: v for k, v in answer.items() if k != name}
        assert not Draft202012Validator({**schema, "components": DOCUMENT["components"]}).is_valid(wrong), "the check can fail"


def required(schema: dict[str, Any]) -> list[str]:
    """One property that an answer cannot lack, if its schema names any."""
    described = schema
    while "$ref" in described:
        found: Any = DOCUMENT
        for part in described["$ref"].removeprefix("#/").split("/"):
            found = found[part]
        described = found
    return list(described.get("required", []))[:1]
