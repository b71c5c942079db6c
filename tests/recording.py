"""Answers of a real server for the front end's tests: `python -m tests.recording` writes frontend/tests/recorded.json anew.

A small problem of the scenario, a finished search, one with early stopping, a signed decision. The front end's tests show
these answers on the real screens; tests/web/test_recorded.py holds them against the OpenAPI document.
"""

from __future__ import annotations

import json
import tempfile
from itertools import takewhile
from pathlib import Path
from typing import Any

from pellux.demo.generator import FOLDER
from pellux.service.engine.engine import Engine
from pellux.service.engine.events import stream
from pellux.service.workspace import Workspace
from pellux.web.app import create_app

FILE = Path(__file__).parents[1] / "frontend/tests/recorded.json"
ROWS = 900
DIGITS = 6
SPACE = "depth: 2 .. 12 int\nmin_leaf: 1 .. 60 int log\n"
NETWORK = "rate: 1e-4 .. 0.1 log\nwidth: 4 .. 12 int log\nactivation: relu | tanh\nepochs: 9\n"
PLAN = {"strategy": "random", "trials": 8, "workers": 2, "seed": 3}


class Recorder:
    """Calls the API in this process and remembers what was answered."""

    def __init__(self, engine: Engine) -> None:
        self._client = create_app(engine).test_client()
        self.answers: dict[str, Any] = {}

    def call(self, method: str, path: str, body: Any = None, **more: Any) -> Any:
        answer = self._client.open(f"/api/v1{path}", method=method, json=body, headers={"Host": "127.0.0.1:8420"}, **more)
        assert answer.status_code < 300 or answer.status_code in (400, 422), answer.get_data(as_text=True)
        return answer.get_json()

    def record(self, path: str, body: Any = None, name: str = "") -> Any:
        """An answer under `METHOD path`, or under a name where the body makes the difference."""
        found = self.call("GET" if body is None else "POST", path, body)
        self.answers[name or f"{'GET' if body is None else 'POST'} /api/v1{path}"] = rounded(found)
        return found


def rounded(value: Any) -> Any:
    """Without digits that nobody looks at."""
    if isinstance(value, float):
        return float(f"{value:.{DIGITS}g}") if abs(value) < 1e8 else round(value, 2)  # moments keep their fractions
    if isinstance(value, dict):
        return {key: rounded(v) for key, v in value.items()}
    return [rounded(v) for v in value] if isinstance(value, list) else value


def told(workspace: Workspace) -> list[dict[str, Any]]:
    """Every entry of the ledger, as the event stream tells it."""
    batches = takewhile(lambda batch: batch is not None, stream(workspace, 0, None, lambda: False))
    return [entry for batch in batches if batch for entry in json.loads(batch[1])]


def record(engine: Engine) -> dict[str, Any]:
    recorder = Recorder(engine)
    text = "".join((FOLDER / "warm_arrivals.csv").read_text("utf-8").splitlines(keepends=True)[: ROWS + 1])
    sent: dict[str, Any] = {"data": text.encode(), "content_type": "text/csv"}
    data = recorder.call("POST", "/data?name=warm_arrivals.csv", **sent)["hash"]
    brief = {
        "data": data, "target": "arrived_warm", "name": "Warm arrivals", "metric": "average precision", "folds": "4 stratified",
        "holdout": "20 %", "seed": 7, "ignore": ["unit_id", "departed_on"], "recorded": ["ROC AUC"],
    }  # fmt: skip
    problem = f"/problems/{recorder.call('POST', '/problems', brief)['id']}"
    tree = {"learner": "tree", "space": SPACE, "plan": PLAN}
    network = {
        "learner": "network", "space": NETWORK,
        "plan": {**PLAN, "trials": 9, "early stopping": "asynchronous halving", "stopping": {"least": 1}},
    }  # fmt: skip
    searches = []
    for request in (tree, network):
        searches.append(recorder.call("POST", f"{problem}/searches", request)["id"])
        assert engine.join(searches[-1], 120)
    for path in (
        "/workspace", "/catalogue", "/problems", "/data", f"/data/{data}", problem, f"{problem}/split", f"{problem}/findings",
        f"{problem}/baselines", f"{problem}/searches", "/decisions", f"{problem}/holdout", "/learners?key=tree&task=binary",
        "/learners?key=network&task=binary", "/clusters",
    ):  # fmt: skip
        recorder.record(path)
    for search in searches:
        for part in ("", "/points", "/lanes", "/waiting", "/curves", "/trials?limit=100"):
            recorder.record(f"/searches/{search}{part}")
    best = recorder.record(f"{problem}/finalists")["finalists"][0]["trial"]["id"]
    for path in (f"/trials/{best}", f"/trials/{best}/diagnostics"):
        recorder.record(path)
    recorder.record("/briefs/preview", brief)
    recorder.record("/briefs/preview", {**brief, "folds": "1"}, "refused brief")
    recorder.record("/spaces/check", {"learner": "tree", "task": "binary", "text": SPACE}, "checked space")
    recorder.record("/spaces/check", {"learner": "tree", "task": "binary", "text": "depth: 2 .. \n"}, "refused space")
    recorder.record(f"{problem}/forecast", tree)
    recorder.record(f"{problem}/forecast", {**tree, "plan": {**PLAN, "trials": 0}}, "refused plan")
    chosen = {"trial_id": best, "rule": "highest mean", "reason": "Best by far.", "signer": "Ada"}
    signed = recorder.record(f"{problem}/decisions", chosen, "signed decision")
    recorder.record(f"/decisions/{signed['id']}")
    recorder.record("/decisions", name="decisions after signing")
    engine.analyst.finish(60)  # the ledger tells of the model too, however busy the machine is
    recorder.answers["ledger"] = rounded(told(engine.workspace))
    return recorder.answers


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        engine = Engine(Workspace(Path(folder)))
        try:
            answers = record(engine)
        finally:
            engine.close()
            engine.workspace.close()
    lines = [f"{json.dumps(key)}: {json.dumps(answers[key], ensure_ascii=False)}" for key in sorted(answers)]
    FILE.write_text("{\n" + ",\n".join(lines) + "\n}\n", "utf-8")  # an answer a line: changes can be read
    print(f"{FILE.name}: {len(answers)} answers, {FILE.stat().st_size / 1e3:.0f} kB")


if __name__ == "__main__":
    main()
