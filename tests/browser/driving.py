"""A headless Chromium that behaves like a person's: real pointer, real keys, 1280 by 800."""

from __future__ import annotations

import atexit
import json
import os
import shutil
import tempfile
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from functools import cache
from pathlib import Path
from typing import Any

from selenium.common.exceptions import (
    ElementClickInterceptedException,
    ElementNotInteractableException,
    JavascriptException,
    NoSuchElementException,
    StaleElementReferenceException,
)
from selenium.webdriver import ActionChains, Chrome, ChromeOptions, ChromeService
from selenium.webdriver.common.by import By
from selenium.webdriver.remote.webelement import WebElement
from selenium.webdriver.support.ui import Select

from tests import waiting

FLAGS = (
    "--headless=new", "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking",
    "--disable-component-update", "--disable-sync", "--disable-dev-shm-usage", "--force-color-profile=srgb",
    "--force-prefers-reduced-motion",  # what moves costs frames, and tests of what is there have to wait for it
)  # fmt: skip
# Pages of tests live for seconds: the best of compilers costs more than it gives. Benchmarks do without.
SHORT_LIVED = "--js-flags=--no-turbofan,--min-semi-space-size=32"

# What an element answers while the page redraws, and a script while another page is loaded: try again.
IN_MOTION = (StaleElementReferenceException, ElementClickInterceptedException, ElementNotInteractableException, JavascriptException)
# The page itself looks whether it has come so far: to ask it twenty times a second from outside keeps it, and us, busy.
AWAIT = """
const [seconds, ...given] = [...arguments].slice(0, -1), then = arguments[arguments.length - 1];
const begun = performance.now(), end = begun + 1000 * seconds;
const shown = (one) => one.checkVisibility({ opacityProperty: true, visibilityProperty: true });
const text = (one) => (shown(one) ? (one.innerText ?? one.textContent).replaceAll("\u00a0", " ").trim() : "");
const enabled = (one) => !one.matches(":disabled");
const all = (css) => [...document.querySelectorAll(css)];
const ask = (%s);
const look = () => {
  const found = ask(...given);
  if (found || performance.now() > end) then(found || null);
  else setTimeout(look, Math.min(200, Math.max(20, 0.08 * (performance.now() - begun))));
};
look();
"""
WINDOW = 20.0  # seconds for which a page is asked at once; scripts may take 30


class Page:
    """The few moves that tests make, each waiting for what it needs instead of sleeping."""

    def __init__(self, driver: Chrome, base: str) -> None:
        self.driver, self.base = driver, base

    def open(self, path: str) -> None:
        self.driver.get(self.base + path)

    def go(self, path: str) -> None:
        """To another address as a click does, without loading all of the page again."""
        self.run("history.pushState(null, '', arguments[0]); dispatchEvent(new PopStateEvent('popstate', { state: null }))", path)

    def until(self, condition: Callable[[], Any], seconds: float = 20, what: str = "") -> Any:
        def calm() -> Any:
            with suppress(*IN_MOTION, NoSuchElementException):
                return condition()

        return waiting.until(calm, seconds, what or "what the page is to show")

    def awaited(self, ask: str, *given: Any, seconds: float = 20, what: str = "") -> Any:
        """What a function of the page answers once it is neither false nor nothing."""
        end = time.monotonic() + seconds

        def answer() -> Any:
            return self.driver.execute_async_script(AWAIT % ask, max(0, min(end - time.monotonic(), WINDOW)), *given)

        return self.until(answer, seconds, what or ask)

    def find(self, css: str, seconds: float = 20) -> WebElement:
        found: WebElement = self.awaited("(css) => document.querySelector(css)", css, seconds=seconds, what=f"no {css}")
        return found

    def all(self, css: str) -> list[WebElement]:
        return self.driver.find_elements(By.CSS_SELECTOR, css)

    def text(self, css: str) -> str:
        return self.find(css).text

    def wait_text(self, css: str, words: str, seconds: float = 20) -> None:
        there = "(css, words) => all(css).some((one) => text(one).includes(words))"
        self.awaited(there, css, words, seconds=seconds, what=f"no '{words}' in {css}")

    def click(self, css: str) -> None:
        self._pressed("(css) => all(css).find(enabled)", css, what=f"{css} cannot be clicked")

    def press_button(self, words: str, *, part: bool = False) -> None:
        """The button that says this, or has it among its words."""
        ask = "(words, part) => all('button, a').find((one) => enabled(one) && (part ? text(one).includes(words) : text(one) === words))"
        self._pressed(ask, words, part, what=f"no button {words}")

    def _pressed(self, ask: str, *given: Any, what: str) -> None:
        def pressed() -> bool:
            self.awaited(ask, *given, what=what).click()
            return True

        self.until(pressed, what=what)

    def type(self, css: str, words: str, *, clear: bool = True) -> None:
        def typed() -> bool:
            element = self.find(css)
            if clear:
                self.driver.execute_script("arguments[0].select()", element)
            element.send_keys(words)
            return True

        self.until(typed)

    def select(self, label: str, option: str) -> None:
        """Choose an option of the field with this label."""

        def selected() -> bool:
            name = self.awaited(
                "(label) => all('label').find((one) => text(one) === label)?.htmlFor", label, what=f"no field {label}"
            )
            Select(self.find(f"[id='{name}']")).select_by_visible_text(option)
            return True

        self.until(selected)

    def keys(self, words: str) -> None:
        """Keys pressed without aiming at anything."""
        ActionChains(self.driver).send_keys(words).perform()

    def chord(self, held: str, key: str) -> None:
        """A key while another is held down."""
        ActionChains(self.driver).key_down(held).send_keys(key).key_up(held).perform()

    def size(self, width: int, height: int) -> None:
        self.driver.execute_cdp_cmd(
            "Emulation.setDeviceMetricsOverride", {"width": width, "height": height, "deviceScaleFactor": 1, "mobile": False}
        )

    def drag(self, css: str, by: int, steps: int = 12) -> None:
        chain = ActionChains(self.driver, duration=10).click_and_hold(self.find(css))
        for _ in range(steps):
            chain.move_by_offset(by // steps, 0)
        chain.release().perform()

    def complaints(self) -> list[str]:
        """What the browser's console holds; a good page leaves it empty."""
        return [entry["message"] for entry in self.driver.get_log("browser")]  # type: ignore[no-untyped-call]

    def shoot(self, path: Path) -> None:
        self.driver.save_screenshot(str(path))

    def run(self, script: str, *arguments: Any) -> Any:
        return self.driver.execute_script(script, *arguments)

    def dark(self, dark: bool) -> None:
        self.driver.execute_cdp_cmd(
            "Emulation.setEmulatedMedia",
            {
                "features": [
                    {"name": "prefers-color-scheme", "value": "dark" if dark else "light"},
                    {"name": "prefers-reduced-motion", "value": "reduce"},  # no colour is on its way to another
                ]
            },
        )


def automatic(page: Page, trials: str = "60") -> None:
    """A plan begins as that of the last search: back to what one would mostly want."""
    for label in ("Strategy", "Early stopping"):
        page.select(label, "Automatic")
    page.type("footer input[inputmode='numeric']", trials)


@cache
def _driver() -> Chrome:
    """One browser for all tests of this process, since to start one takes seconds; it ends with the process."""
    profile = tempfile.mkdtemp(prefix="pellux-browser-")
    options = ChromeOptions()
    for flag in (*FLAGS, *([SHORT_LIVED] if "PYTEST_VERSION" in os.environ else []), f"--user-data-dir={profile}"):
        options.add_argument(flag)
    options.set_capability("goog:loggingPrefs", {"browser": "ALL"})
    options.add_experimental_option("prefs", json.loads('{"download.prompt_for_download": false}'))
    driver = Chrome(options, ChromeService("/usr/bin/chromedriver"))
    atexit.register(shutil.rmtree, profile, True)
    atexit.register(driver.quit)
    return driver


@contextmanager
def browser(base: str, *, width: int = 1280, height: int = 800) -> Iterator[Page]:
    """A page of a browser that knows nothing: no cookie, nothing stored, a tab of its own, no mode or size of whoever had one before."""
    driver = _driver()
    before = driver.current_window_handle
    others = set(driver.window_handles)
    driver.switch_to.new_window("tab")
    driver.execute_cdp_cmd("Emulation.setFocusEmulationEnabled", {"enabled": True})
    page = Page(driver, base)
    page.size(width, height)
    try:
        yield page
    finally:
        driver.execute_cdp_cmd("Browser.resetPermissions", {})
        driver.execute_cdp_cmd("Storage.clearDataForOrigin", {"origin": base, "storageTypes": "all"})
        for ours in set(driver.window_handles) - others:
            driver.switch_to.window(ours)
            driver.close()
        driver.switch_to.window(before)
        page.complaints()
