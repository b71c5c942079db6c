"""An outside loop's round trip, from lease to outcome, with many holders at a real server."""

from __future__ import annotations

import http.client
import json
import statistics
import tempfile
import threading
import time
from pathlib import Path
from typing import Any

from tests.serving import Server

HOLDERS, EACH, THINKS = 50, 20, 2.0


def run() -> list[str]:
    with tempfile.TemporaryDirectory() as name, Server(Path(name) / "w") as server:
        brief = {"outside": True, "judged by": {"score": "score"}}
        _, problem = server.call("POST", "/api/v1/own-code/problems", {"brief": brief, "space": "x: 0 .. 1"})
        plan = {"strategy": "random", "trials": HOLDERS * EACH * 2, "workers": HOLDERS}
        _, search = server.call("POST", f"/api/v1/problems/{problem['id']}/searches", {"space": "x: 0 .. 1", "plan": plan})
        took: list[float] = []
        leases = f"/api/v1/searches/{search['id']}/leases"

        def hold(number: int) -> None:
            connection = http.client.HTTPConnection("127.0.0.1", server.port, timeout=60)  # kept open, as clients do

            def ask(method: str, path: str, body: object) -> Any:
                connection.request(method, path, json.dumps(body), {"Content-Type": "application/json"})
                answer = connection.getresponse()
                found = answer.read()
                assert answer.status < 300, found
                return json.loads(found) if found else None

            time.sleep(THINKS * number / HOLDERS)
            for _ in range(EACH):
                begun = time.perf_counter()
                for lease in ask("POST", leases, {"holder": str(number), "wait": 5})["fits"]:
                    ask("PUT", f"/api/v1/leases/{lease['id']}/outcome", {"score": lease["settings"]["x"]})
                    took.append(time.perf_counter() - begun)
                time.sleep(THINKS)

        threads = [threading.Thread(target=hold, args=(number,)) for number in range(HOLDERS)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
    slow = statistics.quantiles(took, n=20)[-1]
    return [
        f"{HOLDERS} holders, each of which trains for {THINKS:g} s in between: lease and outcome together take **{1000 * statistics.median(took):.1f} ms** at the median "
        f"(wanted: under 10), {1000 * slow:.1f} ms at the 95th percentile; {len(took):,} fits."
    ]
