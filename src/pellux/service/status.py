"""How the workspace is doing, for the top bar and for operators."""

from __future__ import annotations

from sqlalchemy import func, select

from pellux import __version__
from pellux.service.engine_room import EngineRoom
from pellux.service.launching import default_workers
from pellux.service.views import WorkspaceView
from pellux.store import recording
from pellux.store.models import Fit, Search, Trial

WINDOW = 60.0


def workspace_view(room: EngineRoom) -> WorkspaceView:
    since = room.workspace.clock() - WINDOW
    with room.workspace.database.read() as session:
        running = session.execute(select(Search.id, Search.workers, Search.created_at).where(Search.state == "running")).all()
        ids = [row.id for row in running]
        busy = session.scalar(select(func.count()).where(Fit.search_id.in_(ids), Fit.state == "running")) or 0
        recent = session.scalar(select(func.count()).where(Fit.search_id.in_(ids), Fit.ended_at > since, Fit.state == "done"))
    seconds = min(WINDOW, max((room.workspace.clock() - min(r.created_at for r in running)) if running else WINDOW, 1.0))
    return WorkspaceView(
        version=__version__, name=room.workspace.folder.name, cores=default_workers(), busy_workers=busy,
        workers=sum(row.workers for row in running), fits_per_minute=round((recent or 0) * 60 / seconds, 1), running=ids,
    )  # fmt: skip


def open_metrics(room: EngineRoom) -> str:
    """OpenMetrics 1.0 text."""
    with room.workspace.database.read() as session:
        searches = session.execute(select(Search.state, func.count()).group_by(Search.state)).all()
        trials = session.execute(select(Trial.state, func.count()).group_by(Trial.state)).all()
        fits = session.execute(select(Fit.state, func.count()).group_by(Fit.state)).all()
        newest = recording.newest_entry(session)
    lines = []
    for name, help_text, rows in (
        ("searches", "Searches by state.", searches),
        ("trials", "Trials by state.", trials),
        ("fits", "Fits by state.", fits),
    ):
        lines += [f"# TYPE pellux_{name} gauge", f"# HELP pellux_{name} {help_text}"]
        lines += [f'pellux_{name}{{state="{state}"}} {count}' for state, count in rows]
    lines += ["# TYPE pellux_ledger_entries counter", "# HELP pellux_ledger_entries Entries of the ledger."]
    lines += [f"pellux_ledger_entries_total {newest}", "# EOF"]
    return "\n".join(lines) + "\n"
