"""The engine of a cluster: which machines it has, and seats that are put on them. One a scheduler, shared by all searches on it.

The engine places seats and tells who joined and who left. It re-runs nothing: a seat's task is bound to its machine, is never retried, and
its token lets it in once. When the scheduler is gone, it is looked for until it is there again.
"""

from __future__ import annotations

import asyncio
import contextlib
import logging
import secrets
import socket
import ssl
import threading
import time
from collections import Counter, defaultdict
from collections.abc import Callable, Iterator
from typing import Any

from pellux.core.errors import Conflict
from pellux.engine.cluster import inspecting
from pellux.engine.cluster import seat as seats
from pellux.engine.cluster.door import Door, Guest
from pellux.engine.cluster.inspecting import look
from pellux.engine.cluster.machines import LOOKED_AT, Demand, Machine, Place, capacity, differences, emptiest, unmet

log = logging.getLogger("pellux.cluster")
LOOK = 0.3  # seconds between two looks at who is there
CONNECT = 5.0
INSPECT = 20.0
SEEN = 10.0  # seconds since the engine last heard of a machine, past which a silent one stays in trouble
DEVICE = "GPU"  # what the engine's resources call devices


class Unreachable(Conflict):
    """No scheduler answers there, or not one that we can work with."""

    code = "cluster-unreachable"

    def __init__(self, message: str, address: str = "") -> None:
        super().__init__(message)
        self.address = address


class Cluster:
    """Connected from when it is made; Unreachable where that fails.

    Attributes
    ----------
    gone : bool
        Whether the scheduler is not there now.
    """

    def __init__(self, address: str, door: tuple[str, int] | None = None) -> None:
        self.address = address
        self.machines: dict[str, Machine] = {}
        # By address, for a machine that is out of sight for a while has not lost them: bytes, and places that seats have.
        self._sent: Counter[str] = Counter()
        self._taken: defaultdict[str, list[Place]] = defaultdict(list)
        self.gone = False
        self._tasks: dict[str, Any] = {}
        self._listeners: set[Callable[[], None]] = set()
        self._lock = threading.RLock()
        self._closing = threading.Event()
        self._ours: dict[str, str] = look()["versions"]
        self._client = _client(address)
        host, port = door or (_own_address(address), 0)
        try:
            self.door = Door(host, port, _listening(self._client.security) if address.startswith("tls://") else None)
        except OSError as error:
            _close(self._client)
            raise Unreachable(
                f"The door for machines cannot be opened at {host}:{port}: {error.strerror or error}.", address
            ) from None
        try:
            self._look()
        except Exception as error:  # the scheduler went just now
            self.door.close()
            _close(self._client)
            raise Unreachable(f"No scheduler can be worked with at {address}: {_why(error)}.", address) from None
        self._watcher = threading.Thread(target=self._watch, name="cluster-watch", daemon=True)
        self._watcher.start()

    def listen(self, changed: Callable[[], None]) -> None:
        """Call when machines, or what of them is free, have changed; by any thread."""
        self._listeners.add(changed)

    def unlisten(self, changed: Callable[[], None]) -> None:
        self._listeners.discard(changed)

    def known(self) -> list[Machine]:
        with self._lock:
            return sorted(self.machines.values(), key=lambda machine: (machine.label, machine.address))

    def capacity(self, demand: Demand) -> int:
        with self._lock:
            return capacity(self.machines.values(), demand, time.monotonic())

    def unmet(self, demand: Demand) -> str:
        with self._lock:
            refused = [m for m in self.machines.values() if m.trouble and m.until == float("inf")]
            why = unmet([m for m in self.machines.values() if m not in refused], demand)
            return why if not refused or not why else f"{why}. {refused[0].label}: {refused[0].trouble}"

    def looked(self, enough: Demand | None = None) -> None:
        """Wait until every machine that is there was looked at, or there is room for one fit if that is enough."""
        until = time.monotonic() + INSPECT
        while time.monotonic() < until and any(machine.trouble == LOOKED_AT for machine in self.known()):
            if enough is not None and self.capacity(enough):
                return
            time.sleep(0.02)

    def take(self, demand: Demand) -> Place | None:
        """A place for a seat; None when none is free."""
        with self._lock:
            place = None if self.gone else emptiest(self.machines.values(), demand, time.monotonic())
            if place is not None:
                self.machines[place.machine].taken.append(place)
            return place

    def give(self, place: Place) -> None:
        with self._lock:
            if place in self._taken[place.machine]:
                self._taken[place.machine].remove(place)
        self._tell()

    def seat(self, place: Place, guest: Guest, ended: Callable[[str], None]) -> str:
        """Put a seat on its place, for `guest`; its token. `ended` is called with how its task ended, if it does before it came."""
        token = secrets.token_hex(32)
        self.door.expect(token, guest)
        door = seats.Door(self.door.host, self.door.port, token)
        future = self._client.submit(
            seats.run_seat,
            door,
            key=f"pellux-seat-{token[:16]}",
            workers=[place.machine],
            allow_other_workers=False,
            pure=False,
            retries=0,
        )
        self._tasks[token] = future  # one that nobody holds is dropped by the engine

        def done(future: Any) -> None:
            self._tasks.pop(token, None)
            ended(_said(future))

        future.add_done_callback(done)
        return token

    def unseat(self, token: str) -> None:
        """A seat that did not come is not waited for: its task does not begin any more, where others would wait for it to end."""
        self.door.forget(token)
        future = self._tasks.pop(token, None)
        if future is not None:
            future.release()

    def machine(self, place: Place) -> Machine | None:
        return self.machines.get(place.machine)

    def count(self, place: Place, size: int) -> None:
        """That so many bytes of data and code went there."""
        with self._lock:
            self._sent[place.machine] += size
            machine = self.machines.get(place.machine)
            if machine is not None:
                machine.sent_bytes = self._sent[place.machine]

    def failed(self, place: Place, why: str) -> None:
        """A machine did not keep a seat."""
        with self._lock:
            machine = self.machines.get(place.machine)
            if machine is not None:
                machine.fail(why, time.monotonic())

    def tidy(self, search: str) -> None:
        """A search is over: machines drop what they kept for it."""
        with contextlib.suppress(Exception):
            for address in list(self.machines):
                future = self._client.submit(
                    seats.tidy, search, workers=[address], pure=False, retries=0, key=f"pellux-tidy-{secrets.token_hex(8)}"
                )
                future.add_done_callback(lambda done: done.release())

    def close(self) -> None:
        self._closing.set()
        self._watcher.join(CONNECT + 1)
        self.door.close()
        _close(self._client)

    # Who is there

    def _watch(self) -> None:
        while not self._closing.wait(LOOK):
            try:
                if self._client.status != "running":
                    self._connect_again()
                else:
                    self._look()
            except Exception as error:  # the scheduler went while it was asked
                log.debug("A look at the cluster failed: %s", error)

    def _connect_again(self) -> None:
        if not self.gone:
            log.warning("The scheduler at %s is gone", self.address)
            with self._lock:
                self.gone = True
                self.machines.clear()
            self._tell()
            _close(self._client)
        try:
            client = _client(self.address, 2.0)
        except Unreachable:
            return
        self._client = client
        try:
            self._look()
        except Exception:  # gone again: closed, it is connected to anew
            _close(client)
            raise
        self.gone = False
        log.warning("The scheduler at %s is there again", self.address)
        self._tell()

    def _look(self) -> None:
        # Not by the client's `scheduler_info`: it hands out what the client's own look, which names nobody, may have overwritten meanwhile.
        workers: dict[str, dict[str, Any]] = self._client.sync(self._client.scheduler.identity, n_workers=-1)["workers"]
        with self._lock:
            left = [address for address in self.machines if address not in workers]
            for address in left:
                del self.machines[address]
            came = [address for address in workers if address not in self.machines]
            for address in came:
                self.machines[address] = _machine(address, workers[address])
                self.machines[address].sent_bytes, self.machines[address].taken = self._sent[address], self._taken[address]
            now = time.monotonic()
            for address, machine in self.machines.items():
                machine.hear(workers[address].get("last_seen", 0.0), now)
            recovered = self._recover(now)
            again = [machine for machine in self.machines.values() if not machine.versions and now >= machine.until]
            for machine in again:
                machine.trouble, machine.until = LOOKED_AT, float("inf")
            came += [machine.address for machine in again]
        if came:
            threading.Thread(target=self._inspect, args=(came,), daemon=True).start()
        if left or recovered:
            self._tell()

    def _recover(self, now: float) -> bool:
        """Machines whose trouble has passed may be used again; those of which the engine hears nothing wait longer."""
        changed = False
        for machine in self.machines.values():
            if machine.trouble and machine.usable(now):
                if now - machine.heard > SEEN:
                    machine.until = now + SEEN
                else:
                    machine.trouble, changed = "", True
        return changed

    def _inspect(self, addresses: list[str]) -> None:
        """Each by itself, so that one that does not answer holds up no other; that one is asked again."""

        async def one(address: str) -> None:
            try:
                found = await self._ask(look, address)
            except TimeoutError:
                found = "it does not answer"
            except Exception as error:  # the connection broke under the question, and may be there again before our next look
                found = error
            with self._lock:
                machine = self.machines.get(address)
                usable = machine is not None and self._take_in(machine, found)
                self._name()
            self._tell()
            if usable:
                await self._ask(inspecting.warm, address)

        async def all_of_them() -> None:
            await asyncio.gather(*map(one, addresses), return_exceptions=True)

        with contextlib.suppress(Exception):  # the scheduler went: all of it is done anew
            self._client.sync(all_of_them)

    async def _ask(self, what: Callable[[], Any], address: str) -> Any:
        """What a function says there, or how that failed; TimeoutError without an answer."""
        answers = await asyncio.wait_for(self._client._run(what, workers=[address], on_error="return"), INSPECT)
        return answers[address]

    def _take_in(self, machine: Machine, about: Any) -> bool:
        if not isinstance(about, dict):
            if not machine.versions:  # else another look has come through meanwhile
                machine.proved()  # each time it waits as short: to ask costs nothing
                machine.fail(f"it could not be looked at: {about}", time.monotonic())
            return False
        machine.versions, machine.host = about["versions"], about["host"]
        machine.memory_mb = min(machine.memory_mb, about["memory_mb"])
        named = tuple(name for name in str(about["devices"]).split(",") if name)
        if machine.devices and len(named) >= len(machine.devices):
            machine.devices = named[: len(machine.devices)]
        different = differences(self._ours, machine.versions)
        machine.trouble = f"other versions: {'; '.join(different)}" if different else ""
        return not different

    def _name(self) -> None:
        """As their operator named them, else by host names; with the address where several go by one name."""
        names = Counter(machine.name or machine.host for machine in self.machines.values())
        for machine in self.machines.values():
            name, where = machine.name or machine.host or "machine", machine.address.rpartition("//")[2]
            machine.label = name if names[name] == 1 else f"{name} at {where}"

    def _tell(self) -> None:
        for changed in list(self._listeners):
            changed()


def _machine(address: str, told: dict[str, Any]) -> Machine:
    devices = int(told.get("resources", {}).get(DEVICE, 0))
    memory = int((told.get("memory_limit") or 2**60) // 2**20)  # without a limit all that the machine turns out to have
    told_name = str(told.get("name") or "")
    name = "" if "://" in told_name or told_name.isdigit() else told_name  # else the engine's own numbering
    return Machine(address, name or address, int(told.get("nthreads", 1)), memory, tuple(str(n) for n in range(devices)), name=name)


def _client(address: str, seconds: float = CONNECT) -> Any:
    """The engine's client; its complaints are ours to tell."""
    try:
        from distributed import Client, Security
    except ImportError:
        raise Unreachable("The cluster engine is not installed here: pip install 'pellux[cluster]'.", address) from None
    for name in ("distributed", "distributed.client", "distributed.core", "distributed.comm"):
        logging.getLogger(name).setLevel(logging.CRITICAL)
    import cloudpickle

    with contextlib.suppress(ValueError):
        cloudpickle.register_pickle_by_value(inspecting)
    if not address.startswith(("tcp://", "tls://")):
        raise Unreachable(f"'{address}' is no address of a scheduler: write tcp://HOST:8786, or tls://HOST:8786.", address)
    if address.startswith("tls://") and not Security().tls_client_cert:
        raise Unreachable(
            f"No certificates are configured for {address}: distributed.comm.tls in the engine's own configuration names them.",
            address,
        )
    try:
        socket.create_connection(_host_and_port(address), seconds).close()  # the engine would try in vain for all of its time
        return Client(address, timeout=seconds, set_as_default=False, name="pellux", direct_to_workers=False)
    except (OSError, TimeoutError, ValueError, TypeError, RuntimeError) as error:
        raise Unreachable(f"No scheduler can be worked with at {address}: {_why(error)}.", address) from None


def _why(error: BaseException) -> str:
    """The cause that says something: the engine wraps it in several others."""
    told: BaseException | None = error
    while told is not None:
        if isinstance(told, ssl.SSLError):
            return f"the connection is not trusted ({told.reason or told})"
        if isinstance(told, TypeError | ValueError | RuntimeError):
            return str(told).splitlines()[0].rstrip(".") or type(told).__name__
        told = told.__cause__ or told.__context__
    return "nothing answers there"


def _close(client: Any) -> None:
    with contextlib.suppress(Exception):
        client.close(timeout=1)


def _host_and_port(address: str) -> tuple[str, int]:
    """Of a scheduler's address, whose usual port may be left out."""
    place = address.partition("://")[2]
    host, _, port = place.rpartition(":")
    found = (host, int(port)) if port.isdigit() else (place, 8786)
    return found[0].strip("[]"), found[1]


def _own_address(address: str) -> str:
    """The address of this machine on the way to a scheduler."""
    host, port = _host_and_port(address)
    try:
        with socket.socket(socket.AF_INET6 if ":" in host else socket.AF_INET, socket.SOCK_DGRAM) as probe:
            probe.connect((host, port))
            return str(probe.getsockname()[0])
    except OSError:
        return "127.0.0.1"


def _listening(security: Any) -> ssl.SSLContext:
    """The engine's own certificates, on the side that is called: machines show theirs too."""
    told = security.get_tls_config_for_role("client")
    context = ssl.create_default_context(ssl.Purpose.CLIENT_AUTH, cafile=told["ca_file"])
    context.load_cert_chain(told["cert"], told["key"])
    context.verify_mode = ssl.CERT_REQUIRED
    return context


def _said(done: Any) -> str:
    """How a seat's task ended."""
    with contextlib.suppress(Exception):
        if done.status == "finished":
            return str(done.result(timeout=1))
        if done.status == "error":
            return f"its task ended by an error: {done.exception(timeout=1)}"
    return "its task was dropped by the engine"


@contextlib.contextmanager
def connected(address: str) -> Iterator[Cluster]:
    """For a look: closed again at the end."""
    cluster = Cluster(address)
    try:
        yield cluster
    finally:
        cluster.close()
