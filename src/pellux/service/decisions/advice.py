"""What each rule chooses, with its reason in words and numbers."""

from __future__ import annotations

from pellux.core.judging.comparisons import lower_bound
from pellux.core.judging.selection import BEST_LOWER_BOUND, HIGHEST_MEAN, ONE_STANDARD_ERROR, RULES
from pellux.core.judging.selection import select as select_by
from pellux.service.decisions.candidates import Candidates, FinalistsQuery
from pellux.service.decisions.measures import Measures
from pellux.service.decisions.schemas import Suggestion
from pellux.service.decisions.side_measures import CHEAPER, NOISE
from pellux.store.records import Trial


def suggestions(measures: Measures, field: Candidates, admitted: set[int], query: FinalistsQuery) -> list[Suggestion]:
    """What each rule chooses among the admitted trials, and why, in words."""
    trials = [t for t in field.trials if t.id in admitted]
    candidates = [field.candidate(t, query.cost) for t in trials]
    rules = RULES if field.judging.fits > 1 else (HIGHEST_MEAN,)  # one fold has no standard error
    picked = {rule: trials[select_by(rule, candidates, field.test_to_train, NOISE.get(query.cost, 1.0))] for rule in rules}
    return [
        Suggestion(
            rule=rule,
            label=label_of(rule, field.judging.sign),
            trial_id=trial.id,
            reason=_limit_words(measures, field, admitted, query) + _reason(field, rule, picked, query.cost),
        )
        for rule, trial in picked.items()
    ]


def label_of(rule: str, sign: int) -> str:
    """A rule in the words of the metric: nobody looks for the highest mean error."""
    return {HIGHEST_MEAN: "lowest mean", BEST_LOWER_BOUND: "best upper bound"}.get(rule, rule) if sign < 0 else rule


def _limit_words(measures: Measures, field: Candidates, admitted: set[int], query: FinalistsQuery) -> str:
    if query.limit_on is None:
        return ""
    sign = "≥" if measures.larger_is_better(query.limit_on) else "≤"
    return f"Of the {len(admitted)} of {len(field.trials)} trials with {query.limit_on} {sign} {query.limit:g}: "


def _reason(field: Candidates, rule: str, picked: dict[str, Trial], cost: str) -> str:
    best, chosen = picked[HIGHEST_MEAN], picked[rule]
    if rule == HIGHEST_MEAN:
        return f"{field.name(best)} has the best mean {field.judging.metric}: {score_words(best)}."
    if rule == ONE_STANDARD_ERROR:
        if chosen.id == best.id:
            return f"No cheaper trial ({cost}) lies within one standard error of {_within(field.name(best))}, {score_words(best)}."
        costs = [field.candidate(t, cost).cost for t in (best, chosen)]
        times = f"{costs[0] / costs[1]:.1f}" if costs[1] > 0 and costs[0] != float("inf") else "many"
        return (
            f"{field.name(chosen)} ({score_words(chosen)}) lies within one standard error of the best "
            f"({score_words(best)}) and {CHEAPER[cost].format(times)}."
        )
    assert rule == BEST_LOWER_BOUND
    digits, sign = digits_of(chosen), field.judging.sign
    bounds = [
        sign * lower_bound(field.candidate(t, cost).scores, field.test_to_train) for t in (chosen, best)
    ]  # fmt: skip
    side = "at least" if sign > 0 else "at most"
    if chosen.id == best.id:
        return f"{field.name(best)} also has the best bound: {side} {bounds[0]:.{digits}f} with 95 % confidence."
    return (
        f"{field.name(chosen)} ({score_words(chosen)}) has the best bound: {side} {bounds[0]:.{digits}f} with 95 % confidence; "
        f"the {label_of(HIGHEST_MEAN, sign)} is only {side} {bounds[1]:.{digits}f}."
    )


def _within(name: str) -> str:
    """A name in the middle of a sentence."""
    return name[0].lower() + name[1:]


def digits_of(trial: Trial) -> int:
    """Decimals that the standard error justifies."""
    return 4 if not trial.standard_error else max(0, -int(f"{trial.standard_error:.1e}".split("e")[1]) + 1)


def score_words(trial: Trial) -> str:
    error = "" if trial.standard_error is None else f" ± {trial.standard_error:.{digits_of(trial)}f}"
    return f"{trial.mean:.{digits_of(trial)}f}{error}"
