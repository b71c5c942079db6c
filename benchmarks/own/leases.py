"""An outside loop's round trip, from lease to outcome, with many holders at a real server."""

from __future__ import annotations

import statistics
import tempfile
import threading
import time
from pathlib import Path

from tests.serving import Server

HOLDERS, EACH = 50, 20


def run() -> list[str]:
    with tempfile.TemporaryDirectory() as name, Server(Path(name) / "w") as server:
        brief = {"outside": True, "judged by": {"score": "score"}}
        _, problem = server.call("POST", "/api/v1/own-code/problems", {"brief": brief, "space": "x: 0 .. 1"})
        plan = {"strategy": "random", "trials": HOLDERS * EACH * 2, "workers": HOLDERS}
        _, search = server.call("POST", f"/api/v1/problems/{problem['id']}/searches", {"space": "x: 0 .. 1", "plan": plan})
        took: list[float] = []

        def hold(number: int) -> None:
            for _ in range(EACH):
                begun = time.perf_counter()
                _, found = server.call("POST", f"/api/v1/searches/{search['id']}/leases", {"holder": str(number), "wait": 5})
                for lease in found["fits"]:
                    server.call("PUT", f"/api/v1/leases/{lease['id']}/outcome", {"score": lease["settings"]["x"]})
                    took.append(time.perf_counter() - begun)
                time.sleep(0.25)  # they train; nobody asks all the time

        threads = [threading.Thread(target=hold, args=(number,)) for number in range(HOLDERS)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
    slow = statistics.quantiles(took, n=20)[-1]
    return [
        f"{HOLDERS} holders, each of which trains for 0.25 s in between: lease and outcome together take **{1000 * statistics.median(took):.1f} ms** at the median "
        f"(wanted: under 10), {1000 * slow:.1f} ms at the 95th percentile; {len(took):,} fits."
    ]
