"""The first hour by keyboard and by pointer, at the sizes people have; every screen sound at three widths and for assistive tools."""

from __future__ import annotations

import sys
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from selenium.webdriver.common.keys import Keys

from tests.browser.driving import Page, browser
from tests.making import write_csv
from tests.serving import Server

pytestmark = pytest.mark.slow
HERE = Path(__file__).parent
BOXES = (HERE / "boxes.js").read_text()
AXE = HERE.parents[1] / "frontend" / "node_modules" / "axe-core" / "axe.min.js"
MOST_KEYS, MOST_CLICKS = 120, 9
PROGRAM = """
import argparse
import random
parser = argparse.ArgumentParser()
parser.add_argument("--rate", type=float, default=0.1, help="how far a step goes")
rate = parser.parse_args().rate
for epoch in range(3):
    print(f"epoch {epoch} gain {1 - (rate - 0.3) ** 2 - 0.1 / (epoch + 1):.4f}")
"""


@pytest.fixture(scope="module")
def table(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Loads with 31 columns, of which two matter."""
    draw = np.random.default_rng(5)
    columns: dict[str, Any] = {f"sensor_{i:02d}": draw.normal(size=160) for i in range(28)}
    columns["depot"] = draw.choice(["north", "south", "harbour"], size=160)
    columns["minutes_open"] = draw.integers(0, 90, size=160)
    warm = columns["sensor_03"] + columns["minutes_open"] / 40 + draw.normal(size=160) > 1
    columns["arrived_warm"] = np.where(warm, "yes", "no")
    return write_csv(tmp_path_factory.mktemp("table") / "loads.csv", columns)


@pytest.fixture(scope="module")
def yard(tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("yard")
    (folder / "train.py").write_text(PROGRAM)
    return folder


@pytest.fixture(scope="module")
def server(tmp_path_factory: pytest.TempPathFactory, yard: Path) -> Iterator[Server]:
    with Server(tmp_path_factory.mktemp("screens") / "w", "--allow", str(yard)) as found:
        yield found


@pytest.fixture(scope="module")
def page(server: Server) -> Iterator[Page]:
    with browser(server.url) as found:
        yield found


class Fingers:
    """A keyboard and nothing else; counts what is pressed."""

    def __init__(self, page: Page) -> None:
        self.page, self.pressed = page, 0

    def press(self, *keys: str) -> None:
        for key in keys:
            self.page.keys(key)
            self.pressed += 1

    def primary(self) -> None:
        """Ctrl Enter: one press of two keys."""
        self.page.chord(Keys.CONTROL, Keys.ENTER)
        self.pressed += 1

    def tab_to(self, css: str) -> None:
        """Tab until something has the focus."""
        while not self.page.run("return document.activeElement.matches(arguments[0])", css):
            assert self.pressed < MOST_KEYS, (
                f"{css} is not reached: {self.page.run('return document.activeElement.outerHTML')[:200]}"
            )
            self.press(Keys.TAB)


def choose_file(page: Page, table: Path) -> None:
    """What a file chooser of the desktop does: it stands outside the page."""
    page.find("input[type='file']").send_keys(str(table))


def test_from_an_empty_workspace_to_a_signed_decision_by_keyboard(tmp_path: Path, table: Path) -> None:
    with Server(tmp_path / "w") as server, browser(server.url, width=1024, height=768) as page:  # where most has to be scrolled to
        hands = Fingers(page)
        page.open("/")
        page.wait_text("h1", "Nothing is being tuned here yet")
        hands.tab_to("[data-drop] button")
        hands.press(Keys.ENTER)  # the desktop's chooser opens
        choose_file(page, table)
        page.find("[data-candidate='arrived_warm']:focus")
        hands.press(Keys.ENTER)
        page.wait_text("body", "predicts two classes: no, yes")
        page.until(lambda: page.find("[data-primary]").is_enabled())
        hands.primary()  # frames the problem
        page.find("[data-lane]")
        page.until(lambda: page.find("[data-primary]").is_enabled())
        hands.tab_to("footer input[inputmode='numeric']")
        hands.press(Keys.BACKSPACE, Keys.BACKSPACE, "5")
        page.wait_text("[data-forecast]", "5 trials")
        page.until(lambda: page.find("[data-primary]").is_enabled())
        hands.primary()  # launches
        page.wait_text("[data-figures='live']", "5/5 trials · finished", 90)
        page.find("a[data-primary]")
        hands.primary()  # to the decision
        page.find("[data-choice]")
        hands.press("j", "k")
        page.find("main [data-needed]")
        hands.primary()  # to the field that signing waits for
        while not page.run("return document.activeElement.matches('[data-needed]')"):
            hands.primary()
        if page.run("return document.activeElement.tagName") == "TEXTAREA":  # the baseline leads: why not that one?
            hands.press(*"as good")
            hands.tab_to("[data-choice] input")
        hands.press(*"Ada")
        page.until(lambda: page.find("[data-choice] [data-primary]").is_enabled())
        hands.primary()  # signs
        page.find("[data-decided]")
        assert server.get("/decisions")[0]["signer"] == "Ada"
        assert hands.pressed <= MOST_KEYS
        assert hands.pressed > 10, "they are counted"


def test_from_an_empty_workspace_to_a_signed_decision_by_pointer(page: Page, table: Path) -> None:
    page.size(1024, 768)  # where least is to be seen at once
    assert clicks_to_a_decision(page, table) <= MOST_CLICKS


def clicks_to_a_decision(page: Page, table: Path) -> int:
    clicks = 0

    def click(css: str) -> None:
        nonlocal clicks
        clicks += 1
        page.click(css)

    page.open("/")
    page.find("[data-drop]")
    assert sound(page) == []
    clicks += 1  # Choose a file
    choose_file(page, table)
    click("[data-candidate='arrived_warm']")
    page.until(lambda: page.find("[data-primary]").is_enabled())
    click("[data-primary]")  # Frame the problem
    page.find("[data-lane]")
    clicks += 1
    page.type("footer input[inputmode='numeric']", "6")
    page.wait_text("[data-forecast]", "6 trials")
    page.until(lambda: page.find("[data-primary]").is_enabled())
    click("[data-primary]")  # Launch
    page.wait_text("[data-figures='live']", "6/6 trials · finished", 90)
    click("a[data-primary]")  # Decide
    page.find("[data-choice]")
    page.until(lambda: page.all("[data-finalist]"))
    if page.all("[data-worse]"):
        page.type("[data-choice] textarea", "As good, and it learns.")
    clicks += 1
    page.type("[data-choice] input", "Ada")
    click("[data-choice] [data-primary]")  # Sign
    page.find("[data-decided]")
    return clicks


@pytest.fixture(scope="module")
def places(server: Server, page: Page, yard: Path) -> list[tuple[str, str, str]]:
    """What is looked at: (name, address, what shows that it is there). The pointer's problem and another of a program."""
    ids = []
    for learner, rule in (("network", "asynchronous halving"), ("logistic | tree", "fold race")):
        body = {"learner": learner, "plan": {"trials": 8, "early_stopping": rule}}
        status, search = server.call("POST", "/api/v1/problems/1/searches", body)
        assert status == 201, search
        ids.append(search["id"])
        server.until(f"/searches/{search['id']}", lambda s: s["state"] == "finished", 120)
    brief = {"runs": [sys.executable, "train.py", "--rate", "{rate}"], "folder": str(yard), "judged_by": {"score": "gain", "pick_out": "gain ([0-9.]+)"},
             "name": "A program that prints its gain"}  # fmt: skip
    status, code = server.call("POST", "/api/v1/own-code/problems", {"brief": brief, "space": "rate: 0 .. 1, start 0.1"})
    assert status == 201, code
    status, own = server.call("POST", f"/api/v1/problems/{code['id']}/searches", {"space": "rate: 0 .. 1", "plan": {"trials": 3}})
    assert status == 201, own
    server.until(f"/searches/{own['id']}", lambda s: s["state"] == "finished", 60)
    best = server.get("/problems/1")["best"]["trial_id"]
    mine = server.get(f"/problems/{code['id']}")["best"]["trial_id"]
    return [
        ("home", "/", "[data-desk]"),
        ("doors", "/new", "[data-drop]"),
        ("target", f"/new?data={server.get('/data')[0]['hash']}", "[data-target-picker]"),
        ("own code", "/new?what=program", "textarea"),
        ("brief", "/p/1/brief", "[data-baseline]"),
        ("brief of code", f"/p/{code['id']}/brief", "main h1, main h2"),
        ("space of several", "/p/1/space", "[data-member]"),
        ("space of code", f"/p/{code['id']}/space", "[data-lane]"),
        ("live", "/p/1/live", "[data-finished='yes']"),
        ("live with rungs", f"/p/1/live?search={ids[0]}", "[data-rungs]"),
        ("inspector", f"/p/1/live?trial={best}", "[data-inspector] [data-configuration]"),
        ("own inspector", f"/p/{code['id']}/live?trial={mine}", "[data-own-command]"),
        ("evidence", "/p/1/evidence?view=trials", "[data-trial] [role='cell']"),
        ("findings", "/p/1/evidence", "[data-evidence='done']"),
        ("lanes", "/p/1/evidence?view=lanes", "[data-curve]"),
        ("surface", "/p/1/evidence?view=surface", "[data-held-out]"),
        ("face-off", "/p/1/evidence?view=face-off", "form"),
        ("trials side by side", f"/p/1/evidence?view=trials&compare={best},{ids[0]}", "[data-compare]"),
        ("evidence of all", "/p/1/evidence?of=all", "[data-trial] [role='cell']"),
        ("evidence and inspector", f"/p/1/evidence?view=trials&trial={best}", "[data-inspector] [data-configuration]"),
        ("decision", "/p/1/decision", "[data-honest='done']"),
        ("decision and inspector", f"/p/1/decision?trial={best}", "[data-inspector] [data-configuration]"),
        ("trade-off", "/p/1/decision?view=trade-off", "[aria-label='Second measure']"),
        ("against the baseline", "/p/1/decision?view=against+the+baseline", "[data-threshold-of]"),
        ("holdout", "/p/1/decision?view=holdout", "[data-holdout]"),
        ("take away", "/p/1/decision?view=take+away", "[data-file]"),
    ]  # fmt: skip


def sound(page: Page) -> list[str]:
    page.run("return document.fonts.ready")
    found: list[str] = page.run(BOXES)
    return found


def settled(page: Page) -> None:
    """Two frames after a change of the window, and whatever moves has come to rest."""
    page.driver.execute_async_script(
        "const then = arguments[0]; requestAnimationFrame(() => requestAnimationFrame(() =>"
        " Promise.allSettled(document.getAnimations().map((a) => a.effect.getComputedTiming().endTime === Infinity || a.finished))"
        ".then(() => then())))"
    )


COLOURS = ("color-contrast", "link-in-text-block")  # rules of axe-core that the mode has a say in


def barriers(page: Page, rules: Sequence[str] = ()) -> list[str]:
    """What axe-core finds in the way of assistive tools, whatever its impact; by all of its rules or by some."""
    options = {"resultTypes": ["violations"]} | ({"runOnly": list(rules)} if rules else {})
    found = page.driver.execute_async_script(
        "const then = arguments[1]; axe.run(document, arguments[0]).then((r) => then(r.violations))", options
    )
    return [
        f"{one['id']} ({one['impact']}): {node['target']} {node['failureSummary'].splitlines()[-1].strip()}"
        for one in found for node in one["nodes"][:3]
    ]  # fmt: skip


def test_every_screen_holds_at_every_width_and_is_open_to_assistive_tools(page: Page, places: list[tuple[str, str, str]]) -> None:
    wrong, axe = {}, AXE.read_text()
    page.open("/")
    for name, path, there in places:
        page.size(1280, 800)
        page.go("/")
        page.find("[data-desk]")  # so that nothing of the place before is taken for this one
        page.go(path)
        page.until(lambda path=path: path == "/" or not page.all("[data-desk]"))  # type: ignore[misc]
        page.find(there, 60)
        page.until(lambda: not page.all("[data-waiting]"))
        for width, height in ((1280, 800), (1024, 768), (1920, 1080)):
            page.size(width, height)
            settled(page)
            wrong[f"{name} at {width}"] = sound(page)
        page.size(1280, 800)
        if not page.run("return 'axe' in window"):  # a place that had to be loaded
            page.run(axe)
        for dark in (False, True):
            page.dark(dark)
            settled(page)
            wrong[f"{name}, {'dark' if dark else 'light'}"] = barriers(page, COLOURS if dark else ())
        page.dark(False)
    assert {where: found for where, found in wrong.items() if found} == {}


def test_the_finder_finds_trials_settings_decisions_and_deeds(page: Page, server: Server) -> None:
    setting = str(server.get("/problems/1/searches")[0]["parameters"][-1]["name"])

    def find(words: str, expected: str) -> None:
        page.open("/p/1/live")
        page.find("[data-finished='yes']")
        page.chord(Keys.CONTROL, "k")
        page.type("[aria-label='Go to']", words)
        page.wait_text("[role='option'][aria-selected='true']", expected)
        page.keys(Keys.ENTER)

    find("3", "Trial 3 of search")
    page.wait_text("[data-inspector] h2", "Trial 3")
    find("decision 1", "Decision 1")
    page.find("[data-decided]")
    find(setting, setting)
    page.find(f"[data-lane='{setting}']:focus")
    light = page.run("return getComputedStyle(document.body).backgroundColor")
    find("dark", "Dark colours")
    page.until(lambda: page.run("return getComputedStyle(document.body).backgroundColor") != light)
    find("light", "Light colours")
