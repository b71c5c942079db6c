"""Finds a trial and whose it is."""

from __future__ import annotations

from sqlalchemy.orm import Session

from pellux.core.errors import NotFound
from pellux.store.models import Search, Trial


def get_trial(session: Session, trial_id: int) -> Trial:
    found = session.get(Trial, trial_id)
    if found is None:
        raise NotFound(f"There is no trial with the id {trial_id}.")
    return found


def learner_of(session: Session, trial: Trial) -> str:
    """The key of the learner that a trial configures."""
    return trial.learner or session.get_one(Search, trial.search_id).learner
