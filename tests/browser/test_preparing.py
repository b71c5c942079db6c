"""The Space screen with everything a space can have, rehearsal and forecast, then a live search that a person joins in."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest

from tests.browser.driving import Page, automatic, browser
from tests.making import mixed_columns, write_csv
from tests.serving import Server

pytestmark = pytest.mark.slow
TEXT = "[aria-label='Space notation']"
SPACE = """trees:    20 .. 60 int, costly
depth:    2 .. 9 int
min_leaf: 1 .. 9 int if depth > 4
features: ~ beta(4, 2)
balance:  yes | no
require min_leaf <= depth"""


@pytest.fixture(scope="module")
def server(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Server]:
    with Server(tmp_path_factory.mktemp("preparing") / "w") as found:
        csv = write_csv(tmp_path_factory.mktemp("data") / "mixed.csv", mixed_columns()).read_bytes()
        data = found.call("POST", "/api/v1/data?name=mixed.csv", csv)[1]
        brief = {"data": data["hash"], "target": "label", "metric": "average precision", "ignore": ["amount"], "folds": 4}
        problem = found.call("POST", "/api/v1/problems", brief)[1]
        body = {
            "learner": "forest", "space": "trees: 20 .. 30 int\ndepth: 2 .. 20 int",
            "plan": {"strategy": "random", "trials": 3},
        }  # fmt: skip
        search = found.call("POST", f"/api/v1/problems/{problem['id']}/searches", body)[1]
        found.until(f"/searches/{search['id']}", lambda s: s["state"] == "finished")
        yield found


@pytest.fixture(scope="module")
def page(server: Server) -> Iterator[Page]:
    with browser(server.url) as found:
        yield found


def text(page: Page) -> str:
    return str(page.find(TEXT).get_property("value"))


def test_lanes_hold_all_that_the_text_says(page: Page) -> None:
    page.open("/p/1/space")
    page.until(lambda: "trees" in text(page))
    page.type(TEXT, SPACE)
    page.wait_text("[data-lane='min_leaf'] [data-condition]", "only if depth > 4")
    page.wait_text("[data-requirements]", "min_leaf <= depth")
    names = [e.get_attribute("data-lane") for e in page.all("[data-lane]")]
    assert names.index("min_leaf") == names.index("depth") + 1, "a conditional lane stands under its switch"
    page.type("[aria-label='Start of trees']", "25\n")
    page.until(lambda: "20 .. 60 int, start 25, costly" in text(page))
    page.type("[aria-label='Start of depth']", "77\n")
    page.wait_text("[data-error='lane']", "depth: the start 77 is outside its range")
    assert "77" not in text(page), "what cannot be changes nothing"
    page.press_button("Undo")
    page.until(lambda: "start 25" not in text(page))
    assert "require min_leaf <= depth" in text(page), "a lane's change keeps the requirements"


def test_two_spaces_are_compared(page: Page) -> None:
    page.find("[aria-label='First space']").send_keys("search 1")
    page.wait_text("[data-comparison]", "20 .. 30 int → 20 .. 60 int")
    page.wait_text("[data-comparison]", "+ features:")


def test_a_plan_is_rehearsed_forecast_and_explained(page: Page) -> None:
    automatic(page)
    page.wait_text("[data-reason]", "Gaussian process")
    page.press_button("Rehearse")
    page.wait_text("[data-rehearsal]", "Rehearsal: it works.", 90)
    page.wait_text("[data-minutes]", "likely")
    assert "proposed before others ended" in page.text("[data-forecast]")
    page.type("footer input[inputmode='numeric']", "3")
    page.wait_text("[data-reason]", "Even spread")
    page.type("footer input[inputmode='numeric']", "300")


def test_past_results_are_brought_with_a_mapping(page: Page, tmp_path: Path) -> None:
    file = tmp_path / "old.csv"
    file.write_text("n_trees,depth,balance,ap,who\n30,4,no,0.7,anna\n40,3,yes,0.6,ben\n")
    page.press_button("past results …")
    page.find("[aria-label='File with past results']").send_keys(str(file))
    page.find("[aria-label='What n_trees stands for']").send_keys("trees")
    page.find("[aria-label='What ap stands for']").send_keys("the score")
    page.press_button("Keep them")
    page.wait_text("[data-past-results]", "2 past results kept; the best scores 0.7")
    page.press_button("Close")
    page.wait_text("[data-known]", "of 6 known")


def test_limits_are_offered_and_refused_with_what_is_meant(page: Page) -> None:
    offered = "return [...document.querySelector('[data-limits]').list.options].map((option) => option.value)"
    assert page.run(offered) == ["predict ms <= ", "fit seconds <= ", "model mb <= "]
    page.type("[data-limits]", "predict ms <=")
    page.wait_text("[data-error='plan']", "'predict ms <=' is not a limit")
    page.type("[data-limits]", "predict ms >= 5")
    page.wait_text("[data-error='plan']", "a limit on it is written 'predict ms <= 5'")
    page.type("[data-limits]", "predict ms <= 1e9, model mb <= 100")
    page.wait_text("[data-minutes]", "likely")


def test_a_person_joins_in_while_it_runs(page: Page, server: Server) -> None:
    page.press_button("Launch")
    page.find("[data-state='running']", 40)
    page.until(lambda: server.get("/searches/2")["trials"]["scored"] > 0)
    page.press_button("Try by hand")
    page.type("[aria-label='Configuration to try']", "trees: 5\nspeed: 3")
    page.press_button("Try it")
    page.wait_text("section[aria-label='Try by hand']", "no such setting")
    page.type("[aria-label='Configuration to try']", "trees: 5\ndepth: 3")
    page.press_button("Try it")
    page.until(lambda: not page.all("section[aria-label='Try by hand']"))
    server.until("/searches/2/trials?sort=number&descending=true", lambda p: any(t["origin"] == "by hand" for t in p["trials"]))
    page.press_button("Budget")
    done = server.get("/searches/2")["trials"]["scored"]
    page.type("[aria-label='Budget: trials']", str(done + 3))
    page.press_button("Change")
    found = server.until("/searches/2", lambda s: s["state"] == "finished", 120)
    assert found["budget_trials"] == done + 3
    assert (found["strategy"], found["chosen_by"]) == ("Gaussian process", "Automatic")
    assert found["warm_start"] == "all"
    page.find("[data-state='finished']")
    assert found["keeping"] == found["trials"]["scored"]
    page.wait_text("[data-keeping]", f"{found['keeping']} keep predict ms <= 1000000000, model mb <= 100")
    page.open(f"/p/1/evidence?search=2&view=trials&trial={server.get('/searches/2/trials')['trials'][0]['id']}")
    page.wait_text("[data-limits-kept='true']", "✓ predict ms")
    assert [m for m in page.complaints() if "422" not in m] == []


def test_an_earlier_problem_teaches_until_it_is_told_not_to(page: Page, server: Server, tmp_path: Path) -> None:
    body = {"learner": "tree", "plan": {"strategy": "random", "trials": 8}}
    first = server.call("POST", "/api/v1/problems/1/searches", body)[1]
    server.until(f"/searches/{first['id']}", lambda s: s["state"] == "finished")
    csv = write_csv(tmp_path / "other.csv", mixed_columns(seed=6)).read_bytes()
    data = server.call("POST", "/api/v1/data?name=other.csv", csv)[1]
    brief = {"data": data["hash"], "target": "label", "metric": "average precision", "ignore": ["amount"], "folds": 4}
    here = server.call("POST", "/api/v1/problems", brief)[1]["id"]
    page.open(f"/p/{here}/space")
    page.find("main [role='combobox']").send_keys(" ")
    page.click("[role='option'][data-value='tree']")
    page.wait_text("[data-remembered]", "Learns from label from mixed")
    switch = "//label[contains(., 'earlier problems')]/input"
    page.driver.find_element("xpath", switch).click()
    page.until(lambda: not page.all("[data-remembered]"))
    page.driver.find_element("xpath", switch).click()
    page.wait_text("[data-remembered]", "Learns from label from mixed")
    page.press_button("Launch")
    page.wait_text("main [data-remembered]", "learns from label from mixed")
