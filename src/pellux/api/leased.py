"""Fits of an outside loop, taken one by one; a thread keeps the lease alive while a fit is done."""

from __future__ import annotations

import contextlib
import threading
import time
from collections.abc import Iterator
from typing import Any

from pellux.api.transport import Client
from pellux.service.errors import Conflict, NotFound, PelluxError
from pellux.service.own_functions import Ended

PAUSE = 0.2  # seconds before asking again when there was none
PATIENCE = 2.0  # seconds that a request for fits may wait for one


class LeasedFit:
    """A fit to do: train by `settings` on `fold` from `start` to `level`, then say `done`.

    Attributes
    ----------
    settings : dict
    trial, fold, folds, start, level, seed : int
    go_on : bool
        False once nobody waits for it any more.
    """

    def __init__(self, client: Client, found: dict[str, Any]) -> None:
        self._client, self._id = client, found["id"]
        self.settings: dict[str, Any] = dict(found["settings"])
        self.trial, self.fold, self.folds = int(found["trial"]), int(found["fold"]), int(found["folds"])
        self.start, self.level, self.seed = int(found["start"]), int(found["level"]), int(found["seed"])
        self.go_on, self.answered = True, False
        self._over = threading.Event()
        threading.Thread(target=self._beat, args=(float(found["seconds"]) / 3,), daemon=True).start()

    def point(self, level: int, score: float) -> None:
        """Tell a score on the way; raises Ended when nobody waits any more."""
        found = self._client.put(f"/leases/{self._id}/points", {"points": [[int(level), float(score)]]})
        self.go_on = self.go_on and bool(found["go_on"])
        if not self.go_on:
            raise Ended

    def done(self, score: float, **recorded: float) -> None:
        """The score, and other metrics beside it; Conflict when the lease is over."""
        self._answer({"score": float(score), "recorded": {name: float(value) for name, value in recorded.items()}})

    def failed(self, error: str) -> None:
        """It has no score, for this reason."""
        self._answer({"error": error[:4000] or "no reason given"})

    def let_go(self) -> None:
        """No more signs of life: the fit is handed out again when the lease runs out."""
        self._over.set()

    def _answer(self, body: dict[str, Any]) -> None:
        self._over.set()
        self.answered = True
        self._client.put(f"/leases/{self._id}/outcome", body)

    def _beat(self, seconds: float) -> None:
        while not self._over.wait(seconds):
            try:
                self.go_on = self.go_on and bool(self._client.put(f"/leases/{self._id}", None)["go_on"])
            except (Conflict, NotFound):
                self.go_on = False
                return
            except PelluxError:  # the server is away for a moment
                continue

    def __repr__(self) -> str:
        return f"<LeasedFit of trial {self.trial}, fold {self.fold}: {self.settings}>"


def leased(client: Client, search: int, holder: str, seconds: float, count: int) -> Iterator[LeasedFit]:
    """Fits until the search ends. One that the loop passes over is told as failed; one at which it breaks off is handed out again."""
    asked = {"count": count, "seconds": seconds, "holder": holder, "wait": PATIENCE}
    while (found := client.post(f"/searches/{search}/leases", asked))["state"] in ("running", "paused"):
        for fit in [LeasedFit(client, one) for one in found["fits"]]:
            try:
                yield fit
            except GeneratorExit:
                fit.let_go()
                raise
            if not fit.answered:
                with contextlib.suppress(PelluxError):
                    fit.failed("its loop gave no answer")
        if not found["fits"]:
            time.sleep(PAUSE)


__all__ = ["LeasedFit", "leased"]
