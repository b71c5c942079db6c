"""A search: trials of a problem, as they are made."""

from __future__ import annotations

import io
import time
from collections.abc import Iterator
from html import escape
from typing import Any, NamedTuple

import pyarrow as pa
import pyarrow.parquet as pq

from pellux.api.following import Told
from pellux.api.leased import LeasedFit, leased
from pellux.api.transport import Client
from pellux.service.errors import Conflict

LOOK = 0.1  # seconds between two looks
ASKED = 10.0  # seconds that a change of state may take
SHOWN = 5


class Trial(NamedTuple):
    """A trial. `folds` are its fold scores; `settings` have the types that they have in code; `measured` are the quantities that its
    search has limits on, or weighs the score against."""

    id: int
    number: int
    state: str
    settings: dict[str, Any]
    score: float | None
    standard_error: float | None
    folds: list[float | None]
    seconds: float
    measured: dict[str, float] | None = None


class Search:
    """Made by `Problem.search`; it runs by itself. `view` is all that the service tells of it."""

    def __init__(self, client: Client, id: int) -> None:
        self._client, self.id = client, id

    @property
    def view(self) -> dict[str, Any]:
        found: dict[str, Any] = self._client.get(f"/searches/{self.id}")
        return found

    @property
    def state(self) -> str:
        """running, paused, finished, stopped or failed."""
        return str(self.view["state"])

    @property
    def reason(self) -> str:
        """Why it is in that state, in words."""
        return str(self.view["reason"])

    @property
    def best(self) -> Trial:
        """The best trial so far of those that keep its limits; Conflict when there is none."""
        found = self._page(1)
        if not found:
            limits = ", ".join(limit["text"] for limit in self.view["limits"])
            raise Conflict(f"No scored trial keeps {limits} yet." if limits else "No trial is scored yet.")
        return found[0]

    def trials(self) -> pa.Table:
        """Every trial as an Arrow table, `.to_pandas()` for those who have pandas: a row a trial, a column a setting."""
        return pq.read_table(io.BytesIO(self._client.raw(f"/searches/{self.id}/export/parquet")))

    def top(self, count: int = SHOWN) -> list[Trial]:
        """The best scored trials that keep its limits, best first."""
        return self._page(count)

    def _page(self, most: int) -> list[Trial]:
        page = self._client.get(f"/searches/{self.id}/trials?sort=score&limit={most}&where=state%20%3D%20scored&descending=true")
        return [
            _trial(t)
            for t in page["trials"]
            if t["keeps"] is not False  # those that break a limit stand last
        ]

    def front(self) -> list[Trial]:
        """Where several metrics decide: the trials that no other beats in all of them, the best score first; Conflict where one decides.

        >>> for trial in search.front():                                        # doctest: +SKIP
        ...     print(trial.number, trial.score, trial.measured)
        """
        found = self._client.get(f"/searches/{self.id}/front")
        on = [self._client.get(f"/trials/{point['trial_id']}") for point in found["points"] if point["on_front"]]
        return [_trial(t) for t in sorted(on, key=lambda t: t["mean"], reverse=found["aims"][0]["larger_is_better"])]

    def follow(self) -> Search:
        """Tell of its progress in the terminal or notebook until it ends. Ctrl-C pauses it: `resume` goes on."""
        told = Told()
        try:
            while True:
                view = self.view
                told.show(view)
                if view["state"] not in ("running", "draft") or view["halted"]:
                    return self
                time.sleep(LOOK)
        except KeyboardInterrupt:
            self.pause()
            told.end("paused; resume() goes on with it")
            return self
        finally:
            told.end()

    def wait(self, seconds: float | None = None) -> Search:
        """Wait silently until it ends or is paused; TimeoutError when that takes longer."""
        until = None if seconds is None else time.monotonic() + seconds
        while (view := self.view)["state"] in ("running", "draft") and not view["halted"]:
            if until is not None and time.monotonic() > until:
                raise TimeoutError(f"Search {self.id} is still running after {seconds:g} s.")
            time.sleep(LOOK)
        return self

    def pause(self) -> None:
        """Fits that are under way end, no further one begins."""
        self._put("paused")

    def resume(self) -> None:
        self._put("running")

    def stop(self) -> None:
        """End it for good."""
        self._put("stopped")

    def _put(self, state: str) -> None:
        """Ask for a state, and wait until it is there or the search has ended by itself."""
        self._client.put(f"/searches/{self.id}/state", {"state": state})
        until = time.monotonic() + ASKED
        while self.state not in (state, "finished", "stopped", "failed") and time.monotonic() < until:
            time.sleep(LOOK / 5)

    def findings(self, seconds: float = 60) -> list[str]:
        """What its trials say, the strongest first, as sentences; all of it is at `POST /searches/{id}/evidence`.

        >>> for sentence in search.findings():                                  # doctest: +SKIP
        ...     print(sentence)
        """
        until = time.monotonic() + seconds
        while (found := self._client.post(f"/searches/{self.id}/evidence", {}))["state"] == "running":
            if time.monotonic() > until:
                raise TimeoutError(f"What the trials of search {self.id} say is still being worked out after {seconds:g} s.")
            time.sleep(LOOK)
        if found["state"] == "failed":
            raise Conflict(str(found["message"]))
        return [str(one["sentence"]) for one in found["findings"]]

    def face_off(
        self,
        *entrants: str,
        trials: int = 30,
        repeats: int = 6,
        replayed: bool = False,
        seed: int = 1,
        seconds: float | None = None,
    ) -> dict[str, Any]:
        """Ways to search set against each other over this search's space, each from the same seeds; what came of it.

        Parameters
        ----------
        entrants : str
            Two to eight: "random", or with a rule of early stopping, "random + fold race".
        repeats : int
            With other seeds; fewer than six cannot tell a difference from luck.
        replayed : bool
            On a model of the trials so far, in place of real fits.
        seconds : float, optional
            TimeoutError when it takes longer; it goes on all the same.
        """
        pairs = [[part.strip() for part in entrant.partition("+")] for entrant in entrants]
        body = {
            "search": self.id, "entrants": [{"strategy": strategy, "early stopping": rule or "none"} for strategy, _, rule in pairs],
            "mode": "replayed" if replayed else "fitted", "budget": "trials", "amount": trials, "repeats": repeats, "seed": seed,
        }  # fmt: skip
        made = self._client.post(f"/problems/{self.view['problem_id']}/face-offs", body)["id"]
        until = None if seconds is None else time.monotonic() + seconds
        while (found := self._client.get(f"/face-offs/{made}"))["state"] == "running":
            if until is not None and time.monotonic() > until:
                raise TimeoutError(f"Face-off {made} is still running after {seconds:g} s.")
            time.sleep(LOOK)
        if found["state"] == "failed":
            raise Conflict(str(found["message"]))
        told: dict[str, Any] = found
        return told

    def fits(self, *, holder: str = "", seconds: float = 60, count: int = 1) -> Iterator[LeasedFit]:
        """Of an outside loop: its fits one after another, each with a lease that beats by itself; ends when the search does.

        >>> for fit in search.fits():                                          # doctest: +SKIP
        ...     fit.done(my_training(fit.settings, fit.fold))
        """
        return leased(self._client, self.id, holder, seconds, count)

    def __repr__(self) -> str:
        view = self.view
        best = f", best {view['best']['score']:.4g}" if view["best"] else ""
        return f"<Search {self.id}: {view['state']}, {view['trials']['scored']} scored{best}>"

    def _repr_html_(self) -> str:
        view, rows = self.view, self.top()
        names = list(dict.fromkeys(name for row in rows for name in row.settings))
        head = "".join(f"<th>{escape(name)}</th>" for name in ("trial", "score", *names))
        body = "".join(
            f"<tr><td>{row.number}</td><td>{row.score:.4g}</td>"
            + "".join(f"<td>{escape(_short(row.settings.get(name)))}</td>" for name in names)
            + "</tr>"
            for row in rows
        )
        return f"<p>Search {self.id}: {escape(view['state'])}, {view['trials']['scored']} scored</p><table><tr>{head}</tr>{body}</table>"


def _short(value: Any) -> str:
    return "" if value is None else f"{value:.4g}" if isinstance(value, float) else str(value)


def _trial(t: dict[str, Any]) -> Trial:
    return Trial(
        t["id"],
        t["number"],
        t["state"],
        t["configuration"],
        t["mean"],
        t["standard_error"],
        t["scores"],
        t["seconds"],
        t["measured"],
    )
