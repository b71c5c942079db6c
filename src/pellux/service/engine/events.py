"""The ledger as a stream: batches of entries, oldest first, without a gap."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterator

from pellux.service.workspace import Workspace
from pellux.store import ledger
from pellux.store.ledger import LedgerEntry

BATCH = 500
HEARTBEAT = 5.0


def stream(
    workspace: Workspace, after: int | None, search_id: int | None, ended: Callable[[], bool]
) -> Iterator[tuple[int, str] | None]:
    """Yield (id of the batch's last entry, JSON array of entries); None is a heartbeat.

    Without `after`, the stream begins with what comes next. It closes when `ended` says so.
    """
    if after is None:
        with workspace.database.read() as session:
            after = ledger.newest(session)
    seen = after
    while not ended():
        with workspace.database.read() as session:
            newest = ledger.newest(session)
            entries = ledger.after(session, after, search_id, BATCH)
        if entries:
            after = entries[-1][0]
            yield after, "[" + ",".join(_entry(*entry) for entry in entries) + "]"
            if len(entries) == BATCH:
                continue
        seen = max(seen, newest, after)
        if not workspace.hub.wait(seen, HEARTBEAT):
            yield None


def _entry(id: int, at: float, kind: str, search_id: int | None, payload: str) -> str:
    head = json.dumps({"id": id, "at": at, "kind": kind, "search_id": search_id})
    return f'{head[:-1]}, "data": {payload}}}'


__all__ = ["LedgerEntry", "stream"]
