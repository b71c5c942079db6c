"""Pictures of the main views for docs/screenshots, from the demo workspace: `make shots`."""

from __future__ import annotations

import subprocess
import sys
import tempfile
from collections.abc import Callable
from pathlib import Path

from tests.browser.driving import Page, browser

FOLDER = Path(__file__).parents[2] / "docs" / "screenshots"
CONDITIONAL = """rate:     0.01 .. 0.3 log, start 0.1
rounds:   40 .. 200 int log, start 60, costly
leaves:   4 .. 64 int log
min_leaf: 5 .. 120 int log if leaves > 16
pull:     ~ lognormal(1, 1.5)
balance:  yes *2 | no
features: 0.2 .. 1 if balance == yes
require min_leaf >= leaves / 4"""

POPULATION = """return fetch("/api/v1/problems/3/searches", {method: "POST", headers: {"Content-Type": "application/json"}, body: JSON.stringify({
    learner: "network", space: "rate: 1e-4 .. 0.03 log\\nwidth: 16 .. 48 int log\\npull: 1e-5 .. 1 log\\nbatch: 64 .. 256 int log\\n",
    plan: {strategy: "population training", trials: 54, seed: 2}})}).then((r) => r.ok)"""


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


def drawn(page: Page, charts: int) -> None:
    page.until(lambda: len(page.all("[data-finished='yes']")) >= charts)


def take(page: Page) -> None:
    def shoot(name: str) -> None:
        page.run("document.querySelector('main')?.scrollTo(0, 0); window.scrollTo(0, 0); return document.fonts.ready")
        page.shoot(FOLDER / f"{name}.png")

    page.open("/p/2/live")
    page.until(
        lambda: int(page.text("[data-figures='live']").partition("/")[0]) >= 40 if "/" in page.text("[data-figures='live']") else 0,
        180,
    )
    drawn(page, 2)
    shoot("live")
    page.open("/")
    page.wait_text("h2", "Warm arrivals")
    shoot("home")
    page.open("/p/1/brief")
    page.wait_text("h2", "Split plan")
    page.find("[aria-label='Folds and holdout over the rows']")
    page.find("[data-baseline='boosting'][data-state='scored']")
    shoot("brief")
    page.open("/p/2/space")
    page.find("[data-lane='features']")
    page.wait_text("[data-forecast]", "fits")
    shoot("space")
    page.dark(True)
    weighed = page.run(
        "return fetch('/api/v1/problems/2/searches').then((r) => r.json()).then((all) => all.find((s) => s.against.length).id)"
    )
    page.open(f"/p/2/live?search={weighed}")
    page.find("[data-covered]")
    page.wait_text("[data-covered]", "random draws")
    shoot("front")
    page.dark(False)
    page.open("/p/2/evidence?view=trials")
    page.until(lambda: len(page.all("[data-trial] [role='cell']")) > 50)
    shoot("evidence")
    page.open("/p/2/evidence?view=trials")
    page.click("[data-trial]")
    page.wait_text("[data-inspector]", "Shortlist")
    page.until(lambda: page.text("[data-configuration]").startswith("{"))
    shoot("inspector")
    page.open("/p/5/evidence")
    page.find("[data-evidence='done']", 60)
    shoot("findings")
    page.open("/p/5/evidence?view=lanes&where=lead+>%3D+35%2C+mode+!%3D+pulse")
    page.find("[data-curve]", 60)
    shoot("evidence-lanes")
    page.open("/p/5/evidence?view=surface")
    page.find("[data-held-out]", 60)
    shoot("surface")
    page.open("/p/5/evidence?view=face-off")
    page.find("[data-faceoff][data-state='done']")
    shoot("face-off")
    page.open("/p/3/live")
    page.find("[data-curves]")
    page.find("[data-rungs]")
    drawn(page, 2)
    shoot("live-halving")
    own_code(page, shoot)
    page.run(POPULATION)
    page.open("/p/3/live")
    page.wait_text("h1", "finished", 240)
    page.find("[data-population]")
    drawn(page, 1)
    shoot("live-population")
    decide(page, shoot)
    page.open("/p/2/space")
    page.find("[data-lane='features']")
    page.type("[aria-label='Space notation']", CONDITIONAL)
    page.wait_text("[data-condition]", "only if")
    page.press_button("Rehearse")
    page.find("[data-rehearsal]", 120)
    page.wait_text("[data-minutes]", "likely")
    page.find("[aria-label='First space']").send_keys("search 1")
    page.find("[data-comparison]")
    shoot("space-conditional")


def own_code(page: Page, shoot: Callable[[str], None]) -> None:
    """A program on its way to be a problem, and a trial of the one that is there."""
    page.open("/new?what=program")
    page.find("textarea[placeholder^='python train.py']").send_keys("python plan_routes.py")
    page.press_button("Fill in from its --help")
    page.wait_text("[data-command]", "heat")
    page.find("input[placeholder='recall']").send_keys("in_time")
    page.press_button("Run it once")
    page.find("[data-first-look='read']", 60)
    page.run(
        "document.querySelector(`[placeholder$='route_planner']`).placeholder = '/home/ann/route_planner'"
    )  # no path of this machine
    shoot("own-code")
    best = page.run("return fetch('/api/v1/problems/4').then((r) => r.json()).then((p) => p.best.trial_id)")
    page.open(f"/p/4/live?trial={best}")
    page.find("[data-inspector] [data-kept] img")
    drawn(page, 2)
    page.run("document.querySelector('[data-own-command]').scrollIntoView()")
    page.shoot(FOLDER / "own-code-trial.png")


def decide(page: Page, shoot: Callable[[str], None]) -> None:
    """From finalists to what is taken away."""
    page.open("/p/2/live")
    page.press_button("Stop")
    page.press_button("Stop for good")
    page.wait_text("[data-figures='live']", "stopped")
    page.open("/p/2/decision")
    page.find("[data-honest='done']", 120)
    page.press_button("Re-judge the best 5")
    page.find("[data-rejudging]")
    page.until(lambda: not page.all("[data-rejudging]"), 300)
    page.wait_text("[aria-label='Fold matrix']", "→")
    shoot("decision")
    page.press_button("against the baseline")
    page.wait_text("[data-threshold-of]", "recall")
    page.press_button("Best F1")
    page.press_button("Measure the columns")
    page.find("[data-importance='done']", 120)
    shoot("decision-baseline")
    page.press_button("holdout")
    page.press_button("Open the holdout", part=True)
    page.type("[role='dialog'] input", "A. Moss")
    page.press_button("Open it")
    page.find("[data-look='done']", 120)
    page.until(lambda: not page.all("[role='dialog']"))
    page.type("[aria-label='The choice'] input", "A. Moss")
    page.press_button("Sign this choice")
    page.press_button("Take it away")
    page.find("[data-making='no'] [data-file='model.onnx'][data-state='ready']", 120)
    shoot("decision-take-away")


if __name__ == "__main__":
    main()
