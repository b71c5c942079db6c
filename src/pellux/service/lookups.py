"""Finds a trial, whose it is, and what it comes to: the settings that train its model again."""

from __future__ import annotations

from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from pellux.core.errors import NotFound
from pellux.learners.building import SCHEDULE
from pellux.learners.catalogue import learner
from pellux.service.resolving import Resolved
from pellux.store.models import Search, Trial


def get_trial(session: Session, trial_id: int) -> Trial:
    found = session.get(Trial, trial_id)
    if found is None:
        raise NotFound(f"There is no trial with the id {trial_id}.")
    return found


def learner_of(session: Session, trial: Trial) -> str:
    """The key of the learner that a trial configures; of several that are searched together, the one it chose."""
    key = trial.learner or session.get_one(Search, trial.search_id).learner
    return learner(key).settle(trial.configuration)[0].key if "|" in key else key


def final_settings(session: Session, trial: Trial) -> dict[str, Any]:
    """The settings by which a trial's model is trained in one go: to its best iteration, by its schedule if it has one."""
    key = trial.learner or session.get_one(Search, trial.search_id).learner
    found: dict[str, Any] = learner(key).settle(trial.configuration)[1]
    growth = learner(learner_of(session, trial)).growth
    if trial.best_iteration is None or growth is None:
        return found
    found[growth.counter] = trial.best_iteration
    if trial.parent is not None:
        found[SCHEDULE] = _schedule(session, trial, set(growth.steerable))
    return found


def _schedule(session: Session, trial: Trial, steerable: set[str]) -> list[list[Any]]:
    """[iteration, settings] for each interval of a trial's line; equal neighbours are one."""
    levels = Resolved.from_json(session.get_one(Search, trial.search_id).stopping).levels
    line, until = [trial], [int(trial.best_iteration or levels[trial.rung])]
    while line[-1].parent is not None:
        wanted = select(Trial).where(Trial.search_id == trial.search_id, Trial.number == line[-1].parent)
        line.append(session.scalars(wanted).one())
        until.append(levels[line[-1].rung])
    stages: list[list[Any]] = []
    for member, end in zip(reversed(line), reversed(until), strict=True):
        changing = {name: value for name, value in member.configuration.items() if name in steerable}
        if stages and stages[-1][1] == changing:
            stages[-1][0] = end
        else:
            stages.append([end, changing])
    return stages
