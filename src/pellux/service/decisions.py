"""The recorded choice of one trial: signed with all it rests on, superseded by a later one, never edited."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Mapping
from typing import Any

from pydantic import Field
from sqlalchemy import select
from sqlalchemy.orm import Session

from pellux.core.errors import Conflict, InvalidPlan, NotFound
from pellux.core.judging import Brief
from pellux.core.judging.selection import BY_HAND, RULES
from pellux.service.analyses import DONE, newest_analysis
from pellux.service.analysis_kinds import HOLDOUT_LOOK, HONEST, MODEL
from pellux.service.contest import FinalistsQuery, gather
from pellux.service.decision_views import DecisionDetail, DecisionView
from pellux.service.engine_room import EngineRoom
from pellux.service.finalists import finalists
from pellux.service.lookups import final_settings, get_trial, learner_of
from pellux.service.problems import get_problem, in_searches_of
from pellux.service.rejudging import check_belongs
from pellux.service.requests import Request
from pellux.service.takeaway import files_of
from pellux.service.workspace import Workspace
from pellux.store import recording
from pellux.store.models import Analysis, Decision, Problem, Search, Trial

FORMAT = 1
MOST_HONEST = 2000  # trials beyond them never win a draw


class DecisionRequest(Request):
    """A choice. `rule` says how it came about: one of the rules, or 'by hand'."""

    trial_id: int
    rule: str = BY_HAND
    reason: str = Field("", max_length=10_000)
    signer: str = Field("", max_length=200)
    weighing: FinalistsQuery = FinalistsQuery()


def decide(room: EngineRoom, problem_id: int, request: DecisionRequest) -> int:
    """Sign a choice, and start to fit its model on all rows; returns the decision's id."""
    workspace = room.workspace
    if request.rule not in (*RULES, BY_HAND):
        raise InvalidPlan(f"Rule '{request.rule}' is unknown. Allowed: {', '.join((*RULES, BY_HAND))}.", at="rule")
    with workspace.database.read() as session:
        problem = get_problem(session, problem_id)
        trial = get_trial(session, request.trial_id)
        check_belongs(session, problem, trial, session.get_one(Search, trial.search_id))
        if trial.mean is None:
            raise Conflict(f"Trial {trial.number} is {trial.state} and has no score on all folds; it cannot be chosen.")
    record = _record(workspace, problem, trial, request)
    with workspace.database.write() as session:
        decision = Decision(
            problem_id=problem_id, trial_id=trial.id, rule=request.rule, reason=request.reason, signer=request.signer,
            created_at=record["signed_at"], record=record, fingerprint=fingerprint(record),
        )  # fmt: skip
        session.add(decision)
        session.flush()
        payload = {"problem_id": problem_id, "trial_id": trial.id, "decision": decision.id}
        newest = recording.append_ledger(session, [(decision.created_at, trial.search_id, "decision", payload)])
        made = decision.id
    workspace.hub.publish(newest)
    room.analyst.ask(problem_id, MODEL, {"trial": trial.id, "decision": made})
    return made


def fingerprint(record: Mapping[str, Any]) -> str:
    """SHA-256 of a record: JSON with sorted keys and no spaces, UTF-8."""
    text = json.dumps(record, sort_keys=True, separators=(",", ":"), ensure_ascii=False)
    return hashlib.sha256(text.encode()).hexdigest()


def _record(workspace: Workspace, problem: Problem, trial: Trial, request: DecisionRequest) -> dict[str, Any]:
    """All that a choice rests on, as plain JSON; docs/decision.md tells what each key is."""
    brief = Brief.from_json(problem.brief)
    weighed = finalists(workspace, problem.id, request.weighing)
    honest = newest_analysis(workspace, problem.id, HONEST, state=DONE)
    with workspace.database.read() as session:
        search = session.get_one(Search, trial.search_id)
        key, field = learner_of(session, trial), gather(session, problem.id)
        settings = final_settings(session, trial)
        again = field.again.get(trial.id)
        judged_in = session.get_one(Search, again.search).number if again else None
    looks = holdout_looks(workspace, problem.id)
    costs = field.costs.get(trial.id)
    return json.loads(json.dumps({  # type: ignore[no-any-return]
        "pellux_decision": FORMAT,
        "signed_at": workspace.clock(),
        "signer": request.signer,
        "rule": request.rule,
        "reason": request.reason,
        "rules": [s.model_dump() for s in weighed.suggestions],
        "weighing": request.weighing.model_dump(exclude_defaults=True),
        "problem": {"id": problem.id, "name": problem.name, "brief": brief.to_json(), "folds_sha256": problem.folds_hash},
        "trial": {
            "id": trial.id, "search": search.number, "number": trial.number, "learner": key, "configuration": settings,
            "metric": brief.metric, "fold_scores": trial.scores, "mean": trial.mean, "standard_error": trial.error,
            "fit_seconds": costs.fit_seconds if costs else None, "model_bytes": costs.model_bytes if costs else None,
            "seen": trial.seen, "pending": trial.pending, "search_seed": search.plan.get("seed"), "model_seed": brief.seed,
        },
        "rejudged": {"search": judged_in, "scores": again.scores} if again else None,
        "comparisons": {
            "leader": weighed.leader, "region": weighed.region,
            "against_leader": [
                {"trial": f.trial.id, "search": f.search_number, "number": f.trial.number, **f.comparison.model_dump()}
                for f in weighed.finalists if f.comparison is not None
            ],
        },
        "honest_score": honest.result if honest is not None else None,
        "holdout": [look.request | {"result": look.result} for look in looks if look.state == DONE],
        "versions": search.versions,
    }))  # fmt: skip


def honest_request(workspace: Workspace, problem_id: int) -> dict[str, Any]:
    """What the honest score of a problem is asked for: its scored trials, the best 2,000 where there are more."""
    with workspace.database.read() as session:
        scored = select(Trial.id).join(Search).where(in_searches_of(problem_id), Trial.state == "scored")
        return {"trials": sorted(session.scalars(scored.order_by(Trial.rank_score.desc(), Trial.id).limit(MOST_HONEST)))}


def holdout_looks(workspace: Workspace, problem_id: int) -> list[Analysis]:
    """Every opening of the holdout, first one first."""
    with workspace.database.read() as session:
        looks = select(Analysis).where(Analysis.problem_id == problem_id, Analysis.kind == HOLDOUT_LOOK).order_by(Analysis.id)
        return list(session.scalars(looks))


def list_decisions(workspace: Workspace, problem_id: int | None = None) -> list[DecisionView]:
    """Decisions of a problem or of all, newest first."""
    wanted = select(Decision).order_by(Decision.id.desc())
    with workspace.database.read() as session:
        if problem_id is not None:
            get_problem(session, problem_id)
            wanted = wanted.where(Decision.problem_id == problem_id)
        return [decision_view(session, found) for found in session.scalars(wanted)]


def get_decision(session: Session, decision_id: int) -> Decision:
    found = session.get(Decision, decision_id)
    if found is None:
        raise NotFound(f"There is no decision {decision_id}.")
    return found


def decision_view(session: Session, found: Decision) -> DecisionView:
    problem = session.get_one(Problem, found.problem_id)
    trial = session.get_one(Trial, found.trial_id)
    later = select(Decision.id).where(Decision.problem_id == found.problem_id, Decision.id > found.id).order_by(Decision.id)
    return DecisionView(
        id=found.id, problem_id=problem.id, problem_name=problem.name, trial_id=trial.id, trial_number=trial.number,
        search_number=session.get_one(Search, trial.search_id).number, learner=learner_of(session, trial), rule=found.rule,
        reason=found.reason, signer=found.signer, created_at=found.created_at, configuration=final_settings(session, trial),
        metric_label=Brief.from_json(problem.brief).judged_by.label, mean=trial.mean, error=trial.error,
        fingerprint=found.fingerprint, superseded_by=session.scalar(later.limit(1)),
    )  # fmt: skip


def decision_detail(workspace: Workspace, decision_id: int) -> DecisionDetail:
    with workspace.database.read() as session:
        found = get_decision(session, decision_id)
        view = decision_view(session, found)
    return DecisionDetail(**view.model_dump(), record=found.record, files=files_of(workspace, found))
