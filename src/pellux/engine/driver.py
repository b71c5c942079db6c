"""The driver: one thread a running search, which carries out the coordinator's commands.

First the store, then the world: nobody hears of anything that is not committed. Commits are grouped: while events come
fast, what they change is written together a few times a second, in their order, and workers go on meanwhile. Fits and
server share the cores, so the pace follows what writing costs. A change of the search itself is written at once.
A crash can lose no more than the last group, which nobody has heard of; those fits are done again with the same outcome.
"""

from __future__ import annotations

import logging
import queue
import threading
from collections.abc import Callable, Sequence
from concurrent.futures import Future
from dataclasses import replace
from typing import Protocol

from pellux.core.errors import Conflict, WorkspaceError
from pellux.core.strategies import Answer
from pellux.engine.coordinator import Coordinator
from pellux.engine.messages import (
    Ask,
    Begin,
    Command,
    CutFit,
    Dismiss,
    Event,
    Finish,
    Forget,
    Hire,
    Proposal,
    ProposalFailed,
    Save,
    SaveFit,
    SavePoints,
    SaveSearch,
    SaveTrial,
    StartFit,
    Tick,
)
from pellux.engine.runners import Runner
from pellux.engine.states import SearchState

log = logging.getLogger("pellux.engine")
TICK = 0.5
FIRST_PAUSE, LONGEST_PAUSE = 0.2, 5.0  # seconds between two tries to write
SHARE = 0.02  # of a core's time, that writing may take while fits run
SHORTEST, LONGEST = 0.06, 0.3  # seconds from one commit to the next, for all that


class Recorder(Protocol):
    """Writes what happened, in one transaction, and then tells those who listen."""

    def save(self, saves: Sequence[Save]) -> None: ...


class Proposer(Protocol):
    """Asks the strategy: at once, or by a promise."""

    def propose(self, number: int, coordinator: Coordinator) -> Answer | Future[Answer]: ...

    def origin(self, number: int) -> str:
        """Where the configuration of a proposal comes from: 'start' or 'proposed'."""
        ...

    def close(self) -> None: ...


class Driver(threading.Thread):
    """Runs a search until it ends or `leave` is called; events from people come by `post`."""

    def __init__(
        self, coordinator: Coordinator, runner: Runner, recorder: Recorder, proposer: Proposer, clock: Callable[[], float]
    ) -> None:
        super().__init__(name="search-driver", daemon=True)
        self._coordinator = coordinator
        self._runner = runner
        self._recorder = recorder
        self._proposer = proposer
        self._clock = clock
        self._inbox: queue.SimpleQueue[Event] = queue.SimpleQueue()
        self._leaving = threading.Event()
        self._finished = False
        self._unsaved: list[Save] = []
        self._forgets: list[int] = []
        self._next_save = 0.0
        self.error: Exception | None = None
        self.waits_for = ""  # what keeps it from writing down what happened: the database is locked, the disk is full

    @property
    def state(self) -> SearchState:
        """Where the search stands, as the coordinator has it."""
        return self._coordinator.state

    @property
    def idle(self) -> str:
        return self._coordinator.idle

    def post(self, event: Event) -> None:
        self._inbox.put(event)
        self._runner.wake()

    def leave(self) -> None:
        """End the thread and its workers without ending the search: it goes on when it is opened again."""
        self._leaving.set()
        self._runner.wake()

    def run(self) -> None:
        try:
            self._process([Begin(self._clock())])
            last_tick = self._clock()
            while not self._finished and not self._leaving.is_set():
                events: list[Event] = [*self._runner.wait(self._patience()), *self._drain()]
                if self._clock() - last_tick >= TICK:
                    last_tick = self._clock()
                    events.append(Tick(last_tick))
                self._process(events)
                if self._clock() >= self._next_save or any(isinstance(save, SaveSearch) for save in self._unsaved):
                    self._save()
            self._save()
        except Exception as error:  # the search stays as the store has it and can be resumed
            log.exception("The search's driver ended by an error")
            self.error = error
        finally:
            self._proposer.close()
            self._runner.close()
            if self._finished:  # only now nobody writes any more
                self._runner.forget(None)

    def _patience(self) -> float:
        """Seconds to wait for events."""
        return min(max(self._next_save - self._clock(), 0.0), TICK) if self._unsaved else TICK

    def _save(self) -> None:
        begun = self._clock()
        if self._unsaved and not self._written():
            return
        ended = self._clock()
        self._next_save = ended + min(max((ended - begun) / SHARE, SHORTEST), LONGEST)
        self._unsaved = []
        for trial in self._forgets:  # only now: the recorder reads from them what a trial predicted
            self._runner.forget(trial)
        self._forgets = []

    def _written(self) -> bool:
        """Write down what happened, however long it takes until that can be done; False when the driver is to leave before.

        Workers go on with what they have. Nothing is told and nothing further begun before it is written.
        """
        pause = FIRST_PAUSE
        while True:
            try:
                self._recorder.save(self._unsaved)
            except WorkspaceError as error:
                if self._leaving.wait(pause):
                    return False
                log.warning("The search waits: %s", error.message)
                self.waits_for, pause = error.message, min(2 * pause, LONGEST_PAUSE)
            else:
                self.waits_for = ""
                return True

    def _drain(self) -> list[Event]:
        found = []
        while not self._inbox.empty():
            found.append(self._inbox.get())
        return found

    def _process(self, events: Sequence[Event]) -> None:
        """Handle events and what follows from them, until nothing more follows."""
        while events:
            commands: list[Command] = []
            for event in events:
                try:
                    commands += self._coordinator.handle(event)
                except Conflict as refusal:  # a person's wish that came too late
                    log.info("Refused: %s", refusal.message)
            self._unsaved += [
                _as_it_is(command) for command in commands if isinstance(command, (SaveSearch, SaveTrial, SaveFit, SavePoints))
            ]
            events = [answer for command in commands if (answer := self._carry_out(command)) is not None]

    def _carry_out(self, command: Command) -> Event | None:
        match command:
            case StartFit():
                self._runner.start(command)
            case Hire(worker=worker, lane=lane):
                self._runner.hire(worker, lane)
            case Dismiss(worker=worker):
                self._runner.dismiss(worker)
            case CutFit():
                self._runner.cut(command)
            case Forget(trial=trial):
                self._forgets.append(trial)
            case Finish():
                self._finished = True
            case Ask(number=number):
                return self._ask(number)
        return None

    def _ask(self, number: int) -> Event | None:
        try:
            answer = self._proposer.propose(number, self._coordinator)
        except Exception as error:
            return self._refusal(error)
        if isinstance(answer, Future):
            answer.add_done_callback(lambda done: self._answered(number, done))
            return None
        return self._proposal(number, answer)

    def _proposal(self, number: int, answer: Answer) -> Proposal:
        return Proposal(number, answer, self._clock(), self._proposer.origin(number))

    def _answered(self, number: int, done: Future[Answer]) -> None:
        """In the strategy's thread: its answer comes in like any other event."""
        if done.cancelled() or self._finished or self._leaving.is_set():
            return  # nobody waits for it any more, nor for why a process that was ended said nothing
        error = done.exception()
        self.post(self._proposal(number, done.result()) if error is None else self._refusal(error))

    def _refusal(self, error: BaseException) -> Event:
        log.error("The strategy failed", exc_info=error)
        return ProposalFailed(f"{type(error).__name__}: {error}", self._clock())


def _as_it_is(save: Save) -> Save:
    """A trial goes on changing until its group is written: keep it as it is now."""
    if isinstance(save, SaveTrial):
        return save._replace(trial=replace(save.trial, fits=dict(save.trial.fits), results=dict(save.trial.results)))
    return save
