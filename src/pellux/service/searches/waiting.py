"""Where the workers of a search are, what those wait for that do nothing, and how many it can really use."""

from __future__ import annotations

import math

from pellux.core.strategies import STRATEGIES
from pellux.engine.coordinator import BUSY
from pellux.service.engine.engine import Engine
from pellux.service.searches.schemas import LaneView, WaitingView
from pellux.store import fits, problems, runs
from pellux.store.records import Fit, Search

WINDOW = 60.0  # seconds that are looked back
ENOUGH = 15.0  # seconds after which something can be said
LOOKED_AT = 4000  # fits
BUSY_SHARE, IDLE_SHARE = 0.9, 0.7

IDLE = {
    "paused": "the search is paused",
    "closing": "no further trial begins; the last fits come to their end",
    "thinking": "the strategy is thinking",
    "strategy waits": "the strategy waits for a trial to end",
    "rule waits": "early stopping lets no further trial begin before others have ended",
    BUSY: "",
}


def waiting_view(engine: Engine, search_id: int) -> WaitingView:
    workspace = engine.workspace
    with workspace.database.read() as session:
        search = runs.get_search(session, search_id)
        recent = fits.newest_begun(session, search_id, LOOKED_AT)
        folds = workspace.objective(problems.get_problem(session, search.problem_id)).judging.fits
    now = workspace.clock()
    since = max(now - WINDOW, min((fit.started_at for fit in recent if fit.started_at), default=now))
    seconds = now - since
    busy = mean_busy(recent, since, now) if seconds >= ENOUGH and search.state == "running" else None
    free = engine.runners.free_places(search_id)
    lanes = engine.runners.lanes(search_id)
    placed = sum(bool(at.machine) for at in lanes.values()) if lanes else search.workers  # the others wait for a place
    suggested = None if busy is None else useful_workers(busy, placed, search, folds, free)
    return WaitingView(
        lanes=[LaneView(lane=lane, machine=at.machine, waits=at.waits, devices=list(at.devices)) for lane, at in sorted(lanes.items())],
        idle=IDLE[engine.idle(search_id)], busy=None if busy is None else round(busy, 2), suggested=suggested,
        advice="" if busy is None or suggested is None else _advice(busy, suggested, placed),
    )  # fmt: skip


def mean_busy(recent: list[Fit], since: float, now: float) -> float:
    """How many workers fitted at once, on average."""
    used = 0.0
    for fit in recent:
        if fit.started_at is not None and (fit.ended_at is None or fit.ended_at > since):
            used += max(min(fit.ended_at or now, now) - max(fit.started_at, since), 0.0)
    return used / max(now - since, 1e-9)


def useful_workers(busy: float, placed: int, search: Search, folds: int, free: int) -> int | None:
    """How many workers a search can really use: fewer where some have nothing to do, more where all are busy and there is room.

    More trials at once than a tenth of all make a strategy that learns choose too many of them blindly.
    """
    if busy < IDLE_SHARE * placed:
        return max(math.ceil(busy / BUSY_SHARE), 1)
    if busy < BUSY_SHARE * placed or placed < search.workers or not free:
        return None
    known = STRATEGIES.get(search.strategy)
    trials = int(search.plan.get("trials", 1))
    most = folds * (max(trials // 10, 1) if known is not None and known.learns else trials)
    wanted = min(search.workers + free, max(most, 1))
    return wanted if wanted > search.workers else None


def _advice(busy: float, suggested: int, placed: int) -> str:
    many = f"{suggested} worker{'s' if suggested > 1 else ''}"
    if suggested < placed:
        return f"In the last minute {busy:.1f} of {placed} workers were busy on average: {many} would do as much."
    return f"All workers are busy, and there is room for more: {many} can be used without making the strategy blind."
