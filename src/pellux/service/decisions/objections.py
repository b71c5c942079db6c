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
    beaten = beaten_by(found, trial)
    if beaten:
        raise InvalidPlan(
            f"It is not on the front: {beaten} is as good in every metric that decides, and better in one. Say why it is chosen all the "
            "same: the reason is part of the decision.",
            at="reason",
        )
    if ahead:
        raise InvalidPlan(
            f"It is worse than {' and than '.join(ahead)}. Say why it is chosen all the same: the reason is part of the decision.",
            at="reason",
        )
    return words


def beaten_by(found: FinalistsView, trial: Trial) -> str:
    """Where several metrics decide, a finalist that is as good as a trial in all of them and better in one; empty where there is none."""
    own = _turned(found, next((f for f in found.finalists if f.trial.id == trial.id), None))
    if own is None:
        return ""
    for other in found.finalists:
        values = _turned(found, other) if other.admitted else None
        if values is not None and all(v >= o for v, o in zip(values, own, strict=True)) and values != own:
            return "the baseline" if other.is_baseline else f"trial {other.trial.number}"
    return ""


def _turned(found: FinalistsView, one: Finalist | None) -> list[float] | None:
    """Its metrics that decide together, larger is better; None where one metric decides, or where they are not all known."""
    if one is None or not found.decides or one.trial.mean is None:
        return None
    values = [one.trial.mean, *(metric.value for metric in one.metrics)]
    signs = [1 if measure.larger_is_better else -1 for measure in found.decides]
    return None if None in values else [sign * value for sign, value in zip(signs, values, strict=True) if value is not None]


def betters(found: FinalistsView, judging: Judging, trial: Trial, rule: str) -> list[tuple[str, float]]:
    """Leader and best baseline as far as their means are better, and by how much. A rule answers for the leader itself."""
    if found.decides:
        return []
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
