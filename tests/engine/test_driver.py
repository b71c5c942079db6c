"""The driver: commits in order and in groups, announces nothing before, and stops cleanly when store or strategy fail."""

from __future__ import annotations

import queue
import threading
import time
from collections.abc import Callable, Sequence
from concurrent.futures import Future

import pytest

from pellux.core.errors import WorkspaceError
from pellux.core.strategies import Answer, Suggest
from pellux.engine import driver as driving
from pellux.engine.coordinator import Coordinator
from pellux.engine.driver import Driver
from pellux.engine.messages import (
    CutFit,
    FitEnded,
    FitStarted,
    Pause,
    Resume,
    Save,
    SaveFit,
    SaveSearch,
    SaveTrial,
    StartFit,
    Stop,
    WorkerReady,
)
from pellux.engine.model import Limits, Outcome
from pellux.engine.runners import Report
from pellux.engine.states import FitState, SearchState
from pellux.service.wording import sentence


class Hands:
    """A runner whose fits end at once, or when they are let go."""

    def __init__(self, held: bool = False) -> None:
        self.reports: queue.SimpleQueue[Report] = queue.SimpleQueue()
        self.go = threading.Event()
        self.closed = False
        if not held:
            self.go.set()

    def hire(self, worker: int, lane: int) -> None:
        self.reports.put(WorkerReady(worker))

    def start(self, fit: StartFit) -> None:
        self.reports.put(FitStarted(fit.worker, fit.trial, fit.fold, fit.attempt, time.time()))
        outcome = Outcome(FitState.DONE, fit.trial + fit.fold / 10, 0.001)
        self.reports.put(FitEnded(fit.worker, fit.trial, fit.fold, fit.attempt, outcome, time.time()))

    def cut(self, fit: CutFit) -> None: ...

    def forget(self, trial: int | None) -> None: ...

    def dismiss(self, worker: int) -> None:
        pass

    def wake(self) -> None:
        self.go.set()

    def wait(self, seconds: float) -> list[Report]:
        if not self.go.wait(min(seconds, 0.05)):
            return []
        try:
            return [self.reports.get(timeout=0.02)]
        except queue.Empty:
            return []

    def close(self) -> None:
        self.closed = True


class Book:
    """A recorder that keeps what it is given, or refuses after some groups."""

    def __init__(self, groups: float = float("inf")) -> None:
        self.groups: list[list[Save]] = []
        self.most = groups
        self.written = threading.Event()

    def save(self, saves: Sequence[Save]) -> None:
        if len(self.groups) >= self.most:
            raise OSError("No space left on device")
        self.groups.append(list(saves))
        self.written.set()

    @property
    def all(self) -> list[Save]:
        return [save for group in self.groups for save in group]


class Count:
    def origin(self, number: int) -> str:
        return "proposed"

    def propose(self, number: int, coordinator: Coordinator) -> Answer:
        return Suggest(({"x": number},))

    def close(self) -> None:
        self.closed = True


class Broken:
    def origin(self, number: int) -> str:
        return "proposed"

    def propose(self, number: int, coordinator: Coordinator) -> Answer:
        raise FloatingPointError("the surrogate fell over")

    def close(self) -> None:
        pass


class Thinking:
    """A strategy whose process is ended while it thinks."""

    def origin(self, number: int) -> str:
        return "proposed"

    def __init__(self) -> None:
        self.asked = threading.Event()
        self.promise: Future[Answer] = Future()

    def propose(self, number: int, coordinator: Coordinator) -> Future[Answer]:
        self.asked.set()
        return self.promise

    def close(self) -> None:
        self.promise.set_exception(RuntimeError("The strategy's process died: killed."))


def driver(runner: Hands, book: Book, proposer: Count | Broken | Thinking | None = None, trials: int = 20) -> Driver:
    limits = Limits(trials=trials, workers=2, folds=3)
    return Driver(Coordinator(limits, ()), runner, book, proposer or Count(), time.time)


def ended(made: Driver, seconds: float = 20) -> None:
    made.join(seconds)
    assert not made.is_alive()


def test_changes_are_written_in_their_order_and_in_groups() -> None:
    runner, book = Hands(), Book()
    made = driver(runner, book)
    made.start()
    ended(made)
    assert made.error is None
    assert runner.closed
    done = [s.fit for s in book.all if isinstance(s, SaveFit) and s.fit.state is FitState.DONE]
    assert len(done) == 60
    assert [f.ended_at for f in done] == sorted(f.ended_at or 0 for f in done)
    assert len(book.groups) < 60, "fast events share commits"
    states = [s.trial.state.value for s in book.all if isinstance(s, SaveTrial) and s.trial.number == 1]
    assert states == ["due", "running", "scored"], "each save keeps the trial as it was then"
    last = book.all[-1]
    assert isinstance(last, SaveSearch)
    assert last.state is SearchState.FINISHED


def test_a_trial_is_written_no_later_than_its_fits() -> None:
    book = Book()
    made = driver(Hands(), book)
    made.start()
    ended(made)
    born: set[int] = set()
    for save in book.all:
        if isinstance(save, SaveTrial):
            born.add(save.trial.number)
        elif isinstance(save, SaveFit):
            assert save.fit.trial in born


def test_a_full_disk_halts_the_search_and_says_why() -> None:
    runner, book = Hands(), Book(groups=2)
    made = driver(runner, book, trials=10**6)
    made.start()
    ended(made)
    assert isinstance(made.error, OSError)
    assert runner.closed
    assert len(book.groups) == 2
    assert not any(isinstance(s, SaveSearch) and s.state.ended for s in book.all), "what the store has can be resumed"


class Locked(Book):
    """A store that another program holds for a while."""

    def __init__(self, tries: int) -> None:
        super().__init__()
        self.tries, self.told = tries, list[str]()
        self.driver: Driver

    def save(self, saves: Sequence[Save]) -> None:
        self.told.append(self.driver.waits_for)
        if self.tries:
            self.tries -= 1
            raise WorkspaceError("The database is locked by another program.")
        super().save(saves)


def test_a_locked_database_is_waited_for(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(driving, "FIRST_PAUSE", 0.01)
    book = Locked(tries=4)
    made = book.driver = driver(Hands(), book, trials=6)
    made.start()
    ended(made)
    assert made.error is None
    assert "locked by another program" in "".join(book.told)
    assert made.waits_for == ""
    assert [s.state for s in book.all if isinstance(s, SaveSearch)][-1] is SearchState.FINISHED
    scored = [(s.fit.trial, s.fit.fold) for s in book.all if isinstance(s, SaveFit) and s.fit.state is FitState.DONE]
    assert len(scored) == len(set(scored)) >= 6


def test_a_driver_leaves_also_while_it_waits_for_the_database() -> None:
    book = Locked(tries=10**9)
    made = book.driver = driver(Hands(), book, trials=6)
    made.start()
    while not made.waits_for:
        assert made.is_alive()
        time.sleep(0.01)
    made.leave()
    ended(made)
    assert made.error is None


def test_a_strategy_that_breaks_fails_the_search() -> None:
    book = Book()
    made = driver(Hands(), book, Broken())
    made.start()
    ended(made)
    last = book.all[-1]
    assert isinstance(last, SaveSearch)
    assert last.state is SearchState.FAILED
    assert "FloatingPointError: the surrogate fell over" in sentence(last.reason)


@pytest.mark.parametrize("leave", [lambda d: d.leave(), lambda d: d.post(Stop(time.time()))], ids=["leave", "stop"])
def test_leaving_keeps_the_search_open_and_stopping_ends_it(leave: Callable[[Driver], None]) -> None:
    runner, book = Hands(), Book()
    made = driver(runner, book, trials=10**6)
    made.start()
    assert book.written.wait(10)
    leave(made)
    ended(made)
    final = [s.state for s in book.all if isinstance(s, SaveSearch)][-1]
    assert final in (SearchState.RUNNING, SearchState.STOPPED)
    assert runner.closed
    scored = {(s.fit.trial, s.fit.fold) for s in book.all if isinstance(s, SaveFit) and s.fit.state is FitState.DONE}
    assert scored, "what was done before is written"


def test_leaving_while_the_strategy_thinks_is_no_failure(caplog: pytest.LogCaptureFixture) -> None:
    book, strategy = Book(), Thinking()
    made = driver(Hands(), book, strategy)
    made.start()
    assert strategy.asked.wait(5)
    made.leave()
    made.join(5)
    assert not made.is_alive()
    assert strategy.promise.done()
    assert not caplog.records
    assert not [s for s in book.all if isinstance(s, SaveSearch) and s.state is SearchState.FAILED]


def test_wishes_are_heard_while_nothing_happens() -> None:
    book = Book()
    made = driver(Hands(held=True), book)
    made.start()
    made.post(Pause(time.time()))
    made.post(Resume(time.time()))
    ended(made)
    states = [s.state.value for s in book.all if isinstance(s, SaveSearch)]
    assert "paused" in states
    assert states[-1] == "finished"
