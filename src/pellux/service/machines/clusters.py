"""The clusters that a workspace may use: those that this user named here, in a plan, on the command line or on a screen.

A workspace can come from anywhere, and a cluster's machines are sent its data and are believed what they say. So which clusters it may
use is sealed with this user's key, outside of the workspace; a search on another one waits for a word of theirs.
"""

from __future__ import annotations

import threading
import time
from pathlib import Path

from pellux.core.errors import InvalidPlan, NotFound
from pellux.engine.cluster.connection import Cluster, Unreachable
from pellux.engine.cluster.machines import Demand
from pellux.objectives.sealed import mark
from pellux.service.trusting import NotTrusted

FILE = "clusters.txt"
PURPOSE = "cluster"
AGAIN = 10.0  # seconds until a cluster that was not there is tried again, unless a person asks


class Clusters:
    """Connections by the addresses of their schedulers: made when they are needed first, kept until `close`."""

    def __init__(self, folder: Path) -> None:
        self._file = folder / FILE
        self._open: dict[str, Cluster] = {}
        self._failed: dict[str, tuple[float, Unreachable]] = {}  # when it was not there, and why
        self._lock = threading.Lock()
        self.door: tuple[str, int] | None = None  # where machines reach this server, as its operator says
        self.preferred = ""  # the cluster that plans are offered first

    def known(self) -> list[str]:
        """Addresses that this user named."""
        try:
            lines = self._file.read_text("utf-8").splitlines()
        except OSError:
            return []
        found = [address for seal, _, address in (line.partition(" ") for line in lines) if seal == _seal(address)]
        return list(dict.fromkeys(found))

    def connect(self, address: str) -> Cluster:
        """A person names a cluster: its connection; Unreachable where there is none."""
        cluster = self._connection(address, anew=True)
        if address not in self.known():
            with self._lock, self._file.open("a", encoding="utf-8") as file:
                file.write(f"{_seal(address)} {address}\n")
        return cluster

    def get(self, address: str) -> Cluster:
        """The connection that a search of this workspace asks for; NotTrusted where nobody here has named its cluster."""
        if address not in self.known():
            raise NotTrusted(
                f"This workspace's search wants to run on the cluster at {address}, which you have not named here. "
                "Its machines would be sent the data: if that is meant, connect it on the home page."
            )
        return self._connection(address)

    def opened(self, address: str) -> Cluster | None:
        """The connection, if there is one."""
        return self._open.get(address)

    def forbid(self, address: str) -> None:
        """From now on no search of this workspace may begin on it; NotFound where it is not known."""
        kept = [one for one in self.known() if one != address]
        if len(kept) == len(self.known()):
            raise NotFound(f"No cluster at {address} is known here.")
        with self._lock:
            self._file.write_text("".join(f"{_seal(one)} {one}\n" for one in kept), "utf-8")

    def disconnect(self, address: str) -> None:
        """Nobody is on it any more."""
        with self._lock:
            cluster = self._open.pop(address, None)
        if cluster is not None:
            cluster.close()

    def check(self, address: str, demand: Demand, wanted: int | None) -> int:
        """How many workers a search of such fits gets there; InvalidPlan when it could never have one."""
        try:
            cluster = self.connect(address)
        except Unreachable as error:
            raise InvalidPlan(error.message, at="plan.runner.cluster") from None
        cluster.looked(enough=demand)
        why = cluster.unmet(demand)
        if why:
            raise InvalidPlan(f"The cluster at {address} cannot do these fits: {why}.", at="plan.runner.cluster")
        return wanted or max(cluster.capacity(demand), 1)

    def there(self, address: str) -> bool:
        """Whether a search that waits for a cluster can go on."""
        try:
            cluster = self.get(address)
        except (Unreachable, NotTrusted):
            return False
        return not cluster.gone and cluster.capacity(Demand()) > 0

    def close(self) -> None:
        with self._lock:
            open_now, self._open = list(self._open.values()), {}
        for cluster in open_now:
            cluster.close()

    def _connection(self, address: str, anew: bool = False) -> Cluster:
        with self._lock:
            if address in self._open:
                return self._open[address]
            failed = self._failed.get(address)
            if failed is not None and not anew and time.monotonic() - failed[0] < AGAIN:
                raise Unreachable(failed[1].message, address)
            try:
                self._open[address] = Cluster(address, self.door)
            except Unreachable as error:
                self._failed[address] = time.monotonic(), error
                raise
            return self._open[address]


def _seal(address: str) -> str:
    return mark(address.encode(), PURPOSE).hex()
