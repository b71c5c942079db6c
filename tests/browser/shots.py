"""Pictures of the main views for docs/screenshots, from the demo workspace: `make shots`."""

from __future__ import annotations

import subprocess
import sys
import tempfile
from pathlib import Path

from tests.browser.driving import Page, browser

FOLDER = Path(__file__).parents[2] / "docs" / "screenshots"


def main() -> None:
    FOLDER.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as folder:
        command = [sys.executable, "-m", "pellux", "demo", "--workspace", f"{folder}/demo", "--port", "0"]
        server = subprocess.Popen(command, stdout=subprocess.PIPE, text=True)
        try:
            assert server.stdout is not None
            line = next(line for line in server.stdout if line.startswith("Pellux serves"))
            with browser(line.split(" at ")[-1].strip()) as page:
                take(page)
        finally:
            server.terminate()
            server.communicate()


def take(page: Page) -> None:
    def shoot(name: str) -> None:
        page.run("return document.fonts.ready")
        page.shoot(FOLDER / f"{name}.png")

    page.open("/p/2/live")
    page.until(
        lambda: int(page.text("[data-figures='live']").partition("/")[0]) >= 40 if "/" in page.text("[data-figures='live']") else 0,
        180,
    )
    page.find("[data-finished='yes']")
    shoot("live")
    page.open("/")
    page.wait_text("h2", "Warm arrivals")
    shoot("home")
    page.open("/p/1/brief")
    page.wait_text("h2", "Split plan")
    page.find("[aria-label='Folds and holdout over the rows']")
    shoot("brief")
    page.open("/p/2/space")
    page.find("[data-lane='features']")
    page.wait_text("[data-forecast]", "fits")
    shoot("space")
    page.dark(True)
    page.open("/p/2/space")
    page.find("[data-lane='features']")
    page.wait_text("[data-forecast]", "fits")
    shoot("space-dark")
    page.dark(False)
    page.open("/p/2/evidence")
    page.until(lambda: len(page.all("[data-trial] [role='cell']")) > 50)
    shoot("evidence")
    page.open("/p/2/evidence")
    page.click("[data-trial]")
    page.wait_text("[data-inspector]", "Shortlist")
    page.until(lambda: page.text("[data-configuration]").startswith("{"))
    shoot("inspector")
    page.open("/p/2/decision")
    page.find("[data-finalist]")
    page.until(lambda: page.text("[data-configuration]").startswith("{"))
    shoot("decision")


if __name__ == "__main__":
    main()
