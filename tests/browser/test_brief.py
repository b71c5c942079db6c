"""The brief as people write it: an odd file, corrected; roles, folds in time, leaks, baselines, several learners, own code."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest
from selenium.webdriver.support.ui import Select

from tests.browser.driving import Page, browser
from tests.service.test_brief import loads
from tests.serving import Server

pytestmark = pytest.mark.slow
CODE = """
class Half:
    \"\"\"Says half, always.\"\"\"
    def __init__(self, unused=1.0): self.unused = unused
    def fit(self, rows, target): import numpy; self.classes_ = numpy.unique(target); return self
    def predict(self, rows): return self.classes_[[0] * len(rows)]
"""


@pytest.fixture(scope="module")
def yard(tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("yard")
    (folder / "half.py").write_text(CODE)
    (folder / "broken.py").write_text("import nothing_of_the_kind")
    return folder


@pytest.fixture(scope="module")
def server(tmp_path_factory: pytest.TempPathFactory, yard: Path) -> Iterator[Server]:
    found = Server(tmp_path_factory.mktemp("served") / "workspace", "--allow", str(yard))
    yield found
    found.stop()


@pytest.fixture(scope="module")
def page(server: Server) -> Iterator[Page]:
    with browser(server.url) as found:
        yield found


@pytest.fixture(scope="module")
def file(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """As an office writes it: semicolons, decimal commas, another encoding, one cell that is no number."""
    columns = loads()
    columns["gauge"] = ["kaputt" if i == 7 else f"{i / 8:.2f}" for i in range(240)]
    columns["kind"] = [k.replace("green", "grün") for k in columns["kind"]]
    names = ["a", "b", "kind", "label", "unit_id", "day", "claim", "gauge"]
    lines = [";".join(names)] + [
        ";".join(str(columns[n][i]).replace(".", ",") for n in names) for i in range(240)
    ]  # fmt: skip
    path = tmp_path_factory.mktemp("odd") / "loads.csv"
    path.write_bytes("\n".join(lines).encode("cp1252"))
    return path


def test_an_odd_file_is_read_corrected_and_framed(page: Page, server: Server, file: Path) -> None:
    page.open("/new")
    page.find("input[type='file']").send_keys(str(file))
    page.wait_text("[data-reading]", "cp1252, columns parted by semicolon, decimal comma")
    page.wait_text("[data-reading]", "not UTF-8")
    page.click("[data-preview]")
    assert len(page.all("[aria-label='First rows'] tbody tr")) == 5
    page.click("[data-preview]")
    page.wait_text("[data-column='gauge']", "mostly numbers")
    page.click("[data-column='label'] [data-role='target']")
    page.find("[data-finding='gives the target away']")

    # Another type reads the file anew; what was said of the brief stays.
    Select(page.find("[data-column='gauge'] [data-type]")).select_by_value("number")
    page.wait_text("[data-column='gauge']", "could not be read so")
    page.find("[data-column='label'] [aria-checked='true'][data-role='target']")

    page.press_button("Ignore it")
    page.until(lambda: not page.all("[data-finding='gives the target away']"))
    page.press_button("Make it the time")
    kind = "//label[text()='Kind']/following::select"
    page.until(lambda: page.driver.find_elements("xpath", kind))
    Select(page.driver.find_elements("xpath", kind)[0]).select_by_value("ordered")
    page.wait_text("body", "light is learnt from, dark is tested")
    page.click("[data-recorded='accuracy']")
    page.until(lambda: page.find("[data-recorded='accuracy']").get_attribute("aria-pressed") == "true")
    page.until(lambda: "accuracy" in page.text("[aria-label='Recorded beside it']"))
    page.press_button("Frame the problem")
    page.until(lambda: page.driver.current_url.endswith("/space"))
    [problem] = server.get("/problems")
    brief = problem["brief"]
    assert (brief["split"], brief["time"], brief["recorded"]) == ("ordered", "day", ["accuracy"])
    assert "claim" not in brief["features"]
    assert "gauge" in brief["features"]


def test_baselines_come_by_themselves_and_on_request(page: Page) -> None:
    page.open("/p/1/brief")
    page.until(lambda: len(page.all("[data-baseline][data-state='scored']")) == 3, 60)
    page.press_button("+ Naive Bayes")
    page.find("[data-baseline='bayes'][data-state='scored']", 60)


def test_several_learners_and_their_steps_are_laid_out_and_launched(page: Page, server: Server) -> None:
    page.open("/p/1/brief")
    page.until(lambda: len(page.all("[data-baseline][data-state='scored']")) >= 3, 60)
    scored = [one for one in server.get("/problems/1/baselines") if one["score"] is not None]
    first = max(scored, key=lambda one: one["score"])["learner"]  # Space begins with it
    other = "logistic" if first != "logistic" else "forest"
    page.open("/p/1/space")
    page.find("[data-pipeline]")
    Select(page.find("[aria-label='Search another learner along']")).select_by_value(other)
    page.find(f"[data-member='{other}']")
    page.find("[data-lane='model']")
    page.click("[data-step='reduce']")
    page.find("[data-lane='reduce']")
    page.type("footer input[inputmode='numeric']", "4")
    page.wait_text("[data-forecast]", "4 trials")
    page.press_button("Launch")
    page.wait_text("[data-figures='live']", "4/4 trials · finished", 60)
    [search] = server.get("/problems/1/searches")
    assert search["learner"] == f"{first} | {other}"
    assert search["trials"]["scored"] == 4, "the baselines were there already"
    page.open("/p/1/evidence?view=trials")
    page.until(lambda: len(page.all("[data-trial]")) == 4)
    page.keys("j")
    page.keys("\ue007")
    page.wait_text("[data-recorded-scores]", "accuracy")


def test_a_class_of_ones_own_is_brought_and_a_broken_one_refused(page: Page) -> None:
    page.open("/p/1/space")
    page.click("[data-own='learner']")
    page.type("[data-own-form='learner'] input", "broken.py:X")
    page.press_button("Bring it")
    page.wait_text("[data-error='own']", "nothing_of_the_kind", 30)
    page.wait_text("[data-own-form='learner'] pre", "ModuleNotFoundError")
    page.type("[data-own-form='learner'] input", "half.py:Half")
    page.press_button("Bring it")
    page.find("[data-lane='unused']", 30)
    page.wait_text("body", "Says half, always.")
