"""The machines of a cluster: what each has, what of it is taken, and where a seat goes. Pure."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field

# Of these another release may give other scores, or cannot read what is sent: compared to the minor version.
TO_THE_MINOR = ("python", "numpy", "scipy", "scikit-learn", "lightgbm", "xgboost-cpu", "cloudpickle")
EXACT = ("pellux", "distributed")
LOOKED_AT = "it is looked at"  # the trouble of one that has just joined


@dataclass(frozen=True)
class Demand:
    """What one fit holds of a machine while it runs. Memory of 0 is no demand: it gets an even share."""

    cores: int = 1
    devices: int = 0
    memory_mb: int = 0


@dataclass(frozen=True)
class Place:
    """A seat's part of a machine."""

    machine: str
    cores: int
    devices: tuple[str, ...]
    memory_mb: int


@dataclass
class Machine:
    """A worker of the engine, as far as it was looked at.

    Attributes
    ----------
    address : str
        Its address in the engine, by which it is told apart.
    label : str
        What people call it.
    threads, memory_mb : int
        What the engine may use of it.
    trouble : str
        Why it gets no seats; empty where it may. One that passes holds until `until`, by the clock of whoever asks.
    sent_bytes : int
        What went to it of data and code.
    """

    address: str
    label: str
    threads: int
    memory_mb: int
    devices: tuple[str, ...] = ()
    versions: Mapping[str, str] = field(default_factory=dict)
    host: str = ""
    name: str = ""
    trouble: str = LOOKED_AT
    until: float = float("inf")
    failures: int = 0
    sent_bytes: int = 0
    last_seen: float = 0.0  # by the engine's clock, which need not be ours,
    heard: float = 0.0  # and when that was another time than before, by the clock of whoever asks
    taken: list[Place] = field(default_factory=list)

    def usable(self, now: float) -> bool:
        return not self.trouble or (now >= self.until and bool(self.versions))  # one that was never looked at is looked at first

    def hear(self, last_seen: float, now: float) -> None:
        """What the engine says of when it heard of it last."""
        if last_seen != self.last_seen:
            self.last_seen, self.heard = last_seen, now

    def fail(self, why: str, now: float) -> None:
        """It did not keep a seat: none goes there for a while, each time for longer. Of several seats that go at once the first counts."""
        if self.trouble and now < self.until:
            return
        self.failures += 1
        self.trouble, self.until = why, now + min(5.0 * 2 ** (self.failures - 1), 60.0)

    def proved(self) -> None:
        self.trouble, self.failures = "", 0

    def seats(self, demand: Demand) -> int:
        """How many fits of this kind it could hold if it were empty."""
        most = self.threads // max(demand.cores, 1)
        if demand.devices:
            most = min(most, len(self.devices) // demand.devices)
        if demand.memory_mb:
            most = min(most, self.memory_mb // demand.memory_mb)
        return most

    def fitting(self, demand: Demand) -> Place | None:
        """A free part of it; None where too little is free."""
        free = [device for device in self.devices if all(device not in place.devices for place in self.taken)]
        if sum(place.cores for place in self.taken) + demand.cores > self.threads or len(free) < demand.devices:
            return None
        if demand.memory_mb and sum(place.memory_mb for place in self.taken) + demand.memory_mb > self.memory_mb:
            return None
        return Place(self.address, demand.cores, tuple(free[: demand.devices]), demand.memory_mb)


def emptiest(machines: Iterable[Machine], demand: Demand, now: float) -> Place | None:
    """Where the next seat goes: the machine of which the smallest share is taken, so that work is spread."""
    best: tuple[float, str, Place] | None = None
    for machine in machines:
        place = machine.fitting(demand) if machine.usable(now) else None
        if place is not None:
            share = sum(one.cores for one in machine.taken) / machine.threads
            if best is None or (share, machine.address) < best[:2]:
                best = (share, machine.address, place)
    return None if best is None else best[2]


def capacity(machines: Iterable[Machine], demand: Demand, now: float) -> int:
    """How many fits of this kind all usable machines could hold if they were empty."""
    return sum(machine.seats(demand) for machine in machines if machine.usable(now))


def unmet(machines: Iterable[Machine], demand: Demand) -> str:
    """Why no machine could hold such a fit even if it were empty; empty when one can."""
    known = list(machines)
    if any(machine.seats(demand) for machine in known):
        return ""
    if not known:
        return "no machine has joined it"
    most = {
        "cores": (demand.cores, max(m.threads for m in known)),
        "devices": (demand.devices, max(len(m.devices) for m in known)),
        "MB of memory": (demand.memory_mb, max(m.memory_mb for m in known)),
    }
    short = [
        f"a fit holds {wanted} {what}, and no machine has more than {there}"
        for what, (wanted, there) in most.items()
        if wanted > there
    ]
    return "; ".join(short) or "no machine has all that a fit holds at once"


def differences(ours: Mapping[str, str], theirs: Mapping[str, str]) -> list[str]:
    """Versions that keep a machine from giving the same scores as this one, with both sides' numbers."""
    found = []
    for name in (*EXACT, *TO_THE_MINOR):
        mine = ours.get(name)
        if mine is None:  # nothing here can ask for it
            continue
        other = theirs.get(name, "")
        exact = name in EXACT
        if not other or (mine != other if exact else _minor(mine) != _minor(other)):
            found.append(f"{name} {mine} here, {other or 'none'} there")
    return found


def _minor(version: str) -> list[str]:
    return version.split(".")[:2]
