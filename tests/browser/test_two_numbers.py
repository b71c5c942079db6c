"""The seam holds: an objective without table, folds file and learner goes through engine, store, HTTP and the Live screen."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest
from jsonschema import Draft202012Validator

from pellux.core.errors import WorkspaceError
from pellux.objectives.registry import Objectives, Stored
from tests.browser.driving import Page, browser
from tests.serving import Server
from tests.two_numbers import FOLDS, STEPS, TwoNumbers, truth
from tests.web.test_http import DOCUMENT

pytestmark = pytest.mark.slow
SPACE = "x: -1 .. 1\ny: -1 .. 1"
PLAN = {"strategy": "gaussian process", "trials": 14, "workers": 2, "early stopping": "asynchronous halving"}


@pytest.fixture(scope="module")
def server(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Server]:
    with Server(tmp_path_factory.mktemp("two") / "w", module="tests.serving_two_numbers") as found:
        body = {"learner": "", "space": SPACE, "plan": {**PLAN, "stopping": {"least": 1}}}
        status, search = found.call("POST", "/api/v1/problems/1/searches", body)
        assert status == 201, search
        found.until("/searches/1", lambda s: s["state"] == "finished")
        yield found


@pytest.fixture(scope="module")
def page(server: Server) -> Iterator[Page]:
    with browser(server.url) as found:
        yield found


def test_it_is_searched_stored_and_told(server: Server) -> None:
    trials = {t["number"]: t for t in server.get("/searches/1/trials?limit=100")["trials"]}
    scored = [t for t in trials.values() if t["state"] == "scored"]
    assert {t["state"] for t in trials.values()} == {"scored", "ended early"}
    for trial in scored:
        x, y = trial["configuration"]["x"], trial["configuration"]["y"]
        assert trial["scores"] == pytest.approx([truth(x, y, fold, STEPS) for fold in range(FOLDS)])
    assert max(t["mean"] for t in scored) > trials[0]["mean"], "the model beats the start"
    problem = server.get("/problems/1")
    assert (problem["objective"], problem["brief"], problem["frozen"]) == ("two numbers", None, True)
    assert problem["best"]["score"] == max(t["mean"] for t in scored)
    entry = {"$ref": "#/components/schemas/LedgerEntry", "components": DOCUMENT["components"]}
    told = server.told()
    assert {e["kind"] for e in told} == {"problem", "search", "trial", "fit", "points"}
    for one in told:
        Draft202012Validator(entry).validate(one)


@pytest.mark.parametrize("path", ["/problems/1/split", "/problems/1/findings", "/problems/1/finalists"])
def test_what_is_about_tables_says_so(server: Server, path: str) -> None:
    status, answer = server.call("GET", f"/api/v1{path}")
    assert (status, answer["detail"]) == (409, "Two numbers is not about a table: there are no columns and rows to look at.")


def test_a_setting_that_it_does_not_have_is_refused(server: Server) -> None:
    body = {"learner": "", "space": "depth: 1 .. 4 int", "plan": {"trials": 2}}
    status, answer = server.call("POST", "/api/v1/problems/1/searches", body)
    assert (status, answer["field"]) == (422, "depth")
    assert server.call("POST", "/api/v1/problems/1/searches", {**body, "learner": "tree"})[0] == 422


@pytest.mark.parametrize("state", ["paused", "running", "stopped"])
def test_what_has_ended_stays_as_it_is(server: Server, state: str) -> None:
    status, answer = server.call("PUT", "/api/v1/searches/1/state", {"state": state})
    assert (status, answer["type"]) == (409, "urn:pellux:error:illegal-transition"), answer
    assert server.get("/searches/1")["state"] == "finished"


def test_a_kind_that_is_not_known_is_named(tmp_path: Path) -> None:
    stored = Stored("weather", {}, tmp_path, tmp_path / "folds.npy", tmp_path)
    with pytest.raises(WorkspaceError, match="kind 'weather' need a version of Pellux that knows them; this one knows two numbers"):
        Objectives(TwoNumbers()).open(stored)


def test_it_is_watched_live(page: Page) -> None:
    page.open("/p/1/live")
    page.wait_text("h1", "finished")
    page.find("[data-curves]")
    page.until(lambda: [e.get_attribute("data-rung") for e in page.all("[data-rung]")] == ["9", "3", "1"])
    page.open("/p/1/evidence?view=trials")
    page.until(lambda: len(page.all("[data-trial]")) == PLAN["trials"] + 1)
    assert page.complaints() == []


@pytest.mark.parametrize("stage", ["brief", "space", "decision"])
def test_other_stages_say_what_they_are_for(page: Page, stage: str) -> None:
    page.open(f"/p/1/{stage}")
    page.wait_text("[data-objective='two numbers']", "closeness ↑ on 3 folds")
