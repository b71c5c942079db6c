"""Evidence over HTTP, every answer beside the document."""

from __future__ import annotations

from typing import Any

import pytest

from pellux.service.engine.engine import Engine
from tests.waiting import until
from tests.web.test_http import Client, client, problem, refused

__all__ = ["client", "problem"]  # fixtures
pytestmark = pytest.mark.slow


def asked(client: Client, path: str, body: Any = None) -> Any:
    """Asked again until it is there."""
    return until(lambda: (found := client("POST", path, body, 200))["state"] != "running" and found, what=f"the answer of {path}")


def test_all_that_trials_say_is_told_as_documented(client: Client, engine: Engine, problem: dict[str, Any]) -> None:
    body = {
        "learner": "tree",
        "space": "depth: 1 .. 8 int\nmin_leaf: 1 .. 40 int log",
        "plan": {"trials": 12, "strategy": "even spread"},
    }
    search = client("POST", f"/problems/{problem['id']}/searches", body, 201)["id"]
    assert engine.join(search, 90)
    found = asked(client, f"/searches/{search}/evidence")
    assert found["state"] == "done"
    assert found["trials"] >= 12
    over = asked(client, f"/searches/{search}/surface", {"across": "min_leaf", "down": "depth", "others": "averaged"})
    assert len(over["surface"]["mean"]) == 8
    refused(
        client("POST", f"/searches/{search}/surface", {"across": "depth", "down": "depth"}), 422, "invalid-plan", "are one", "down"
    )
    refused(
        client("POST", f"/searches/{search}/surface", {"across": "dept", "down": "depth"}),
        422,
        "invalid-plan",
        "no searched",
        "across",
    )
    refused(client("POST", f"/searches/{search}/surface", {"across": "depth"}), 422, "invalid-plan", "down", "down")
    side = client("GET", f"/problems/{problem['id']}/spending", None, 200)
    assert [one["search_id"] for one in side["searches"]] == [search]
    two = [t["id"] for t in client("GET", f"/searches/{search}/trials?limit=2", None, 200)["trials"]]
    page = client("GET", f"/searches/{search}/trials?among={two[1]},{two[0]}", None, 200)
    assert ([t["id"] for t in page["trials"]], page["total"]) == (two, 2)
    assert client("GET", f"/searches/{search}/trials?among=1;2", None, 422)["field"] == "among"


def test_face_offs_are_begun_seen_steered_and_taken_away(client: Client, engine: Engine, problem: dict[str, Any]) -> None:
    body = {"learner": "tree", "space": "depth: 1 .. 8 int", "plan": {"trials": 2}}
    search = client("POST", f"/problems/{problem['id']}/searches", body, 201)["id"]
    assert engine.join(search, 90)
    wanted = {"search": search, "entrants": [{"strategy": "random"}, {"strategy": "even spread"}], "amount": 2, "repeats": 1}
    made = client("POST", f"/problems/{problem['id']}/face-offs", wanted, 201)
    assert (made["state"], made["planned"]) == ("running", 2)
    address = f"/face-offs/{made['id']}"
    view = until(
        lambda: (found := client("GET", address, None, 200))["state"] != "running" and found, what="the end of the face-off"
    )
    assert (view["state"], view["done"]) == ("done", 2)
    rows = client("GET", f"/face-offs/{made['id']}/trials", None, 200).decode().splitlines()
    assert rows[0] == "entrant,repeat,trial,ended,seconds,score,mode"
    assert len(rows) == 5
    refused(
        client("PUT", f"/face-offs/{made['id']}/state", {"state": "paused"}),
        409,
        "illegal-transition",
        "done; it cannot become paused",
        None,
    )
    refused(client("GET", "/face-offs/999"), 404, "not-found", "no face-off 999", None)
    one = {**wanted, "entrants": [{"strategy": "random"}]}
    assert client("POST", f"/problems/{problem['id']}/face-offs", one, 422)["field"] == "entrants"
