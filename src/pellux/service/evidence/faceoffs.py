"""Face-offs: several ways to search, over the same space with the same budget and other seeds, one run after another in turn.

A fitted face-off is a row of the analyses whose request is the plan and whose result lists its runs; each run is a search of a kind of its own,
made when the one before it has ended, so that the machine treats all entrants alike. A replayed one is computed in a process of its own.
"""

from __future__ import annotations

import threading
from collections.abc import Sequence
from contextlib import suppress
from dataclasses import asdict, dataclass

from pellux.core.errors import Conflict, InvalidPlan, NotFound
from pellux.core.space import write
from pellux.core.strategies import CONTINUING
from pellux.engine.states import IllegalTransition, SearchState
from pellux.service.engine.engine import Engine
from pellux.service.evidence.faceoff_schemas import EntrantRequest, EntrantsRequest, FaceOffRequest
from pellux.service.evidence.kinds import REPLAYED
from pellux.service.machine import default_workers, versions
from pellux.service.machines.demands import workers_here
from pellux.service.planning.launching import Checked, check_holds, check_search, with_decisions
from pellux.service.planning.requests import PlanFile, SearchRequest, SettingsRequest
from pellux.service.searches.plans import keep_code, keep_table
from pellux.service.searches.searches import set_state as set_search_state
from pellux.service.trust import require_trust
from pellux.service.workspace import Workspace
from pellux.store import decisions, runs, tallies
from pellux.store.problems import get_problem
from pellux.store.records import Analysis
from pellux.store.runs import NewRun, create_run

FACE_OFF, RESOLVED = "face-off", "resolved"
FOLDWISE = ("", "folds")  # what a rule may work on where there is nothing but a model of whole trials
LOOK = 0.5  # seconds between two looks at a run that is paused
MOST_TRIALS = 100_000  # of a run whose budget is not in trials


def begin(engine: Engine, problem_id: int, request: FaceOffRequest) -> int:
    """Check a face-off and start it; its id."""
    workspace = engine.workspace
    request = _whole(workspace, problem_id, request)
    ground = ground_of(workspace, problem_id, request)
    found = [_check(workspace, ground, request, entrant) for entrant in request.entrants]
    if len({entrant.model_dump_json() for entrant in request.entrants}) < len(request.entrants):
        raise InvalidPlan("Two entrants are the same: they would differ by luck alone.", at="entrants")
    if request.mode == "replayed":
        resolved = [
            {
                "strategy": one.strategy.key, "settings": asdict(one.strategy_settings), "stopping": one.stopping.to_json(),
                "workers": entrant.workers or ground.workers,
            }
            for one, entrant in zip(found, request.entrants, strict=True)
        ]  # fmt: skip
        return engine.analyst.ask(problem_id, REPLAYED, {**request.model_dump(by_alias=True), RESOLVED: resolved}, anew=True)
    with workspace.database.write() as session:
        made = decisions.add_analysis(
            session, problem_id=problem_id, kind=FACE_OFF, key="", request=request.model_dump(by_alias=True), created_at=workspace.clock()
        )  # fmt: skip
        decisions.put_analysis(session, decisions.get_analysis(session, made), workspace.clock(), result={"runs": []})
    go_on(engine, made)
    return made


def begin_planned(engine: Engine, plan: PlanFile, asked: EntrantsRequest) -> int:
    """A face-off over a plan whose data are imported (its brief has their hash), framing its problem if it is not known; its id."""
    problem_id, search, _ = (keep_table if plan.code is None else keep_code)(engine.workspace, plan)
    return begin(engine, problem_id, FaceOffRequest(over=search, **asked.fields()))


def take_up(engine: Engine) -> None:
    """Go on with what was under way when the last engine ended."""
    with engine.workspace.database.read() as session:
        unfinished = decisions.running_analyses(session, [FACE_OFF])
    for made in unfinished:
        go_on(engine, made)


def go_on(engine: Engine, faceoff_id: int) -> None:
    thread = threading.Thread(target=_take_turns, args=(engine, faceoff_id), name=f"face-off-{faceoff_id}", daemon=True)
    thread.start()


def set_state(engine: Engine, faceoff_id: int, wanted: str) -> None:
    """Pause, resume or stop it, with the run that is under way."""
    row = get(engine.workspace, faceoff_id)
    if row.kind == REPLAYED:
        raise Conflict("A replayed face-off takes seconds and is not steered.")
    if row.state not in ("running", "paused") or row.state == wanted:
        raise IllegalTransition(f"The face-off is {row.state}; it cannot become {wanted}.")
    with engine.workspace.database.write() as session:
        at = engine.workspace.clock()
        decisions.put_analysis(session, row, at, state=wanted, **({"ended_at": at} if wanted == "stopped" else {}))
    current = _under_way(engine.workspace, row)
    if current is not None:
        with suppress(IllegalTransition):  # it has just ended
            set_search_state(engine, current, wanted)
    if wanted == "running":
        go_on(engine, faceoff_id)


def get(workspace: Workspace, faceoff_id: int) -> Analysis:
    with workspace.database.read() as session, suppress(NotFound):
        row = decisions.get_analysis(session, faceoff_id)
        if row.kind in (FACE_OFF, REPLAYED):
            return row
    raise NotFound(f"There is no face-off {faceoff_id}.")


def turns(entrants: int, repeats: int) -> list[tuple[int, int]]:
    """(entrant, repeat) in the order in which they run: every repeat begins with another entrant."""
    return [((place + repeat) % entrants, repeat) for repeat in range(repeats) for place in range(entrants)]


def _take_turns(engine: Engine, faceoff_id: int) -> None:
    """Begins run after run until all are done, or somebody pauses or stops it, or the engine closes."""
    workspace = engine.workspace
    while not engine.closing.is_set():
        row = get(workspace, faceoff_id)
        if row.state != decisions.RUNNING:
            return
        current = _under_way(workspace, row)
        if current is not None:
            _watch(engine, row, current)
            continue
        request, done = asked_of(row), len((row.result or {}).get("runs", []))
        order = turns(len(request.entrants), request.repeats)
        if done >= len(order):
            with workspace.database.write() as session:
                decisions.end_analysis(session, row, workspace.clock(), row.result, "")
            return
        try:
            made = _make(workspace, row, request, *order[done])
        except Exception as error:  # what it needs is gone: it says so, and its runs stay
            message = getattr(error, "message", None) or f"{type(error).__name__}: {error}"
            with workspace.database.write() as session:
                decisions.put_analysis(session, row, workspace.clock(), state=decisions.FAILED, message=message)
            return
        engine.begin(made)


def _watch(engine: Engine, row: Analysis, search_id: int) -> None:
    """Wait a little for a run; one that has used up a budget of fits is ended."""
    idle = engine.join(search_id, LOOK)
    request = asked_of(row)
    with engine.workspace.database.read() as session:
        search = runs.get_search(session, search_id)
    if idle and not SearchState(search.state).ended:
        engine.closing.wait(LOOK)  # it is paused, or halted by an error: somebody has to see to it
    elif (
        request.budget == "fits"
        and SearchState(search.state) is SearchState.RUNNING
        and _fits(engine.workspace, search_id) >= request.amount
    ):
        with suppress(IllegalTransition):  # it has just ended by itself
            set_search_state(engine, search_id, "stopped")


def _fits(workspace: Workspace, search_id: int) -> int:
    with workspace.database.read() as session:
        return tallies.fits_done(session, [search_id]).get(search_id, (0, 0.0))[0]


def _under_way(workspace: Workspace, row: Analysis) -> int | None:
    """The id of its last run, if that has not ended."""
    made = (row.result or {}).get("runs", [])
    if not made:
        return None
    with workspace.database.read() as session:
        search = runs.get_search(session, made[-1]["search"])
    return None if SearchState(search.state).ended else search.id


def _make(workspace: Workspace, row: Analysis, request: FaceOffRequest, entrant: int, repeat: int) -> int:
    """Keep the next run; its id."""
    asked = request.entrants[entrant]
    ground = ground_of(workspace, row.problem_id, request)
    found = _check(workspace, ground, request, asked, request.seed + repeat)
    with workspace.database.write() as session:
        objective = workspace.objective(get_problem(session, row.problem_id))
        plan = _plan(ground, request, asked, request.seed + repeat)
        made = create_run(
            session,
            NewRun(
                kind="face-off", problem_id=row.problem_id, learner=ground.learner, space=ground.space,
                plan=plan.model_dump(by_alias=True), workers=check_holds(workspace, objective, asked.workers or ground.workers_here, "entrants"),
                created_at=workspace.clock(), versions=versions(), strategy=found.strategy.key,
                strategy_reason=found.strategy.reason, strategy_settings=asdict(found.strategy_settings), stopping=found.stopping.to_json(),
            ),
        )  # fmt: skip
        kept = [*(row.result or {}).get("runs", []), {"entrant": entrant, "repeat": repeat, "search": made}]
        decisions.put_analysis(session, row, workspace.clock(), result={"runs": kept})
    return made


@dataclass(frozen=True)
class Ground:
    """What all entrants search in. `workers` are those of the search itself, `workers_here` as many of them as this machine has."""

    problem_id: int
    learner: str
    space: str
    kept: SettingsRequest
    workers: int
    workers_here: int


def ground_of(workspace: Workspace, problem_id: int, request: FaceOffRequest) -> Ground:
    """Of the search that is named, or of the one that need not be run."""
    with workspace.database.read() as session:
        if request.over is None:
            search = runs.get_search(session, request.search or 0)
            if search.problem_id != problem_id or search.kind != runs.SEARCH:
                raise InvalidPlan("A face-off is over the space of a search of this problem.", at="search")
            kept = SettingsRequest.model_validate(search.plan)
            return Ground(problem_id, search.learner, search.space, kept, search.workers, workers_here(search))
        objective = workspace.objective(get_problem(session, problem_id))
    over = request.over
    wanted = None if over.plan.runner.cluster else over.plan.workers
    count = wanted if isinstance(wanted, int) else default_workers(objective.holds.cores)
    return Ground(problem_id, over.learner, over.space or "", over.plan, count, count)


def _whole(workspace: Workspace, problem_id: int, request: FaceOffRequest) -> FaceOffRequest:
    """With the space written out of a search that was never run, so that a later version searches the same."""
    if (request.search is None) == (request.over is None):
        raise InvalidPlan("A face-off is over a search: name one, or give one under 'over'.", at="search")
    if request.over is None:
        return request
    if request.mode == "replayed":
        raise InvalidPlan("A replayed face-off is played on the trials of a search: name one that has some.", at="mode")
    with workspace.database.read() as session:
        problem = get_problem(session, problem_id)
        require_trust(workspace, problem, request.over.learner)
        objective = workspace.objective(problem)
        over = with_decisions(workspace, session, objective, request.over)
    space = write(check_search(objective, over, objective.telling_share).space)
    return request.model_copy(update={"over": over.model_copy(update={"space": space})})


def _plan(ground: Ground, request: FaceOffRequest, entrant: EntrantRequest, seed: int) -> SettingsRequest:
    kept = ground.kept
    return SettingsRequest(
        strategy=entrant.strategy, early_stopping=entrant.early_stopping, seed=seed, workers=entrant.workers or ground.workers_here,
        trials=request.amount if request.budget == "trials" else MOST_TRIALS,
        minutes=request.amount / 60 if request.budget == "seconds" else None,
        fit_seconds=kept.fit_seconds, trial_seconds=kept.trial_seconds, memory_mb=kept.memory_mb,
        against=[],  # standings are those of the score
    )  # fmt: skip


def _check(workspace: Workspace, ground: Ground, request: FaceOffRequest, entrant: EntrantRequest, seed: int = 1) -> Checked:
    """The entrant as a search of its own would be; InvalidPlan where it cannot be one."""
    with workspace.database.read() as session:
        objective = workspace.objective(get_problem(session, ground.problem_id))
    if entrant.strategy in CONTINUING:
        raise InvalidPlan("Population training has a budget of its own, and cannot be set against others by trials.", at="entrants")
    plan = _plan(ground, request, entrant, seed)
    found = check_search(objective, SearchRequest(learner=ground.learner, space=ground.space, plan=plan), objective.telling_share)
    if request.mode == "replayed" and found.stopping.resource not in FOLDWISE:
        raise InvalidPlan(
            f"'{entrant.early_stopping}' works on {found.stopping.resource}, of which a model of whole trials knows nothing: let it be fitted.",
            at="entrants",
        )
    return found


def asked_of(row: Analysis) -> FaceOffRequest:
    """What was asked for, without what was resolved from it."""
    return FaceOffRequest.model_validate({key: value for key, value in row.request.items() if key != RESOLVED})


def of_problem(workspace: Workspace, problem_id: int) -> Sequence[Analysis]:
    """Face-offs of a problem, newest first."""
    with workspace.database.read() as session:
        get_problem(session, problem_id)
        rows = [*decisions.analyses_of(session, problem_id, FACE_OFF), *decisions.analyses_of(session, problem_id, REPLAYED)]
    return sorted(rows, key=lambda row: -row.id)
