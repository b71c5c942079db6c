"""A problem: what is to be done well, and how that is judged."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from html import escape
from typing import Any
from urllib.parse import urlencode

from pellux.api.decision import Decision
from pellux.api.search import Search
from pellux.api.transport import Client
from pellux.service.errors import InvalidPlan


class Problem:
    """Made by `Bench.problem`. `view` is all that the service tells of it."""

    def __init__(self, client: Client, id: int) -> None:
        self._client, self.id = client, id

    @property
    def view(self) -> dict[str, Any]:
        found: dict[str, Any] = self._client.get(f"/problems/{self.id}")
        return found

    @property
    def name(self) -> str:
        return str(self.view["name"])

    @property
    def searches(self) -> list[Search]:
        """Every search of it, first one first."""
        found = [one["id"] for one in self._client.get(f"/problems/{self.id}/searches") if one["kind"] == "search"]
        return [Search(self._client, id) for id in sorted(found)]

    @property
    def decisions(self) -> list[Decision]:
        """Signed choices, newest first."""
        return [Decision(self._client, one["id"]) for one in self._client.get(f"/decisions?problem={self.id}")]

    def search(
        self, space: str | None = None, *, learner: str = "", trials: int = 60, workers: int | str | None = None, **plan: Any
    ) -> Search:
        """Launch a search; it runs while this goes on.

        Parameters
        ----------
        space : str, optional
            Space notation, a line a setting: "rate: 1e-4 .. 1 log". The usual space when left out.
        learner : str
            Of a table: 'boosting', or several: 'logistic | forest'.
        workers : int or 'all'
            Fits at once; 'all' places of a cluster: runner={"cluster": "tcp://head:8786"}.
        plan : keyword arguments
            All else that plans have under `plan`, with _ for blanks: strategy, early_stopping, stopping, limits, minutes, seed, starts …

        Raises
        ------
        InvalidSpace, InvalidPlan
            With the sentence and, as `at`, the field that has to change.
        """
        body = {"learner": learner, "space": space, "plan": {**plan, "trials": trials, "workers": workers}}
        return Search(self._client, self._client.post(f"/problems/{self.id}/searches", body)["id"])

    def forecast(self, space: str | None = None, *, learner: str = "", trials: int = 60, **plan: Any) -> dict[str, Any]:
        """What a search would take: fits, seconds with their range, why this strategy."""
        body = {"learner": learner, "space": space, "plan": {**plan, "trials": trials}}
        found: dict[str, Any] = self._client.post(f"/problems/{self.id}/forecast", body)
        return found

    def finalists(self, top: int = 10) -> list[dict[str, Any]]:
        """The best trials of all searches, compared with the leader."""
        found: list[dict[str, Any]] = self._client.get(f"/problems/{self.id}/finalists?top={top}")["finalists"]
        return found

    def decide(
        self, *, rule: str = "highest mean", trial: int | None = None, reason: str = "", signer: str = "",
        weighing: Mapping[str, Any] | None = None,
    ) -> Decision:  # fmt: skip
        """Choose by a rule, or a trial by its id, and sign it.

        A trial that is worse than the leader or than the baseline needs a reason. `weighing` are the settings of
        `GET /problems/ID/finalists`.
        """
        if trial is None:
            query = f"?{urlencode(weighing)}" if weighing else ""
            advised: Sequence[Mapping[str, Any]] = self._client.get(f"/problems/{self.id}/finalists{query}")["suggestions"]
            by = next((one for one in advised if one["rule"] == rule), None)
            if by is None:
                known = ", ".join(str(one["rule"]) for one in advised) or "none, for nothing is scored yet"
                raise InvalidPlan(f"The rule '{rule}' chooses nothing here. Rules that do: {known}.", at="rule")
            trial = int(by["trial_id"])
        else:
            rule = "by hand"
        body = {"trial_id": trial, "rule": rule, "reason": reason, "signer": signer, "weighing": dict(weighing or {})}
        return Decision(self._client, self._client.post(f"/problems/{self.id}/decisions", body)["id"])

    def __repr__(self) -> str:
        found = self.view
        best = found["best"]["score"] if found["best"] else "nothing scored"
        return f"<Problem {self.id}: {found['name']}, {found['judging']['metric_label']}, best {best}>"

    def _repr_html_(self) -> str:
        found = self.view
        rows = [
            ("judged by", found["judging"]["metric_label"]),
            ("folds", found["judging"]["fits"]),
            ("searches", found["searches"]),
        ]
        rows += [("best", f"{found['best']['score']:.4g}")] if found["best"] else []
        rows += [("baseline", f"{found['baseline']['score']:.4g}")] if found["baseline"] else []
        told = "".join(f"<tr><th style='text-align:left'>{escape(str(k))}</th><td>{escape(str(v))}</td></tr>" for k, v in rows)
        return f"<b>{escape(found['name'])}</b><table>{told}</table>"
