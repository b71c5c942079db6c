"""How the workspace is doing, for the top bar and for operators."""

from __future__ import annotations

from pellux.service.engine.engine import Engine
from pellux.service.engine.schemas import WorkspaceView
from pellux.service.machine import default_workers
from pellux.service.trust import untrusted
from pellux.store import counts, fits, ledger, runs
from pellux.version import __version__

WINDOW = 60.0


def workspace_view(engine: Engine, *, logged_in: bool = False) -> WorkspaceView:
    now = engine.workspace.clock()
    with engine.workspace.database.read() as session:
        running = runs.running(session)
        busy, recent = fits.busy_and_recent(session, [run.id for run in running], now - WINDOW)
    seconds = min(WINDOW, max((now - min(run.created_at for run in running)) if running else WINDOW, 1.0))
    return WorkspaceView(
        version=__version__, name=engine.workspace.folder.name, cores=default_workers(), busy_workers=busy,
        workers=sum(run.workers for run in running), fits_per_minute=round(recent * 60 / seconds, 1), running=[run.id for run in running],
        not_trusted=list(untrusted(engine.workspace).values()), logged_in=logged_in,
    )  # fmt: skip


def open_metrics(engine: Engine) -> str:
    """OpenMetrics 1.0 text."""
    with engine.workspace.database.read() as session:
        states = counts.by_state(session)
        newest = ledger.newest(session)
    lines = []
    for name, rows in states.items():
        lines += [f"# TYPE pellux_{name} gauge", f"# HELP pellux_{name} {name.capitalize()} by state."]
        lines += [f'pellux_{name}{{state="{state}"}} {count}' for state, count in rows.items()]
    lines += ["# TYPE pellux_ledger_entries counter", "# HELP pellux_ledger_entries Entries of the ledger."]
    lines += [f"pellux_ledger_entries_total {newest}", "# EOF"]
    return "\n".join(lines) + "\n"
