"""Early stopping in the browser: chosen with its settings, watched, and checked afterwards; a population drawn."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from selenium.webdriver.support.ui import Select

from tests.browser.driving import Page, automatic, browser
from tests.making import mixed_columns, write_csv
from tests.serving import Server

pytestmark = pytest.mark.slow
SPACE = "rate: 1e-4 .. 0.1 log\npull: 1e-6 .. 1 log\nwidth: 6\nbatch: 64 .. 128 int\nepochs: 9"


@pytest.fixture(scope="module")
def page(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Page]:
    with Server(tmp_path_factory.mktemp("stopping") / "w") as server:
        csv = write_csv(tmp_path_factory.mktemp("data") / "mixed.csv", mixed_columns()).read_bytes()
        data = server.call("POST", "/api/v1/data?name=mixed.csv", csv)[1]
        brief = {"data": data["hash"], "target": "label", "metric": "log loss", "ignore": ["amount"], "folds": 3}
        problem = server.call("POST", "/api/v1/problems", brief)[1]
        members = {"strategy": "population training", "trials": 12, "strategy settings": {"interval": 3}}
        body = {"learner": "network", "space": SPACE, "plan": members}
        search = server.call("POST", f"/api/v1/problems/{problem['id']}/searches", body)[1]
        server.until(f"/searches/{search['id']}", lambda s: s["state"] == "finished")
        with browser(server.url) as found:
            yield found


def test_a_rule_is_chosen_and_its_cost_is_foreseen(page: Page) -> None:
    page.open("/p/1/space")
    page.find("[data-lane='rate']")
    automatic(page)
    page.wait_text("[data-stopping]", "Asynchronous halving. Neural network is trained in epochs")
    rule = Select(next(e for e in page.all("footer select") if "fold race" in str(e.get_attribute("innerHTML"))))
    rule.select_by_visible_text("Plateau")
    page.wait_text("[data-stopping]", "Plateau")
    rule.select_by_visible_text("Successive halving")
    page.press_button("settings")
    factor = page.find("[aria-label='Settings of the plan'] [title^='How many times more']  input")
    factor.send_keys("1")
    page.wait_text("[data-error='plan']", "2 or more")
    factor.send_keys("\b3")
    page.wait_text("[data-stopping]", "60 trials see 1, then 20 see 3, then 7 see 9")


def test_curves_rungs_and_savings_are_watched_and_the_pruned_checked(page: Page) -> None:
    trials = next(e.get_attribute("for") for e in page.all("footer label") if e.text == "Trials")
    page.type(f"[id='{trials}']", "9")
    page.wait_text("[data-stopping]", "9 trials see 1, then")
    page.press_button("Launch")
    page.wait_text("h1", "finished", 90)
    page.find("[data-curves]")
    page.until(lambda: [e.get_attribute("data-rung") for e in page.all("[data-rung]")] == ["9", "3", "1"])
    page.wait_text("[data-savings]", "full fits not needed")
    page.press_button("that ended early", part=True)
    page.find("[data-safety='5']", 60)
    page.wait_text("[data-safety]", "run in full, would have won")
    page.click("[data-safety] button.row")
    page.wait_text("[data-inspector]", "rung 1")
    page.find("[data-trial-curve='3']")


def test_a_population_is_drawn_with_its_lineage(page: Page) -> None:
    page.open("/p/1/live?search=1")
    page.find("[data-population='4']")
    page.until(lambda: len(page.all("[data-population] rect")) == 12)
    page.click("[data-population] [role='radio']:nth-child(2)")
    page.find("[aria-label='pull of every member over the training']")
    page.run("document.querySelectorAll('[data-population] rect')[11].dispatchEvent(new MouseEvent('click', {bubbles: true}))")
    page.wait_text("[data-inspector]", "It goes on from trial")
    page.find("[aria-label='Schedule']")
    complaints = [entry["message"] for entry in page.driver.get_log("browser") if "status of 422" not in entry["message"]]
    assert complaints == [], "but for the setting that was refused"
