"""Evidence in the browser: what is planted in the demo's search is found, followed and taken back; lanes are brushed; ways to search face each other."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from selenium.webdriver.common.action_chains import ActionChains

from pellux.demo.cooling import FOLDER, add_cooling
from pellux.service.engine.engine import Engine
from pellux.service.workspace import Workspace
from tests.browser.driving import Page, browser
from tests.serving import Server

pytestmark = pytest.mark.slow


@pytest.fixture(scope="module")
def page(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Page]:
    folder = tmp_path_factory.mktemp("evidence") / "w"
    workspace = Workspace(folder, allowed=[FOLDER])
    engine = Engine(workspace)
    assert engine.join(add_cooling(engine), 120)
    engine.close()
    workspace.close()
    with Server(folder, "--allow", str(FOLDER)) as server, browser(server.url) as found:
        yield found


def test_what_is_planted_is_found_and_followed_and_taken_back(page: Page) -> None:
    page.open("/p/1/evidence")
    page.find("[data-evidence='done']", 60)
    found = {e.get_attribute("data-finding") for e in page.all("[data-finding]")}
    assert {"crowded end", "losing option", "dead setting", "ridge"} <= found
    page.press_button("Apply all", part=True)
    page.wait_text("[data-change='mode']", "mode: steady | boost")
    page.press_button("Open in Space")
    page.until(lambda: "/space" in page.driver.current_url)
    page.until(lambda: "lead: 10 .. 85" in space(page))
    assert "pulse" not in space(page).partition("#")[0].replace("pulse_minutes", "")
    page.wait_text("[data-forecast]", "fits")
    page.find("[data-lane='ramp'] [data-curve='ramp']")
    page.find("[data-matters='ramp']")
    page.press_button("Undo")
    page.until(lambda: "10 .. 60" in space(page) and "steady | pulse | boost" in space(page))


def space(page: Page) -> str:
    return str(page.find("[aria-label='Space notation']").get_attribute("value"))


def test_lanes_are_brushed_together_and_a_trials_way_runs_through_them(page: Page) -> None:
    page.open("/p/1/evidence?view=lanes")
    page.find("[data-curve]", 60)

    def kept() -> int:
        return int(str(page.find("[data-kept]").get_attribute("data-kept")))

    every = kept()
    brush(page, "lead", 0.45, 0.8)
    page.until(lambda: 0 < kept() < every)
    some = kept()
    brush(page, "setback", 0.2, 0.5)
    page.until(lambda: 0 < kept() < some)
    assert "where=lead" in page.driver.current_url
    assert "setback" in page.driver.current_url
    # The same trials stand in the table.
    few = kept()
    page.press_button("trials")
    page.wait_text(".small", f"{few} trials")
    page.driver.back()
    page.find("[data-curve]")
    page.until(lambda: kept() == few)
    page.press_button("Keep all again")
    page.until(lambda: kept() == every)
    page.press_button("pulse")
    page.until(lambda: kept() < every)
    hover(page, "lead")
    page.find("[data-way='hovered'] path")
    assert page.complaints() == []


def brush(page: Page, name: str, begin: float, end: float) -> None:
    lane = page.find(f"[data-brush='{name}']")
    width = lane.size["width"]
    chain = (
        ActionChains(page.driver, duration=20).move_to_element_with_offset(lane, int((begin - 0.5) * width), -30).click_and_hold()
    )
    for _ in range(8):
        chain.move_by_offset(int((end - begin) * width / 8), 0)
    chain.release().perform()


def hover(page: Page, name: str) -> None:
    """Over the lane until a trial is under the pointer."""
    lane = page.find(f"[data-brush='{name}']")
    for step in range(-20, 21):
        ActionChains(page.driver, duration=5).move_to_element_with_offset(lane, step * int(lane.size["width"] / 50), 0).perform()
        if page.all("[data-way='hovered']"):
            return


def test_the_surface_shows_the_ridge_and_what_lies_under_the_pointer(page: Page) -> None:
    page.open("/p/1/evidence?view=surface")
    page.wait_text("[data-held-out]", "80 % band", 60)
    page.find("[data-ridge]")
    before = [e.text for e in page.all("[data-read]")]
    ActionChains(page.driver).move_to_element(page.find("svg[role='img'][aria-label^='Score over']")).perform()
    page.until(lambda: page.all("[data-read]")[0].text != before[0])
    page.press_button("averaged")
    page.until(lambda: len(page.all("[data-held-out]")) == 1, 60)


def test_ways_to_search_face_each_other(page: Page) -> None:
    page.open("/p/1/evidence?view=face-off")
    page.type("[aria-label='Budget of each run']", "8")
    page.type("[aria-label='Repeats']", "6")
    page.press_button("replayed")
    page.press_button("Set against each other")
    page.find("[data-faceoff][data-state='done']", 90)
    page.find("[data-entrant='2']")
    assert page.text("[data-verdict]").endswith("not measured.")
    page.press_button("fitted")
    page.type("[aria-label='Budget of each run']", "3")
    page.press_button("Set against each other")
    page.wait_text("[data-faceoff][data-state='running'], [data-faceoff][data-state='done']", "runs", 60)
    page.press_button("Stop")
    page.find("[data-faceoff][data-state='stopped'], [data-faceoff][data-state='done']:first-of-type", 60)
