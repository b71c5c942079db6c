"""The real interface in a real browser: from a dropped file to a copied configuration, and back again after a reload."""

from __future__ import annotations

import json
from collections.abc import Iterator
from pathlib import Path

import pytest
from selenium.webdriver.support.ui import Select

from tests.browser.driving import Page, browser
from tests.making import mixed_columns, write_csv
from tests.serving import Server

pytestmark = pytest.mark.slow


@pytest.fixture(scope="module")
def server(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Server]:
    with Server(tmp_path_factory.mktemp("journey") / "w") as found:
        yield found


@pytest.fixture(scope="module")
def page(server: Server) -> Iterator[Page]:
    with browser(server.url) as found:
        yield found


@pytest.fixture(scope="module")
def csv(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return write_csv(tmp_path_factory.mktemp("data") / "mixed.csv", mixed_columns())


DROP = """
const zone = document.querySelector('[data-drop]');
const file = new File([arguments[0]], arguments[1], {type: 'text/csv'});
const carried = new DataTransfer();
carried.items.add(file);
for (const kind of ['dragover', 'drop']) zone.dispatchEvent(new DragEvent(kind, {dataTransfer: carried, bubbles: true, cancelable: true}));
"""


BASELINES_DONE = """return fetch('/api/v1/problems/1/baselines').then((answer) => answer.json()).then(
    (found) => found.length > 0 && found.every((one) => one.state === 'scored'))"""


def drop(page: Page, content: str, name: str = "mixed.csv") -> None:
    page.find("[data-drop]")
    page.run(DROP, content, name)


def choose_role(page: Page, column: str, role: str) -> None:
    page.click(f"[data-column='{column}'] [data-role='{role}']")


def wait_figures(page: Page, stage: str, words: str, seconds: float = 60) -> None:
    page.wait_text(f"[data-figures='{stage}']", words, seconds)


def test_from_a_file_to_a_decision(page: Page, csv: Path) -> None:
    page.open("/")
    page.wait_text("h1", "Nothing is being tuned here yet")

    # A wrong file is told at the place where it was dropped, and the next one goes through.
    drop(page, "a,b,a\n1,2,3\n", "twice.csv")
    page.wait_text("[data-error='data']", "Two columns are called 'a'")
    drop(page, csv.read_text())

    page.wait_text("h1", "mixed.csv")
    page.find("[data-column='ticket'] [aria-checked='true'][data-role='ignore']")
    choose_role(page, "label", "target")
    choose_role(page, "amount", "ignore")
    page.wait_text("body", "predicts two classes: no, yes")
    assert len(page.all("[aria-label='Folds and holdout over the rows'] tr")) == 6
    page.type("input[inputmode='numeric']", "90")
    page.wait_text("[data-error='folds']", "2 to 50 folds")
    page.type("input[inputmode='numeric']", "4")
    page.until(lambda: len(page.all("[aria-label='Folds and holdout over the rows'] tr")) == 5)
    page.press_button("Frame the problem")

    # Lanes and text say the same, whichever is changed.
    page.find("[data-lane='rounds']")
    text = "[aria-label='Space notation']"
    page.until(lambda: "rounds:   20 .. 400 int log" in value(page, text))
    page.drag("[data-end='rounds-to']", -150)
    page.until(lambda: "rounds:" in value(page, text) and ".. 400" not in value(page, text))
    narrowed = value(page, text)
    page.press_button("Undo")
    page.until(lambda: "rounds:   20 .. 400 int log" in value(page, text))
    assert narrowed != value(page, text)
    page.type(text, "rate: 0.01 .. 0.3 log\nrounds: 8 .. 12 log int oops")
    page.wait_text("[data-error='space']", "'oops' does not fit here")
    page.wait_text("[data-error='space']", "^")
    page.type(text, "rate: 0.01 .. 0.3 log\nrounds: 8 .. 14 int")
    page.until(lambda: len(page.all("[data-lane]")) == 2)
    handle = page.find("[data-end='rounds-from']")
    handle.send_keys("\ue014")  # arrow right
    page.until(lambda: "rounds: 9 .. 14 int" in value(page, text))
    page.type("footer input[inputmode='numeric']", "7")
    page.wait_text("[data-forecast]", "7 trials + baseline × 4 folds = 32 fits")
    page.until(lambda: page.run(BASELINES_DONE), 60, "the baselines were never scored")
    page.press_button("Launch")

    # Live until it ends.
    wait_figures(page, "live", "7/7 trials · finished")
    page.find("[data-state='finished']")
    page.find("[data-finished='yes']")
    page.wait_text("body", "All 7 trials are done.")
    page.wait_text("[data-light]", "live")
    assert [m for m in page.complaints() if "422" not in m] == [], "only the refusals that were provoked may be there"


def test_evidence_filters_sorts_and_inspects_by_keyboard(page: Page) -> None:
    page.open("/p/1/evidence?view=trials")
    page.until(lambda: len(page.all("[data-trial]")) == 7)
    scores = [float(row.text.split("±")[0].split()[-1]) for row in page.all("[data-trial]")]
    assert scores == sorted(scores, reverse=True)
    page.press_button("rounds")
    page.until(lambda: page.all("[role='columnheader'][aria-sort]")[0].text.startswith("rounds"))
    page.keys("/")
    page.driver.switch_to.active_element.send_keys("number = 3")
    page.until(lambda: len(page.all("[data-trial]")) == 1)
    page.type("[aria-label='Filter trials']", "nonsense")
    page.wait_text("[data-error='where']", "not a comparison")
    page.type("[aria-label='Filter trials']", "state = scored")
    page.until(lambda: len(page.all("[data-trial]")) == 7)
    page.run("document.activeElement.blur()")
    page.keys("j")
    page.keys("s")
    page.find("[aria-label='on the shortlist']")
    page.keys("\ue007")  # Enter
    page.find("[data-inspector]")
    assert "trial=" in page.driver.current_url
    deep = page.driver.current_url.removeprefix(page.base)
    page.keys("\ue00c")  # Escape
    page.until(lambda: not page.all("[data-inspector]"))
    page.open(deep)
    page.wait_text("[data-inspector]", "Shortlisted")
    assert len(page.all("[aria-label='Fold scores'] tr")) == 4
    page.driver.back()
    page.until(lambda: "trial=" not in page.driver.current_url)


def test_finalists_are_weighed_rejudged_and_seen_through(page: Page) -> None:
    page.open("/p/1/decision")
    page.until(lambda: len(page.all("[data-finalist]")) >= 8)
    page.find("[data-honest='done']", 60)
    page.wait_text("[data-honest]", "luck")
    page.press_button("Re-judge the shortlist")
    page.find("[data-rejudging]")
    page.until(lambda: not page.all("[data-rejudging]"), 60)
    page.wait_text("[aria-label='Fold matrix']", "→", 60)
    Select(page.find("[aria-label='Measure with a limit']")).select_by_value("balanced accuracy")
    page.type("[aria-label='Limit on balanced accuracy']", "2\n")
    page.wait_text("[role='alert']", "No trial keeps the limit")
    Select(page.find("[aria-label='Measure with a limit']")).select_by_value("")
    page.until(lambda: not page.all(".ember[role='alert']"))
    page.press_button("trade-off")
    Select(page.find("[aria-label='Second measure']")).select_by_value("balanced accuracy")
    page.until(lambda: len(page.all("[data-dot]")) >= 8)
    page.press_button("against the baseline")
    page.wait_text("[data-threshold-of]", "recall")
    before = [e.text for e in page.all("[data-threshold-of]")]
    page.press_button("Best F1")
    page.until(lambda: [e.text for e in page.all("[data-threshold-of]")] != before)
    page.press_button("Measure the columns")
    page.find("[data-importance='done']", 60)
    assert len(page.all("[aria-label='Class by class'] tbody tr")) == 2
    assert len(page.all("[aria-label='Importance of the columns'] tr")) >= 3


def test_a_choice_is_signed_judged_on_the_holdout_and_taken_away(page: Page, server: Server) -> None:
    page.open("/p/1/decision?view=holdout")
    page.click("[data-rule='one standard error']")
    page.find("[data-holdout='0']")
    page.press_button("Open the holdout", part=True)
    page.type("[role='dialog'] input", "Ada")
    page.press_button("Open it")
    page.find("[data-look='done']", 60)
    page.wait_text("[data-look]", "by Ada")
    page.wait_text("[data-holdout='1']", "Opened once")
    page.type("[aria-label='The choice'] textarea", "Simple, and nearly as good.")
    page.type("[aria-label='The choice'] input", "Ada")
    page.press_button("Sign this choice")
    page.find("[data-decided]")
    page.press_button("Take it away")
    page.find("[data-making='no'] [data-file='model.onnx'][data-state='ready']", 60)
    links = [a.get_attribute("href") for a in page.all("[aria-label='Files to take away'] a")]
    assert len(links) == 13
    made = page.find("[data-decision]").get_attribute("data-decision")
    record = server.get(f"/decisions/{made}")["record"]
    assert record["signer"] == "Ada"
    assert record["rule"] == "one standard error"
    assert record["holdout"][0]["opener"] == "Ada"
    assert record["honest_score"] is not None
    page.open("/p/1/decision")
    page.wait_text("[data-decided]", "By the rule “one standard error”")
    page.click("[data-finalist][aria-selected='true'] button")
    page.until(lambda: page.text("[data-configuration]").startswith("{"))
    configuration = json.loads(page.text("[data-configuration]"))
    assert configuration == record["trial"]["configuration"]
    page.driver.execute_cdp_cmd("Browser.grantPermissions", {"permissions": ["clipboardReadWrite", "clipboardSanitizedWrite"]})
    page.press_button("Copy")
    page.wait_text("body", "Copied")
    assert json.loads(page.run("return navigator.clipboard.readText()")) == configuration
    page.open(f"/p/1/space?decision={made}")
    page.until(lambda: page.find("[aria-label='Start from a decision']").get_attribute("value") == made)


def test_a_running_search_is_steered(page: Page, server: Server) -> None:
    problem = server.get("/problems")[0]
    body = {"learner": "forest", "space": "trees: 500 .. 900 int", "plan": {"trials": 500, "workers": 1}}
    search = server.call("POST", f"/api/v1/problems/{problem['id']}/searches", body)[1]["id"]
    page.open(f"/p/1/live?search={search}")
    page.find("[data-live='1']")
    page.wait_text("[data-workers]", "1 worker")
    page.click("[aria-label='One worker more']")
    page.wait_text("[data-workers]", "2 workers")
    server.until(f"/searches/{search}/lanes", lambda s: {f["lane"] for f in s["fits"]} == {0, 1})
    page.keys("p")
    page.find("[data-state='paused']")
    page.press_button("Resume")
    page.find("[data-state='running']")
    page.click("[aria-label='Withdraw trial 1']")
    server.until(f"/searches/{search}", lambda s: s["trials"]["withdrawn"] == 1)
    page.wait_text("body", "1 withdrawn")
    page.press_button("Stop")
    page.press_button("Stop for good")
    page.find("[data-state='stopped']")


def test_a_frozen_brief_changes_only_as_a_new_problem(page: Page) -> None:
    page.open("/p/1/brief")
    page.wait_text("h2", "This brief is frozen")
    page.press_button("Change as a new problem")
    page.wait_text("body", "Metric that decides")
    page.press_button("Frame the problem")
    page.until(lambda: page.driver.current_url.endswith("/p/2/space"))
    page.open("/p/2/brief")
    page.press_button("Save the brief")
    page.until(lambda: page.driver.current_url.endswith("/p/2/space"))


def test_keys_go_everywhere_and_dark_is_dark(page: Page) -> None:
    page.open("/p/1/brief")
    page.wait_text("h2", "This brief is frozen")
    page.keys("5")
    page.until(lambda: "/decision" in page.driver.current_url)
    page.keys("?")
    page.wait_text("h2", "Keys")
    page.keys("\ue00c")
    page.run("window.dispatchEvent(new KeyboardEvent('keydown', {key: 'k', ctrlKey: true}))")
    page.find("[aria-label='Go to']").send_keys("evid\ue007")
    page.until(lambda: "/evidence" in page.driver.current_url)
    light = page.run("return getComputedStyle(document.body).backgroundColor")
    page.until(lambda: not page.all(".MuiDialog-root"))
    page.click("[aria-label='Dark colours']")
    page.until(lambda: page.run("return getComputedStyle(document.body).backgroundColor") != light)
    page.click("[aria-label='Light colours']")
    page.open("/p/99/live")
    page.wait_text("[role='alert']", "There is no problem 99")


def value(page: Page, css: str) -> str:
    return str(page.find(css).get_attribute("value"))
