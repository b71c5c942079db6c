"""The HTTP contract: the document is valid and true, errors are problem documents, strangers are refused."""

from __future__ import annotations

import csv
import errno
import json
import re
import threading
from pathlib import Path
from typing import Any

import pytest
from flask.testing import FlaskClient
from jsonschema import Draft202012Validator
from openapi_spec_validator import validate

from pellux.service.engine.engine import Engine
from pellux.service.problems import problems
from pellux.store.problems import label
from pellux.web.app import create_app
from pellux.web.resources import api
from tests.making import mixed_columns, write_csv

HOME = {"Host": "127.0.0.1:8420"}
DOCUMENT = api().document()


class Client:
    """Calls the API and checks every answer against the OpenAPI document."""

    def __init__(self, flask: FlaskClient) -> None:
        self.flask = flask

    def __call__(self, method: str, path: str, body: Any = None, status: int | None = None, **more: Any) -> Any:
        answer = self.flask.open(f"/api/v1{path}", method=method, json=body, headers={**HOME, **more.pop("headers", {})}, **more)
        if status is not None:
            assert answer.status_code == status, answer.get_data(as_text=True)
        check(method, path, answer)
        return answer.get_json() if (answer.mimetype or "").endswith("json") else answer.get_data()


def schema_of(method: str, path: str, status: int, kind: str = "application/json") -> dict[str, Any] | None:
    """How the document describes an answer; None where it does not."""
    plain = path.partition("?")[0]
    known = next((t for t in DOCUMENT["paths"] if re.fullmatch(re.sub(r"\{[^}]+\}", "[^/]+", t), f"/api/v1{plain}")), None)
    described = DOCUMENT["paths"].get(known, {}).get(method.lower(), {}).get("responses")
    if described is None:
        return None
    expected = described.get(str(status), described["default"])
    content = expected.get("content", {})
    found: dict[str, Any] | None = content.get(kind, {}).get("schema")
    return found


def check(method: str, path: str, answer: Any) -> None:
    plain = path.partition("?")[0]
    known = next((t for t in DOCUMENT["paths"] if re.fullmatch(re.sub(r"\{[^}]+\}", "[^/]+", t), f"/api/v1{plain}")), None)
    if known is None:
        return
    if method.lower() not in DOCUMENT["paths"][known]:
        assert answer.status_code == 405
        return
    if (answer.mimetype or "").endswith("json") and answer.status_code != 304:
        schema = schema_of(method, path, answer.status_code, answer.mimetype)
        assert schema is not None, (
            f"{method} {path} answers {answer.status_code} {answer.mimetype}, which the document does not know"
        )
        Draft202012Validator({**schema, "components": DOCUMENT["components"]}).validate(answer.get_json())


@pytest.fixture
def client(engine: Engine) -> Client:
    return Client(create_app(engine).test_client())


@pytest.fixture
def problem(client: Client, tmp_path: Path) -> dict[str, Any]:
    table = write_csv(tmp_path / "mixed.csv", mixed_columns()).read_bytes()
    data = client("POST", "/data?name=mixed.csv", status=201, data=table, content_type="text/csv")
    body = {"data": data["hash"], "target": "label", "metric": "ROC AUC", "ignore": ["amount"]}
    found: dict[str, Any] = client("POST", "/problems", body, 201)
    return found


def refused(found: Any, status: int, code: str, words: str = "", field: str | None = None) -> None:
    assert found["status"] == status
    assert found["type"] == f"urn:pellux:error:{code}"
    assert words in found["detail"]
    if field is not None:
        assert found["field"] == field


def test_the_document_is_valid_openapi_and_current(client: Client) -> None:
    validate(DOCUMENT)
    assert client("GET", "/openapi.json", status=200) == json.loads(json.dumps(DOCUMENT))
    names = [o["operationId"] for path in DOCUMENT["paths"].values() for o in path.values()]
    assert len(names) == len(set(names)) > 25
    assert all(o["summary"].endswith(".") for path in DOCUMENT["paths"].values() for o in path.values())


def test_a_text_of_an_earlier_version_that_is_none_breaks_no_list(client: Client, engine: Engine, problem: dict[str, Any]) -> None:
    with engine.workspace.database.write() as session:
        label(session, problem["id"], 0.0, name="odd", tags=["half \ud800"])
    assert [p["tags"] for p in client("GET", "/problems", status=200)] == [["half \ud800"]]
    refused(
        client("PUT", f"/problems/{problem['id']}/label", {"name": "half \ud800"}),
        422,
        "invalid-plan",
        "half of a character pair",
    )


@pytest.mark.slow
def test_the_whole_way_through_the_api(client: Client, engine: Engine, problem: dict[str, Any]) -> None:
    preview = client("POST", "/briefs/preview", {"data": problem["brief"]["data"], "target": "kind"}, 200)
    assert preview["brief"]["task"] == "multiclass"
    assert "macro F1" in preview["suited_metrics"]
    space = client("POST", "/spaces/check", {"learner": "tree", "task": "binary", "text": "depth: 2 .. 8 int"}, 200)
    assert (space["configurations"], len(space["draws"]["depth"])) == (7, 200)
    again = client("POST", "/spaces/check", {"learner": "tree", "task": "binary", "parameters": space["parameters"]}, 200)
    assert again["text"].strip() == "depth: 2 .. 8 int"

    body = {"learner": "tree", "space": space["text"], "plan": {"trials": 4, "workers": 2}}
    assert client("POST", f"/problems/{problem['id']}/forecast", body, 200)["fits"] == 25
    search = client("POST", f"/problems/{problem['id']}/searches", body, 201)
    assert engine.join(search["id"], 60)
    assert client("GET", f"/searches/{search['id']}", status=200)["state"] == "finished"
    page = client("GET", f"/searches/{search['id']}/trials?sort=score&descending=true&where=depth > 1", status=200)
    assert page["total"] == 5
    best = page["trials"][0]
    for path in ("points", "lanes", "summary", "trials"):
        client("GET", f"/searches/{search['id']}/{path}", status=200)
    assert client("GET", f"/trials/{best['id']}", status=200)["mean"] == best["mean"]
    client("PUT", f"/trials/{best['id']}/remarks", {"note": "=1+2", "shortlisted": True, "tags": ["@warm"]}, 204)
    lines = list(csv.DictReader(client("GET", f"/searches/{search['id']}/export/csv", status=200).decode().splitlines()))
    assert {"'=1+2", "'@warm"} <= {value for line in lines for value in line.values()}, "a spreadsheet computes nothing"
    assert float(lines[0]["seconds"]) > 0, "and numbers stay numbers"
    for tags in (["half \ud800"], ["no\0thing"], ["t" * 61], ["t"] * 51):
        refused(client("PUT", f"/trials/{best['id']}/remarks", {"tags": tags}), 422, "invalid-plan")
    assert json.loads(client("GET", f"/trials/{best['id']}/configuration/json", status=200)["text"]) == best["configuration"]
    for kind in ("csv", "jsonl", "parquet"):
        assert client("GET", f"/searches/{search['id']}/export/{kind}", status=200)
    found = client("GET", f"/problems/{problem['id']}/finalists", status=200)
    assert found["finalists"][0]["trial"]["id"] == best["id"]
    decision = client("POST", f"/problems/{problem['id']}/decisions", {"trial_id": best["id"], "reason": "best"}, 201)
    assert client("GET", f"/problems/{problem['id']}", status=200)["decided"] is True
    assert decision["reason"] == "best"
    refused(client("PUT", f"/searches/{search['id']}/state", {"state": "paused"}), 409, "illegal-transition", "is finished")
    refused(
        client("PUT", f"/problems/{problem['id']}/brief", {"data": problem["brief"]["data"], "target": "kind"}),
        409,
        "conflict",
        "frozen",
    )
    for path in ("/problems", "/data", f"/problems/{problem['id']}/searches", "/workspace", "/catalogue"):
        client("GET", path, status=200)
    metrics = client.flask.get("/metrics", headers=HOME).get_data(as_text=True)
    assert 'pellux_trials{state="scored"} 5' in metrics
    assert metrics.endswith("# EOF\n")


@pytest.mark.parametrize(
    ("method", "path", "body", "status", "code", "words", "field"),
    [
        ("GET", "/problems/77", None, 404, "not-found", "no problem 77", None),
        ("GET", "/searches/77/points", None, 404, "not-found", "no search 77", None),
        ("GET", "/trials/77", None, 404, "not-found", "no trial", None),
        ("GET", "/nothing", None, 404, "not-found", "no resource", None),
        ("DELETE", "/problems", None, 405, "method-not-allowed", "", None),
        ("POST", "/problems", {"data": "x"}, 422, "invalid-plan", "lacks 'target'", "target"),
        ("POST", "/problems", {"data": "x", "target": "y"}, 404, "not-found", "No data with the hash", "data"),
        ("POST", "/problems", {"data": "x", "target": "y", "colour": 1}, 422, "invalid-plan", "unknown key 'colour'", "colour"),
        ("POST", "/problems", {"data": "x", "target": "y", "holdout": 1e999}, 422, "invalid-plan", "holdout", None),
        ("POST", "/problems", [1, 2], 422, "invalid-plan", "keys and values", None),
        ("POST", "/problems/1/rejudgings", {"trials": [-31625724772812580682989568]}, 422, "invalid-plan", "go to 2^63", "trials"),
        ("PUT", "/searches/1/state", {"state": "running wild"}, 422, "invalid-plan", "state", "state"),
        ("PUT", "/searches/1/workers", {"count": 0}, 422, "invalid-plan", "greater than or equal to 1", "count"),
        ("GET", "/searches/1/trials?limit=5000", None, 422, "invalid-plan", "limit", "limit"),
        ("POST", "/spaces/check", {"learner": "oracle", "task": "binary"}, 422, "invalid-plan", "unknown", "learner"),
    ],
)
def test_mistakes_are_problem_documents(
    client: Client, method: str, path: str, body: Any, status: int, code: str, words: str, field: str | None
) -> None:
    refused(client(method, path, body), status, code, words, field)


def test_what_is_not_json_is_refused(client: Client) -> None:
    refused(client("POST", "/problems", data=b"{not json", content_type="application/json"), 400, "bad-request", "not valid JSON")
    refused(client("POST", "/problems", data=b"a=1", content_type="text/plain"), 415, "unsupported-media-type")
    refused(client("POST", "/data?name=x.csv", data=b"", content_type="text/csv"), 422, "invalid-data", "empty", "data")


def test_a_space_with_a_mistake_is_an_answer_not_an_error(client: Client) -> None:
    found = client("POST", "/spaces/check", {"learner": "tree", "task": "binary", "text": "depth: 2 .. 8 int\ntrim 3"}, 200)
    assert (found["parameters"], found["line"], found["column"]) == (None, 2, 6)
    assert "^" in found["error"]
    unknown = client("POST", "/spaces/check", {"learner": "tree", "task": "binary", "text": "depth: 2 .. 8 int\nwings: 2"}, 200)
    assert (unknown["line"], unknown["parameters"]) == (2, None)


def test_wrong_filters_and_sorts_are_told(client: Client, engine: Engine, problem: dict[str, Any]) -> None:
    body = {"learner": "tree", "space": "depth: 2 .. 8 int", "plan": {"trials": 1, "workers": 1}}
    search = client("POST", f"/problems/{problem['id']}/searches", body, 201)["id"]
    refused(client("GET", f"/searches/{search}/trials?where=depth"), 422, "invalid-plan", "not a comparison", "where")
    refused(client("GET", f"/searches/{search}/trials?where=dept > 1"), 422, "invalid-plan", "Did you mean 'depth'?", "where")
    refused(client("GET", f"/searches/{search}/trials?sort=zzzz"), 422, "invalid-plan", "There are: number, mean", "sort")
    refused(client("GET", f"/searches/{search}/trials?where=it's > 1"), 422, "invalid-plan", "is not a column", "where")
    assert client("GET", f"/searches/{search}/trials?where={problem['judging']['metric']} > 99", status=200)["total"] == 0
    refused(client("GET", f"/searches/{search}/trials?sort=1;drop"), 422, "invalid-plan", "not a column", "sort")
    assert client("GET", f"/searches/{search}/trials?where=depth > 99", status=200)["total"] == 0
    refused(client("GET", f"/searches/{search}/export/xlsx"), 422, "invalid-plan", "Allowed: csv")
    engine.join(search, 60)
    by_header = client("GET", f"/searches/{search}/trials?where=Trial >= 0, Cost >= 0&sort=Sightline", status=200)
    assert by_header["total"] == client("GET", f"/searches/{search}/trials?where=number >= 0", status=200)["total"] > 0


def test_answers_have_etags_and_compress(client: Client) -> None:
    first = client.flask.get("/api/v1/catalogue", headers={**HOME, "Accept-Encoding": "gzip"})
    assert first.headers["Content-Encoding"] == "gzip"
    tag = first.headers["ETag"]
    assert client.flask.get("/api/v1/catalogue", headers={**HOME, "If-None-Match": tag}).status_code == 304


# Who may talk


@pytest.mark.parametrize(
    ("headers", "status"),
    [
        ({"Host": "localhost:8420"}, 200),
        ({"Host": "[::1]:8420"}, 200),
        ({"Host": "evil.example"}, 421),
        ({"Host": "127.0.0.1.evil.example"}, 421),
        ({**HOME, "Origin": "http://127.0.0.1:8420"}, 200),
        ({**HOME, "Origin": "http://evil.example"}, 403),
        ({**HOME, "Origin": "null"}, 403),
    ],
)
def test_only_our_own_host_and_origin(client: Client, headers: dict[str, str], status: int) -> None:
    answer = client.flask.get("/api/v1/workspace", headers=headers)
    assert answer.status_code == status
    assert answer.headers["X-Content-Type-Options"] == "nosniff"


@pytest.fixture
def guarded(engine: Engine) -> FlaskClient:
    return create_app(engine, host="0.0.0.0", token="s3cret").test_client()


def test_beyond_loopback_a_token_is_needed(guarded: FlaskClient) -> None:
    there = {"Host": "bench.example:8420"}
    assert guarded.get("/api/v1/workspace", headers=there).status_code == 401
    assert guarded.get("/p/1/live", headers=there).headers["Location"] == "/login"
    assert guarded.get("/health", headers=there).status_code == 200
    assert guarded.get("/api/v1/workspace", headers={**there, "Authorization": "Bearer wrong"}).status_code == 401
    assert guarded.get("/api/v1/workspace", headers={**there, "Authorization": "Bearer s3cret"}).status_code == 200


def test_the_login_page_sets_a_careful_cookie(guarded: FlaskClient) -> None:
    there = {"Host": "bench.example:8420"}
    assert guarded.get("/login", headers=there).status_code == 200
    assert guarded.post("/login", data={"token": "guess"}, headers=there).status_code == 401
    entered = guarded.post("/login", data={"token": "s3cret"}, headers=there)
    cookie = entered.headers["Set-Cookie"]
    assert "HttpOnly" in cookie
    assert "SameSite=Strict" in cookie
    assert guarded.get("/api/v1/workspace", headers={**there, "Cookie": cookie.partition(";")[0]}).status_code == 200


# Before a launch, and beside it

TREE = {"learner": "tree", "space": "depth: 2 .. 9 int", "plan": {"strategy": "random", "trials": 3, "workers": 1}}


def test_a_search_is_forecast_rehearsed_and_launched_again(client: Client, engine: Engine, problem: dict[str, Any]) -> None:
    path = f"/problems/{problem['id']}"
    before = client("POST", f"{path}/forecast", TREE, 200)
    assert (before["strategy"], before["seconds"], before["short_sighted"]) == ("random", None, 0)
    rehearsal = client("POST", f"{path}/rehearsals", TREE, 200)
    assert [fit["state"] for fit in rehearsal["fits"]] == ["done"] * len(rehearsal["fits"])
    assert rehearsal["forecast"]["seconds_low"] <= rehearsal["forecast"]["seconds"] <= rehearsal["forecast"]["seconds_high"]
    search = client("POST", f"{path}/searches", TREE, 201)
    assert engine.join(search["id"], 60)
    again = client("POST", f"/searches/{search['id']}/repeats", {"overrides": ["plan.trials=1", "plan.warm start=all"]}, 201)
    assert (again["budget_trials"], again["warm_start"], again["overrides"]) == (1, "all", ["plan.trials=1", "plan.warm start=all"])
    assert engine.join(again["id"], 60)
    refused(client("PUT", f"/searches/{search['id']}/budget", {"trials": 9}), 409, "conflict", "cannot change")
    refused(
        client("POST", f"/searches/{search['id']}/trials", {"configuration": {"depth": 3}}), 409, "conflict", "launch a new one"
    )


@pytest.mark.parametrize(
    ("plan", "field", "words"),
    [
        ({"target score": -0.3}, "plan.target score", "cannot be"),
        ({"no gain in": 0}, "plan.no gain in", "greater"),
        ({"warm start": "some"}, "plan.warm start", ""),
        ({"warm start": [44]}, "plan.warm start", "no search 44"),
        ({"starts": [{"depth": 500}]}, "plan.starts", "Start 1: depth: 500 is outside"),
        ({"starts": [{"wings": 2}]}, "plan.starts", "no such parameter"),
        ({"strategy": "psychic"}, "plan.strategy", "'psychic' is unknown"),
    ],
)
def test_a_wrong_plan_names_its_field(
    client: Client, problem: dict[str, Any], plan: dict[str, Any], field: str, words: str
) -> None:
    found = client("POST", f"/problems/{problem['id']}/searches", {**TREE, "plan": {**TREE["plan"], **plan}})  # type: ignore[dict-item]
    assert found["status"] == 422
    assert found["field"].startswith(field)
    assert words in found["detail"]


def test_a_grid_of_a_million_millions_is_refused(client: Client, problem: dict[str, Any]) -> None:
    space = "depth: 2 .. 900 int levels 800\nmin_leaf: 1 .. 900 int levels 800\nfeatures: 0.1 .. 1 levels 1000"
    body = {"learner": "tree", "space": space, "plan": {"strategy": "grid"}}
    refused(client("POST", f"/problems/{problem['id']}/forecast", body), 422, "invalid-space", "at most 1,000,000", "plan.strategy")


def test_a_space_is_read_in_both_forms_and_compared(client: Client) -> None:
    one = "depth: 2 .. 9 int\nmin_leaf: 1 .. 40 int log if depth > 4\nrequire min_leaf <= 5 * depth"
    found = client("POST", "/spaces/check", {"learner": "tree", "task": "binary", "text": one}, 200)
    assert found["error"] is None
    assert found["parents"] == {"min_leaf": "depth"}
    assert found["configurations"] == 3 + 25 + 30 + 35 + 40 + 40
    assert len(found["draws"]["min_leaf"]) < len(found["draws"]["depth"]) == 200
    back = client("POST", "/spaces/check", {"learner": "tree", "task": "binary", "parameters": found["parameters"]}, 200)
    assert back["parameters"] == found["parameters"]
    changes = client("POST", "/spaces/compare", {"one": one, "other": "depth: 2 .. 9 int\ntrim: 0 .. 0.01"}, 200)["changes"]
    assert [(c["name"], c["what"]) for c in changes] == [
        ("depth", "same"), ("min_leaf", "removed"), ("trim", "added"), ("require", "removed")
    ]  # fmt: skip
    refused(client("POST", "/spaces/compare", {"one": "x", "other": one}), 422, "notation", "Expected ':'")


def test_past_results_are_kept_or_refused_with_their_line(client: Client, problem: dict[str, Any]) -> None:
    path = f"/problems/{problem['id']}/past-results"
    body = {"learner": "tree", "score": "ap", "columns": {"who": "-"}, "text": "depth,ap,who\n3,0.4,anna\n5,0.6,ben\n"}
    assert client("POST", path, body, 201) == {"rows": 2, "best": 0.6, "known": 0}
    refused(client("POST", path, {**body, "columns": {}}), 422, "invalid-data", "'who' is no setting", "columns")
    refused(client("POST", path, {**body, "text": "depth,ap,who\n3,high,x"}), 422, "invalid-data", "Line 2", "text")
    known = client(
        "POST", f"/problems/{problem['id']}/forecast", {**TREE, "plan": {"warm start": "all", "strategy": "random"}}, 200
    )
    assert (known["known"], known["knowable"]) == (2, 2)


def test_what_is_sent_twice_is_done_once(client: Client, engine: Engine, problem: dict[str, Any]) -> None:
    path, once = f"/problems/{problem['id']}/searches", {"Idempotency-Key": "launch 1"}
    both: list[Any] = []
    threads = [threading.Thread(target=lambda: both.append(client("POST", path, TREE, headers=once))) for _ in range(4)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join(60)
    assert len({found["id"] for found in both}) == 1
    assert len(client("GET", path, status=200)) == 1
    refused(client("POST", path, {**TREE, "learner": "forest"}, headers=once), 422, "invalid-plan", "used for another request")
    refused(client("POST", path, TREE, headers={"Idempotency-Key": "x" * 201}), 422, "invalid-plan", "at most 200")
    wrong = {**TREE, "plan": {"trials": 0}}
    assert [client("POST", path, wrong, headers={"Idempotency-Key": "wrong"})["status"] for _ in range(2)] == [422, 422]
    assert engine.join(both[0]["id"], 60)
    assert client("POST", path, TREE, 201)["id"] != both[0]["id"], "without a key each is another wish"


def test_a_disk_that_is_found_full_anywhere_is_told_and_passes(client: Client, monkeypatch: pytest.MonkeyPatch) -> None:
    def full(*arguments: object, **more: object) -> None:
        raise OSError(errno.ENOSPC, "No space left on device")

    monkeypatch.setattr(problems, "list_problems", full)
    refused(client("GET", "/problems"), 503, "workspace", "is full")
