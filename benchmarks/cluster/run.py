"""`make bench-cluster`: what a cluster costs beside local workers, and what many machines cost the server."""

from __future__ import annotations

import os
import time
from datetime import date


def main() -> None:
    os.environ.update(OMP_NUM_THREADS="1", OPENBLAS_NUM_THREADS="1")
    from benchmarks import crowds
    from benchmarks.cluster import beside_local, folds_first, many_seats, sending
    from benchmarks.document import put

    begun = time.monotonic()
    text = [
        "## More than one machine", "",
        f"Written by `make bench-cluster` on {date.today().isoformat()}, in one run on {os.cpu_count()} shared cores: real schedulers, workers and seats.", "",
        "### Beside local workers", "", *beside_local.run(),
        "### What is sent", "", *sending.run(),
        "### Many seats", "", *many_seats.run(),
        "### Ten thousand workers on the virtual clock", "", *crowds.run(),
        "### Folds before trials", "", *folds_first.run(),
    ]  # fmt: skip
    put("cluster", [*text, f"The whole run took {(time.monotonic() - begun) / 60:.0f} minutes."])


if __name__ == "__main__":
    main()
