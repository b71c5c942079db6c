"""What speaks against signing a trial: somebody else does better, or the rule that is named chooses another one."""

from __future__ import annotations

from pellux.core.errors import Conflict, InvalidPlan
from pellux.core.judging.selection import BY_HAND
from pellux.core.objective import Judging
from pellux.service.decisions.schemas import Finalist, FinalistsView
from pellux.store.records import Trial


def reason_for(found: FinalistsView, judging: Judging, trial: Trial, rule: str, given: str) -> str:
    """The reason that is put on record: as given, or the words of the rule.

    Raises
    ------
    Conflict
        When the rule chooses another trial than this one.
    InvalidPlan
        When the trial is worse than the leader or than the baseline, and nothing is said why it is taken all the same.
    """
    words = ""
    if rule != BY_HAND:
        by = next((s for s in found.suggestions if s.rule == rule), None)
        if by is None or by.trial_id != trial.id:
            other = "no trial" if by is None else f"the trial with the id {by.trial_id}"
            raise Conflict(
                f"The rule '{rule}' chooses {other}, not this one. Look at the finalists again, or sign by hand with a reason."
            )
        words = by.reason
    if given.strip():
        return given
    ahead = [f"{name} by {by:.2g}" for name, by in betters(found, judging, trial, rule)]
    if ahead:
        raise InvalidPlan(
            f"It is worse than {' and than '.join(ahead)}. Say why it is chosen all the same: the reason is part of the decision.",
            at="reason",
        )
    return words


def betters(found: FinalistsView, judging: Judging, trial: Trial, rule: str) -> list[tuple[str, float]]:
    """Leader and best baseline as far as their means are better, and by how much. A rule answers for the leader itself."""
    sign = judging.sign
    best = [f for f in found.finalists if f.is_baseline and f.trial.mean is not None]
    baseline = max(best, key=lambda f: sign * (f.trial.mean or 0.0), default=None)
    leader = next((f for f in found.finalists if f.trial.id == found.leader), None)
    against: list[tuple[str, Finalist | None]] = [("the baseline", baseline)]
    if rule == BY_HAND and leader is not None and not leader.is_baseline:
        against.insert(0, ("the leader", leader))
    return [
        (name, sign * (other.trial.mean - trial.mean))
        for name, other in against
        if other is not None
        and other.trial.mean is not None
        and trial.mean is not None
        and sign * (other.trial.mean - trial.mean) > 0
    ]
