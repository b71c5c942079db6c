"""The live display of `pellux run`: one line that fills, and the outcome in words."""

from __future__ import annotations

from types import TracebackType

from rich.console import Console
from rich.progress import BarColumn, MofNCompleteColumn, TextColumn, TimeRemainingColumn
from rich.progress import Progress as Bar

from pellux.service.problems.schemas import BestView
from pellux.service.searches.schemas import SearchView


def duration(seconds: float) -> str:
    """Seconds as people say them: 0.42 s, 8 s, 4 min 10 s, 2 h 5 min."""
    if seconds < 1:
        return f"{seconds:.2g} s"
    whole = round(seconds)
    if whole < 60:
        return f"{whole} s"
    minutes, rest = divmod(whole, 60)
    if minutes < 60:
        return f"{minutes} min {rest} s" if rest else f"{minutes} min"
    return f"{minutes // 60} h {minutes % 60} min"


class Progress:
    """Shows a search while it runs; silent with `quiet`."""

    def __init__(self, *, quiet: bool, title: str) -> None:
        self._console = Console(stderr=True, quiet=quiet, highlight=False)
        self._bar = Bar(
            TextColumn("{task.description}"), BarColumn(complete_style="green"), MofNCompleteColumn(),
            TextColumn("{task.fields[best]}"), TimeRemainingColumn(), console=self._console, disable=quiet,
        )  # fmt: skip
        self._task = self._bar.add_task(title, total=None, best="")
        self._last: SearchView | None = None

    def __enter__(self) -> Progress:
        self._bar.start()
        return self

    def show(self, view: SearchView) -> None:
        self._last = view
        ended = view.trials.scored + view.trials.failed + view.trials.ended_early + view.trials.withdrawn
        self._bar.update(self._task, completed=ended, total=view.budget_trials + 1, best=f"best {_score(view.best)}")

    def __exit__(self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None) -> None:
        self._bar.stop()
        if self._last is not None and kind is None:
            self._tell(self._last)

    def _tell(self, view: SearchView) -> None:
        failed = f", {view.trials.failed} failed" if view.trials.failed else ""
        self._console.print(f"Search {view.id} {view.state}: {view.halted or view.reason}{failed}")
        if view.baseline:
            self._console.print(f"Baseline {_score(view.baseline)}")
        if view.best:
            name = "the baseline" if view.baseline and view.best.trial_id == view.baseline.trial_id else f"trial {view.best.number}"
            self._console.print(f"Best     {_score(view.best)}, {name}")
        if view.limits:
            limits = ", ".join(limit.text for limit in view.limits)
            self._console.print(
                f"Limits   {limits}: {view.keeping} of {view.trials.scored} scored trials keep {'it' if len(view.limits) == 1 else 'them'}"
            )
        if view.trials.ended_early:
            self._console.print(
                f"Early    {view.trials.ended_early} trials ended early: the work of {view.fits.spared:,} fits not needed, {view.fits.work_spared:.0%} of the work, "
                f"about {duration(view.fits.seconds_spared)}"
            )
        if view.state == "paused":
            self._console.print("Run the same command again to go on.")


def _score(best: BestView | None) -> str:
    if best is None:
        return "–"
    return f"{best.score:.4g}" if best.standard_error is None else f"{best.score:.4g} ± {best.standard_error:.2g}"
