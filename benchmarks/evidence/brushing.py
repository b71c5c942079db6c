"""Brushing lanes over 10,000 trials in a real browser: frames a second while the pointer moves, beside the same page at rest.

python -m benchmarks.evidence.brushing      # prints its lines, writes its part of docs/benchmarks.md
"""

from __future__ import annotations

import os
import platform
import tempfile
from datetime import date
from pathlib import Path

from tests.browser.driving import browser
from tests.serving import Server

from benchmarks.document import put
from benchmarks.scenes import InstantRunner, warm_arrivals
from pellux.service.engine.engine import Engine
from pellux.service.planning.launching import launch
from pellux.service.planning.requests import SearchRequest, SettingsRequest
from pellux.service.workspace import Workspace

TRIALS, FRAMES = 10_000, 180
SPACE = "\n".join(
    (
        "rate: 0.01 .. 0.3 log", "rounds: 40 .. 400 int log", "leaves: 4 .. 64 int log", "min_leaf: 5 .. 120 int log", "pull: 1e-3 .. 100 log",
        "features: 0.2 .. 1", "balance: yes | no", "bins: 16 .. 255 int",
    )
)  # fmt: skip
MOVING = """
const [frames, moving] = arguments, done = arguments[arguments.length - 1];
const lane = document.querySelector("[data-brush=rate]"), box = lane.getBoundingClientRect();
const tell = (kind, share) => lane.dispatchEvent(new PointerEvent(kind, {bubbles: true, pointerId: 1, button: 0, isPrimary: true,
    clientX: box.left + share * box.width, clientY: box.top + 20}));
lane.setPointerCapture = () => undefined;
const gaps = []; let last = 0, count = 0;
if (moving) tell("pointerdown", 0.2);
const step = (now) => {
    if (last) gaps.push(now - last);
    last = now;
    if (moving) tell("pointermove", 0.3 + 0.5 * Math.abs(Math.sin(count / 25)));
    if (count++ < frames) requestAnimationFrame(step);
    else { if (moving) tell("pointerup", 0.8); done(gaps); }
};
requestAnimationFrame(step);
"""


def furnished(folder: Path) -> None:
    workspace = Workspace(folder)
    workspace.hold_engine()
    problem = warm_arrivals(workspace, folds="2 stratified")
    engine = Engine(workspace, make_runner=InstantRunner)
    plan = SettingsRequest(strategy="random", trials=TRIALS, seed=1, workers=8)
    engine.join(launch(engine, problem, SearchRequest(learner="boosting", space=SPACE, plan=plan)))
    engine.close()
    workspace.close()


def run() -> list[str]:
    with tempfile.TemporaryDirectory() as folder:
        furnished(Path(folder) / "w")
        with Server(Path(folder) / "w") as server, browser(server.url) as page:
            page.driver.set_script_timeout(120)
            page.open("/p/1/evidence?view=lanes")
            page.find("[data-curve]", 120)
            page.find("[data-brush=rate]")
            at_rest = sorted(page.driver.execute_async_script(MOVING, FRAMES, False))
            moving = sorted(page.driver.execute_async_script(MOVING, FRAMES, True))
            kept = page.find("[data-kept]").get_attribute("data-kept")
    assert kept is not None
    assert 0 < int(kept) < TRIALS, "the brush kept a part"

    def told(gaps: list[float]) -> str:
        return f"{1000 * len(gaps) / sum(gaps):.0f} frames a second, {gaps[len(gaps) // 2]:.1f} ms at the median, {gaps[int(0.95 * len(gaps))]:.1f} ms for 95 %"

    return [
        f"Brushing {TRIALS:,} trials in {len(SPACE.splitlines())} lanes ({FRAMES} frames, headless browser without a graphics card, 1280 × 800):",
        "",
        f"- the page at rest: {told(at_rest)}",
        f"- while the brush moves: {told(moving)}; {sum(moving) / sum(at_rest):.2f}× of the time at rest (wanted: 60 frames a second)",
        "- on 2026-11-29, before what is kept was computed once and drawn into one picture: 31 frames a second.",
    ]


def main() -> None:
    lines = [
        f"Written by `make bench-evidence` on {date.today().isoformat()}: {os.cpu_count()} shared cores, Python {platform.python_version()}.",
        "",
        *run(),
    ]
    print("\n".join(lines))
    put("brushing", lines)


if __name__ == "__main__":
    main()
