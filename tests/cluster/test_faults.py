"""Certificates, and a machine whose disk is full."""

from __future__ import annotations

import subprocess
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import dask
import distributed
import pytest

from pellux.engine.artifacts import FileArtifacts
from pellux.engine.cluster.connection import Cluster, Unreachable
from pellux.engine.cluster.left_here import LeftHere
from pellux.engine.cluster.machine_files import Damaged, MachineFiles
from pellux.engine.cluster.machines import Demand
from pellux.engine.cluster.manifest import listed
from pellux.engine.cluster.travel import ServerSide, UnderWay
from pellux.engine.cluster.wire import PIECE, Listed, Offer, Want
from pellux.engine.messages import WorkerReady
from pellux.engine.runners.cluster import ClusterRunner
from pellux.engine.worker import Assignment
from tests.cluster.standing import Standing
from tests.cluster.test_runner import runner_on
from tests.engine.conformance import Bench, order
from tests.two_numbers import Source
from tests.waiting import until

assert distributed.__version__  # its settings are known from here on
ROLES = ("scheduler", "worker", "client")


def certificates(folder: Path, name: str) -> dict[str, str]:
    """A certificate authority and one certificate of it for every role, as the engine's configuration names them."""
    key, cert = folder / f"{name}.key", folder / f"{name}.pem"
    subprocess.run(
        ["openssl", "req", "-x509", "-newkey", "rsa:2048", "-nodes", "-days", "2", "-subj", f"/CN={name}", "-keyout", str(key), "-out", str(cert)],
        check=True, capture_output=True,
    )  # fmt: skip
    found = {"distributed.comm.tls.ca-file": str(cert), "distributed.comm.require-encryption": "True"}
    for role in ROLES:
        found |= {f"distributed.comm.tls.{role}.cert": str(cert), f"distributed.comm.tls.{role}.key": str(key)}
    return found


def as_environment(settings: dict[str, str]) -> dict[str, str]:
    return {f"DASK_{key.upper().replace('.', '__').replace('-', '_')}": value for key, value in settings.items()}


@pytest.mark.slow
def test_everything_between_server_and_machines_is_encrypted_by_the_engines_own_certificates(tmp_path: Path) -> None:
    ours, others = certificates(tmp_path, "ours"), certificates(tmp_path, "others")
    standing = Standing(tmp_path, environment=as_environment(ours), scheme="tls")
    standing.schedule()
    standing.join("one", cores=1)
    try:
        with dask.config.set(ours):
            cluster = standing.connected(1)
            runner = runner_on(cluster, tmp_path)
            bench = Bench(runner, lambda worker: None)
            bench.ready()
            runner.start(order(1))
            assert bench.ended(1)[-1].outcome.score is not None
            _refuses_what_is_not_encrypted(cluster)
            runner.close()
            cluster.close()
        with dask.config.set(others), pytest.raises(Unreachable, match="is not trusted|nothing answers"):
            Cluster(standing.address)
        with pytest.raises(Unreachable):
            Cluster(standing.address.replace("tls://", "tcp://"))
    finally:
        standing.close()


def _refuses_what_is_not_encrypted(cluster: Cluster) -> None:
    import socket

    with socket.create_connection((cluster.door.host, cluster.door.port), 5) as plain:
        plain.sendall(b"\0\0\0\2{}")
        heard = b""
        while part := plain.recv(100):
            heard += part
    assert b"pellux" not in heard


@pytest.mark.slow
def test_a_machine_without_room_gets_nothing_and_another_does_its_fits(tmp_path: Path) -> None:
    small = tmp_path / "small"
    small.mkdir()
    if subprocess.run(
        ["mount", "-t", "tmpfs", "-o", "size=256k", "tmpfs", str(small)], check=False, capture_output=True
    ).returncode:
        pytest.skip("a small disk cannot be made here")
    standing = Standing(tmp_path)
    try:
        standing.schedule()
        standing.join("full", cores=1, PELLUX_MACHINE_FOLDER=str(small))
        cluster = standing.connected(1)
        large = tmp_path / "large.bin"
        large.write_bytes(b"x" * 2**20)
        assignment = Assignment(WithFile(str(large)), FileArtifacts(tmp_path / "kept", tmp_path / "fits"), tmp_path / "worker")
        runner = ClusterRunner(assignment, cluster, "full", Demand())
        runner.hire(0, 0)
        # A machine that is slow to answer for a moment is not listed then.
        until(lambda: not runner.wait(0.1) and [m.trouble for m in cluster.known()] == ["disk full"], what="the trouble")
        assert runner.lanes()[0].waits == "full: disk full"
        standing.join("roomy", cores=1)
        Bench(runner, lambda worker: None).until(lambda r: r == WorkerReady(0))
        assert runner.lanes()[0].machine == "roomy"
        runner.close()
        cluster.close()
    finally:
        standing.close()
        subprocess.run(["umount", "-l", str(small)], check=False, capture_output=True)


class WithFile(Source):
    """An evaluator that opens a file."""

    def __init__(self, path: str) -> None:
        super().__init__()
        object.__setattr__(self, "path", path)

    def files(self) -> dict[str, str]:
        return {"large.bin": self.path}  # type: ignore[attr-defined]


@pytest.fixture
def sent(tmp_path: Path) -> tuple[Path, tuple[Listed, ...], ServerSide]:
    path = tmp_path / "table.npy"
    path.write_bytes(bytes(range(256)) * (3 * PIECE // 256) + b"the end")
    files = {"table/table.npy": str(path)}
    return path, listed(files), ServerSide(FileArtifacts(tmp_path / "kept", tmp_path / "fits"), files)


def test_a_content_that_broke_off_goes_on_where_it_ended_and_comes_once(sent: Any, tmp_path: Path) -> None:
    path, files, server = sent
    asked: list[int] = []

    def pieces(what: Listed | Offer, at: int, most: int = 99) -> Iterator[bytes]:
        for _ in range(most):
            asked.append(at)
            piece = server.piece(Want(what, at), UnderWay())
            yield piece.content
            at += PIECE
            if piece.last:
                return
        raise ConnectionError

    root = tmp_path / "machine"
    with pytest.raises(ConnectionError):
        MachineFiles(root).lay_down("a", files, lambda what, at: pieces(what, at, 2))
    place = MachineFiles(root).lay_down("a", files, pieces)
    assert asked == [0, PIECE, 2 * PIECE, 3 * PIECE], "no piece came twice"
    assert (place / "files" / "table" / "table.npy").read_bytes() == path.read_bytes()
    MachineFiles(root).lay_down("b", files, pieces)
    assert len(asked) == 4, "another search of this data needs nothing"
    (kept,) = [one for one in (root / "contents").iterdir() if one.stat().st_size == path.stat().st_size]
    kept.chmod(0o600)
    kept.write_bytes(b"rotten" + kept.read_bytes()[6:])
    MachineFiles(root).lay_down("c", files, pieces)
    assert len(asked) == 8, "what does not match its hash any more is fetched anew"
    with pytest.raises(Damaged):
        MachineFiles(tmp_path / "other").lay_down("a", files, lambda what, at: iter([b"something else"]))


def test_what_a_server_that_was_started_again_has_is_brought_and_what_is_gone_is_done_without(tmp_path: Path) -> None:
    kept = FileArtifacts(tmp_path / "kept", tmp_path / "fits")
    kept.put(3, 0, "checkpoint", b"so far")
    server = ServerSide(kept, {})
    offers = server.offers(order(3, fold=0))
    assert {offer.name for offer in offers} == {"checkpoint", ""}, "whether there is a folder shows when it is asked for"

    class Server:
        def fetch(self, what: Any, at: int) -> Iterator[bytes]:
            under_way = UnderWay()
            piece = server.piece(Want(what, at), under_way)
            under_way.close()
            if piece.content is None:
                raise Damaged
            yield piece.content

    here = FileArtifacts(tmp_path / "here", tmp_path / "here-fits")
    machine: Any = LeftHere(here, tmp_path / "versions", Server())  # type: ignore[arg-type]
    machine.bring(offers)
    assert here.get(3, 0, "checkpoint") == b"so far"
    kept.forget(3)
    other: Any = LeftHere(FileArtifacts(tmp_path / "other", tmp_path / "of"), tmp_path / "v", Server())  # type: ignore[arg-type]
    other.bring(offers)  # begins anew, and the machine is not to blame


def test_nothing_from_a_machine_lands_outside_of_its_fits_folder(tmp_path: Path) -> None:
    import io
    import tarfile

    from pellux.engine.cluster.travel import unpack_folder

    archive = io.BytesIO()
    with tarfile.open(fileobj=archive, mode="w") as tar:
        entry = tarfile.TarInfo("../outside.txt")
        entry.size = 4
        tar.addfile(entry, io.BytesIO(b"evil"))
    (tmp_path / "fit").mkdir()
    with pytest.raises(tarfile.FilterError):
        unpack_folder(io.BytesIO(archive.getvalue()), tmp_path / "fit")
    assert not (tmp_path / "outside.txt").exists()
