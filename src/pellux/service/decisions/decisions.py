"""The recorded choice of one trial: signed with all it rests on, superseded by a later one, never edited."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Mapping
from typing import Any

from pydantic import Field

from pellux.core.errors import Conflict, InvalidPlan
from pellux.core.judging.selection import BY_HAND, FRONT_RULES, RULES
from pellux.service.decisions.analysis_kinds import HOLDOUT_LOOK, HONEST, MODEL
from pellux.service.decisions.candidates import FinalistsQuery, gather
from pellux.service.decisions.finalists import finalists
from pellux.service.decisions.objections import reason_for
from pellux.service.decisions.schemas import DecisionDetail, DecisionView, FinalistsView
from pellux.service.decisions.takeaway import files_of
from pellux.service.decisions.trade_offs import newest_aims, of_front
from pellux.service.engine.analyses import DONE, newest_analysis
from pellux.service.engine.engine import Engine
from pellux.service.evidence.evidence import ask_evidence
from pellux.service.planning.requests import Request
from pellux.service.searches.lookups import called, check_belongs, final_settings, learner_of, whose
from pellux.service.workspace import Workspace
from pellux.store.database import Session
from pellux.store.decisions import add_decision, analyses_of, decisions_of, get_decision, successor
from pellux.store.problems import get_problem
from pellux.store.records import Analysis, Decision, Problem, Search, Trial
from pellux.store.runs import SEARCH, get_search
from pellux.store.trials import scored_ids

FORMAT = 1
MOST_HONEST = 2000  # trials beyond them never win a draw


class DecisionRequest(Request):
    """A choice. `rule` says how it came about: one of the rules, or 'by hand'.

    A trial that is worse than the leader or than the baseline is signed with a `reason` only.
    """

    trial_id: int
    rule: str = BY_HAND
    reason: str = Field("", max_length=10_000)
    signer: str = Field("", max_length=200)
    weighing: FinalistsQuery = FinalistsQuery()


def decide(engine: Engine, problem_id: int, request: DecisionRequest) -> int:
    """Sign a choice, and start to fit its model on all rows; returns the decision's id."""
    workspace = engine.workspace
    if request.rule not in (*RULES, *FRONT_RULES, BY_HAND):
        raise InvalidPlan(f"Rule '{request.rule}' is unknown. Allowed: {', '.join((*RULES, *FRONT_RULES, BY_HAND))}.", at="rule")
    with workspace.database.read() as session:
        problem = get_problem(session, problem_id)
        trial, search, _ = whose(session, request.trial_id)
        check_belongs(workspace, session, problem, trial, search)
        if trial.mean is None:
            raise Conflict(f"Trial {trial.number} is {trial.state} and has no score on all folds; it cannot be chosen.")
    weighed = finalists(workspace, problem_id, request.weighing)
    reason = reason_for(weighed, workspace.objective(problem).judging, trial, request.rule, request.reason)
    request = request.model_copy(update={"reason": reason})
    record = _record(workspace, problem, trial, search, request, weighed)
    with workspace.database.write() as session:
        made = add_decision(
            session, problem_id=problem_id, trial_id=trial.id, search_id=trial.search_id, rule=request.rule, reason=request.reason,
            signer=request.signer, created_at=record["signed_at"], record=record, fingerprint=fingerprint(record),
        )  # fmt: skip
    engine.analyst.ask(problem_id, MODEL, {"trial": trial.id, "decision": made})
    if search.kind == SEARCH:
        ask_evidence(engine, search.id)  # for its report
    return made


def fingerprint(record: Mapping[str, Any]) -> str:
    """SHA-256 of a record: JSON with sorted keys and no spaces, UTF-8."""
    text = json.dumps(record, sort_keys=True, separators=(",", ":"), ensure_ascii=False)
    return hashlib.sha256(text.encode()).hexdigest()


def _record(
    workspace: Workspace, problem: Problem, trial: Trial, search: Search, request: DecisionRequest, weighed: FinalistsView
) -> dict[str, Any]:
    """All that a choice rests on, as plain JSON; docs/decision.md tells what each key is."""
    objective = workspace.objective(problem)
    honest = newest_analysis(workspace, problem.id, HONEST, state=DONE)
    with workspace.database.read() as session:
        key, field = learner_of(objective, search, trial), gather(workspace, session, problem.id)
        settings = final_settings(session, objective, search, trial)
        again = field.again.get(trial.id)
        judged_in = get_search(session, again.search).number if again else None
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
        "problem": {"id": problem.id, "name": problem.name, "objective": problem.objective, "brief": problem.brief,
            "folds_sha256": problem.folds_hash},
        "trial": {
            "id": trial.id, "search": search.number, "number": trial.number, "learner": key, "configuration": settings,
            "metric": objective.judging.metric, "fold_scores": trial.scores, "mean": trial.mean, "standard_error": trial.standard_error,
            "fit_seconds": costs.fit_seconds if costs else None, "model_bytes": costs.model_bytes if costs else None,
            "seen": trial.seen, "pending": trial.pending, "search_seed": search.plan.get("seed"), "model_seed": objective.judging.seed,
        },
        "rejudged": {"search": judged_in, "scores": again.scores} if again else None,
        "metrics": _metrics(weighed, trial),
        "comparisons": {
            "leader": weighed.leader, "region": weighed.region,
            "against_leader": [
                {"trial": f.trial.id, "search": f.search_number, "number": f.trial.number, **f.comparison.model_dump()}
                for f in weighed.finalists if f.comparison is not None
            ],
        },
        "honest_score": honest.result if honest is not None else None,
        "holdout": [
            look.request | {"opened_at": look.created_at, "state": look.state, "result": look.result} for look in looks
        ],
        "versions": search.versions,
    }))  # fmt: skip


def _metrics(weighed: FinalistsView, trial: Trial) -> dict[str, Any] | None:
    """Where several metrics decide: what the chosen trial has of those beside its score, and who stands on the front."""
    chosen = next((f for f in weighed.finalists if f.trial.id == trial.id), None)
    if not weighed.decides or chosen is None:
        return None
    return {
        "decide": [measure.key for measure in weighed.decides],
        "beside": {metric.measure: {"value": metric.value, "by_fold": metric.by_fold} for metric in chosen.metrics},
        "front": weighed.front,
    }


def honest_request(workspace: Workspace, problem_id: int) -> dict[str, Any]:
    """What the honest score of a problem is asked for: its scored trials, the best 2,000 where there are more."""
    with workspace.database.read() as session:
        judging = workspace.objective(get_problem(session, problem_id)).judging
        aims = newest_aims(session, judging, problem_id)
        chosen = {*scored_ids(session, problem_id, MOST_HONEST), *of_front(session, judging, aims, problem_id)}
        return {"trials": sorted(chosen), **({"against": [aim.measure for aim in aims]} if aims else {})}


def holdout_looks(workspace: Workspace, problem_id: int) -> list[Analysis]:
    """Every opening of the holdout, first one first."""
    with workspace.database.read() as session:
        return analyses_of(session, problem_id, HOLDOUT_LOOK)


def list_decisions(workspace: Workspace, problem_id: int | None = None) -> list[DecisionView]:
    """Decisions of a problem or of all, newest first."""
    with workspace.database.read() as session:
        if problem_id is not None:
            get_problem(session, problem_id)
        return [decision_view(workspace, session, found) for found in decisions_of(session, problem_id)]


def decision_view(workspace: Workspace, session: Session, found: Decision) -> DecisionView:
    trial, search, _ = whose(session, found.trial_id)
    problem = get_problem(session, found.problem_id)
    objective = workspace.objective(problem)
    return DecisionView(
        id=found.id, problem_id=problem.id, problem_name=problem.name, trial_id=trial.id, trial_number=trial.number, trial_name=called(trial, search),
        search_number=search.number, learner=learner_of(objective, search, trial), rule=found.rule, reason=found.reason,
        signer=found.signer, created_at=found.created_at, configuration=final_settings(session, objective, search, trial),
        metric_label=objective.judging.label, mean=trial.mean, standard_error=trial.standard_error, fingerprint=found.fingerprint,
        superseded_by=successor(session, found),
    )  # fmt: skip


def decision_detail(workspace: Workspace, decision_id: int) -> DecisionDetail:
    with workspace.database.read() as session:
        found = get_decision(session, decision_id)
        view = decision_view(workspace, session, found)
    return DecisionDetail(**view.model_dump(), record=found.record, files=files_of(workspace, found))
