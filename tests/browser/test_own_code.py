"""A person's own program, by the pointer: from its --help to a signed choice and what it kept."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest

from tests.browser.driving import Page, browser
from tests.serving import Server

pytestmark = pytest.mark.slow
PROGRAM = """
import argparse, os
p = argparse.ArgumentParser()
p.add_argument("--rate", type=float, default=0.1, help="step size (default: 0.1)")
p.add_argument("--epochs", type=int, default=9, help="passes (default: 9)")
p.add_argument("--out", default=".")
a = p.parse_args()
for e in range(a.epochs):
    print(f"epoch {e + 1}: loss={1 / (e + 1):.3f} val_acc={1 - abs(a.rate - 0.3) - 1 / (e + 2):.4f}", flush=True)
os.makedirs(a.out + "/keep", exist_ok=True)
open(a.out + "/keep/note.txt", "w").write(f"trained with rate {a.rate}")
"""


@pytest.fixture(scope="module")
def folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    found = tmp_path_factory.mktemp("own")
    (found / "train.py").write_text(PROGRAM)
    return found


@pytest.fixture(scope="module")
def page(folder: Path) -> Iterator[Page]:
    with Server(folder / "w", "--allow", str(folder)) as server, browser(server.url) as found:
        yield found


def test_from_a_command_to_a_signed_choice(page: Page) -> None:
    page.open("/new")
    page.press_button("program")
    page.type("textarea[placeholder^='python train.py']", "python train.py", clear=False)
    page.press_button("Fill in from its --help")
    page.wait_text("[data-command]", "rate")
    assert "step size" in page.find("textarea[placeholder^='rate:']").get_attribute("value")
    assert page.find("[data-wrong='score']").text.startswith("Name the score")
    page.type("input[placeholder='recall']", "score", clear=False)
    page.press_button("Run it once")
    page.wait_text("[data-first-look]", "It seems to print val_acc")
    page.press_button("Judge by val_acc")
    page.wait_text("[data-first-look]", "read by the pattern")
    assert [line.text for line in page.all("[data-read='yes']")] == ["0.3000\nepoch 1: loss=1.000 val_acc=0.3000"]
    page.press_button("Make the problem")
    page.find("[data-lane='rate']")
    page.wait_text("[data-lane='rate']", "step size")
    page.type("[aria-label='Plan'] input[inputmode='numeric']", "8")
    page.wait_text("[data-forecast]", "8 trials + baseline × 1 fold")
    page.press_button("Launch")
    page.wait_text("h1", "finished", 60)
    page.find("[data-curves]")
    page.click("[data-ended] button")
    page.wait_text("[data-own-command]", "python train.py --rate")
    page.press_button("show")
    page.wait_text("[data-kept] pre", "trained with rate")
    page.keys("\ue00c")
    page.open("/p/1/brief")
    page.wait_text("[data-code='program'] h2", "This brief is frozen")
    page.open("/p/1/decision")
    page.wait_text("[data-unpredicted]", "looks like")
    page.type("[aria-label='The choice'] textarea", "It arrives in time.")
    page.type("[aria-label='The choice'] input", "Ada")
    page.press_button("Sign this choice")
    page.wait_text("[data-decided]", "By the rule")
    page.press_button("Take it away")
    page.find("[data-file='kept.zip'][data-state='ready']", 30)
    assert page.all("[data-file='command.txt'][data-state='ready']")
    assert page.complaints() == []


def test_what_is_wrong_is_said_beside_the_form(page: Page) -> None:
    page.open("/new?what=program")
    page.type("textarea[placeholder^='python train.py']", "python gone.py {x}", clear=False)
    page.type("input[placeholder='recall']", "s", clear=False)
    page.press_button("Run it once")
    page.wait_text("[data-error='code']", "is given gone.py, which is no file of")
    page.open("/new?what=function")
    page.type("input[placeholder='train.py:train']", "train.py:train", clear=False)
    page.type("input[placeholder='recall']", "s", clear=False)
    page.press_button("Run it once")
    page.wait_text("[data-error='code']", "Does it train when it is imported?", 60)
