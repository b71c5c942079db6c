"""Outside loops over HTTP: leases, signs of life, points, outcomes; holders that die, and answers that come too late."""

from __future__ import annotations

import threading
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest

from tests.serving import Server

pytestmark = pytest.mark.slow
BRIEF = {"outside": True, "judged by": {"score": "yield"}, "folds": 2, "recorded": ["loss"], "name": "A robot"}
PLAN = {"strategy": "gaussian process", "trials": 6, "early stopping": "none"}


@pytest.fixture(scope="module")
def server(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Server]:
    with Server(tmp_path_factory.mktemp("outside") / "w") as found:
        yield found


def launched(server: Server, brief: dict[str, Any] | None = None, **plan: Any) -> int:
    status, problem = server.call("POST", "/api/v1/own-code/problems", {"brief": brief or BRIEF, "space": "x: -1 .. 1, start 0"})
    assert status == 201, problem
    body = {"learner": "", "space": "x: -1 .. 1, start 0", "plan": {**PLAN, **plan}}
    status, search = server.call("POST", f"/api/v1/problems/{problem['id']}/searches", body)
    assert status == 201, search
    return int(search["id"])


def take(server: Server, search: int, **asked: Any) -> Any:
    status, found = server.call("POST", f"/api/v1/searches/{search}/leases", {"wait": 5, **asked})
    assert status == 201, found
    return found


def answer(server: Server, lease: Any, **outcome: Any) -> tuple[int, Any]:
    return server.call("PUT", f"/api/v1/leases/{lease['id']}/outcome", outcome)


def test_two_holders_do_a_search_and_one_that_dies_loses_its_own_fit_only(server: Server) -> None:
    search = launched(server)
    [dead] = take(server, search, seconds=1, holder="dies")["fits"]
    done: list[tuple[int, int]] = []

    def hold(name: str) -> None:
        while (found := take(server, search, holder=name, wait=2))["state"] == "running":
            for lease in found["fits"]:
                score = -((lease["settings"]["x"] - 0.3) ** 2) - 0.01 * lease["fold"]
                assert answer(server, lease, score=score, recorded={"loss": 1.0})[0] == 204
                done.append((lease["trial"], lease["fold"]))

    holders = [threading.Thread(target=hold, args=(name,)) for name in ("one", "two")]
    for thread in holders:
        thread.start()
    for thread in holders:
        thread.join(60)
    view = server.get(f"/searches/{search}")
    assert (view["state"], view["trials"]["scored"]) == ("finished", 7)
    assert sorted(done) == [(trial, fold) for trial in range(7) for fold in range(2)], "each fit once, the lost one too"
    detail = server.get(f"/trials/{view['best']['trial_id']}")
    assert detail["fits"][0]["recorded"] == {"loss": 1.0}
    trials = server.get(f"/searches/{search}/trials?limit=20")["trials"]
    [lost] = [t for t in trials if t["number"] == dead["trial"]]
    attempts = {f["fold"]: f["attempt"] for f in server.get(f"/trials/{lost['id']}")["fits"]}
    assert attempts[dead["fold"]] == 2
    status, refusal = answer(server, dead, score=1.0)
    assert (status, refusal["type"]) == (404, "urn:pellux:error:not-found")


def test_an_answer_that_is_late_or_second_is_refused_with_the_reason(server: Server) -> None:
    search = launched(server)
    [one] = take(server, search)["fits"]
    assert answer(server, one, score=0.5)[0] == 204
    status, refusal = answer(server, one, score=0.9)
    assert status == 409
    assert "answered for already" in refusal["detail"]
    [late] = take(server, search, seconds=1)["fits"]
    time.sleep(1.2)  # what is awaited is that nothing comes
    status, refusal = answer(server, late, score=0.9)
    assert status == 409
    assert "no sign of life for 1 s" in refusal["detail"]
    for made_up in (f"{search}-0000", "nonsense", "99999-1", f"{search}-"):
        assert server.call("PUT", f"/api/v1/leases/{made_up}")[0] == 404
    for wrong in ({}, {"score": 1, "error": "both"}, {"score": "high"}, {"score": True}, {"error": ""}):
        assert answer(server, take(server, search)["fits"][0], **wrong)[0] == 422
    server.call("PUT", f"/api/v1/searches/{search}/state", {"state": "stopped"})


def test_an_error_is_a_failed_trial_in_its_own_words(server: Server) -> None:
    search = launched(server, trials=1)
    while (found := take(server, search, count=2, wait=1))["state"] == "running":
        for lease in found["fits"]:
            answer(server, lease, error="the gripper is stuck")
    view = server.until(f"/searches/{search}", lambda s: s["state"] == "failed")
    assert "the gripper is stuck" in view["reason"]


def test_points_are_told_and_the_weak_are_told_to_end(server: Server) -> None:
    brief = {**BRIEF, "folds": 1, "grows": {"what": "tries", "most": 9, "goes on": True}}
    search = launched(
        server, brief, trials=9, strategy="random", **{"early stopping": "asynchronous halving", "stopping": {"least": 1}}
    )
    begun: dict[int, list[tuple[int, int]]] = {}
    while (found := take(server, search, wait=2))["state"] == "running":
        for lease in found["fits"]:
            begun.setdefault(lease["trial"], []).append((lease["start"], lease["level"]))
            for level in range(lease["start"] + 1, lease["level"] + 1):
                x = lease["settings"]["x"]
                told = server.call("PUT", f"/api/v1/leases/{lease['id']}/points", {"points": [[level, level * (1 - x * x)]]})
                assert told == (200, {"go_on": True})
            assert answer(server, lease, score=lease["level"] * (1 - lease["settings"]["x"] ** 2))[0] == 204
    view = server.get(f"/searches/{search}")
    assert view["state"] == "finished"
    assert view["trials"]["ended_early"] > 0
    assert any(way == [(0, 1), (1, 3), (3, 9)] for way in begun.values()), "the best went on from where they were"
    assert all(way[0][0] == 0 for way in begun.values())


def test_fits_of_a_table_are_not_handed_out_and_a_paused_search_has_none(server: Server) -> None:
    search = launched(server)
    [held] = take(server, search)["fits"]
    server.call("PUT", f"/api/v1/searches/{search}/state", {"state": "paused"})
    server.until(f"/searches/{search}", lambda s: s["state"] == "paused")
    assert take(server, search, count=9, wait=0.1) == {"state": "paused", "fits": []}
    assert answer(server, held, score=0.5)[0] == 204, "what is under way may come to its end"
    assert server.call("POST", "/api/v1/searches/9999/leases", {})[0] == 404


def test_a_restart_hands_the_fit_out_again(tmp_path: Path) -> None:
    with Server(tmp_path / "w") as server:
        search = launched(server, trials=2)
        held = take(server, search, count=2)["fits"]
        answer(server, held[0], score=0.5)
        server.until(f"/searches/{search}", lambda s: s["fits"]["run"] == 1)
        server.kill()
    with Server(tmp_path / "w") as server:
        again = take(server, search, count=2)["fits"]
        places = [(lease["trial"], lease["fold"]) for lease in again]
        assert (held[1]["trial"], held[1]["fold"]) in places
        assert (held[0]["trial"], held[0]["fold"]) not in places
        status, refusal = answer(server, held[1], score=0.5)
        assert status == 404
        assert "handed out again" in refusal["detail"]
