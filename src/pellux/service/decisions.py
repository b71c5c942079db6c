"""Finalists, what the rules say of them, and the recorded choice."""

from __future__ import annotations

from sqlalchemy import select
from sqlalchemy.orm import Session

from pellux.core.errors import Conflict
from pellux.core.judging import Brief, one_standard_error
from pellux.service.problems import get_problem
from pellux.service.requests import Request
from pellux.service.trials import get_trial, trial_row
from pellux.service.views import DecisionView, Finalist, FinalistsView, Suggestion
from pellux.service.workspace import Workspace
from pellux.store import recording
from pellux.store.models import Decision, Problem, Search, Trial

TOP = 10


class DecisionRequest(Request):
    """A choice. `rule` says how it came about: 'highest mean', 'one standard error' or 'by hand'."""

    trial_id: int
    rule: str = "by hand"
    reason: str = ""
    signer: str = ""


def finalists(workspace: Workspace, problem_id: int, top: int = TOP) -> FinalistsView:
    """The best trials of all searches of a problem, those on the shortlist, and the baselines."""
    with workspace.database.read() as session:
        problem = get_problem(session, problem_id)
        brief = Brief.from_json(problem.brief)
        scored = select(Trial, Search).join(Search).where(Search.problem_id == problem_id, Trial.state == "scored")
        ranked = scored.order_by(Trial.rank_score.desc(), Trial.id)
        rows = {
            trial.id: (trial, search)
            for trial, search in [
                *session.execute(ranked.limit(top)),
                *session.execute(ranked.where(Trial.shortlisted)),
                *session.execute(ranked.where(Trial.origin == "baseline")),
            ]
        }
        ordered = sorted(rows.values(), key=lambda row: (-(row[0].rank_score or 0.0), row[0].id))
        suggestions = _suggestions(brief, session.execute(ranked.limit(500)).all())
        return FinalistsView(
            finalists=[
                Finalist(
                    trial=trial_row(trial), search_number=search.number, learner=search.learner,
                    is_baseline=trial.origin == "baseline",
                )
                for trial, search in ordered
            ],
            suggestions=suggestions,
            decision=_newest(session, problem),
        )  # fmt: skip


def _suggestions(brief: Brief, rows: object) -> list[Suggestion]:
    trials: list[Trial] = [trial for trial, _ in rows]  # type: ignore[attr-defined]
    if not trials:
        return []
    best = trials[0]
    highest = f"{_short(best)} has the best mean {brief.metric}: {_score(best)}."
    simple = trials[
        one_standard_error([t.rank_score or 0.0 for t in trials], [t.error for t in trials], [t.seconds for t in trials])
    ]
    if simple.id == best.id:
        words = f"No cheaper trial lies within one standard error of {_short(best)}."
    else:
        words = (
            f"{_short(simple)} ({_score(simple)}) lies within one standard error of the best ({_score(best)}) "
            f"and its fits are {best.seconds / max(simple.seconds, 1e-9):.1f}× cheaper."
        )
    return [
        Suggestion(rule="highest mean", trial_id=best.id, reason=highest),
        Suggestion(rule="one standard error", trial_id=simple.id, reason=words),
    ]


def _short(trial: Trial) -> str:
    return "The baseline" if trial.origin == "baseline" else f"Trial {trial.number}"


def _score(trial: Trial) -> str:
    digits = 4 if not trial.error else max(0, -int(f"{trial.error:.1e}".split("e")[1]) + 1)
    error = "" if trial.error is None else f" ± {trial.error:.{digits}f}"
    return f"{trial.mean:.{digits}f}{error}"


def decide(workspace: Workspace, problem_id: int, request: DecisionRequest) -> DecisionView:
    """Record a choice; an earlier one stays and is superseded."""
    with workspace.database.write() as session:
        problem = get_problem(session, problem_id)
        trial = get_trial(session, request.trial_id)
        if session.get_one(Search, trial.search_id).problem_id != problem_id:
            raise Conflict(f"Trial {trial.number} belongs to another problem.")
        if trial.mean is None:
            raise Conflict(f"Trial {trial.number} is {trial.state} and has no score on all folds; it cannot be chosen.")
        session.add(
            Decision(
                problem_id=problem_id, trial_id=trial.id, rule=request.rule, reason=request.reason, signer=request.signer,
                created_at=workspace.clock(),
            )
        )  # fmt: skip
        payload = {"problem_id": problem_id, "trial_id": trial.id}
        newest = recording.append_ledger(session, [(workspace.clock(), trial.search_id, "decision", payload)])
        made = _newest(session, problem)
    workspace.hub.publish(newest)
    assert made is not None
    return made


def _newest(session: Session, problem: Problem) -> DecisionView | None:
    found = session.scalar(select(Decision).where(Decision.problem_id == problem.id).order_by(Decision.id.desc()).limit(1))
    if found is None:
        return None
    return DecisionView(
        id=found.id, trial_id=found.trial_id, rule=found.rule, reason=found.reason, signer=found.signer, created_at=found.created_at
    )
