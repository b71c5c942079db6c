"""The one place where findings become sentences. Every code that core/evidence/findings gives stands here."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from pellux.core.space import word

Facts = Mapping[str, Any]


def _n(value: Any) -> str:
    return f"{value:.4g}" if isinstance(value, float) else word(value) if isinstance(value, (bool, int, str)) else str(value)


def _p(share: float) -> str:
    return f"{100 * share:.0f} %"


def _times(count: int, word_: str) -> str:
    return f"{count} {word_}" if count == 1 else f"{count} {word_}s"


def _crowded(f: Facts) -> str:
    side = "upper" if f["upper"] else "lower"
    begin = (
        f"The score still rises towards the {side} end of {f['setting']}, {_n(f['end'])} ({f['at']} of the best {f['of']} trials lie there; "
        f"chance {_p(min(f['sure'], 0.99))})."
    )
    if f["to"] is None:
        return f"{begin} It can go no further."
    return f"{begin} Widen it to {_n(f['to'])}." + (" Fits will take longer there." if f["costly"] else "")


def _dead(f: Facts) -> str:
    return (
        f"{f['setting']} makes next to no difference here: {_p(f['share'])} of the score's differences, {_p(f['high'])} at most. "
        f"Hold it at {_n(f['value'])}, what the best trial has, and spend the trials on the others."
    )


def _collapsed(f: Facts) -> str:
    return (
        f"Good configurations have {f['setting']} between {_n(f['low'])} and {_n(f['high'])}: {_p(f['holds'])} of all that may be good, "
        f"on {_p(f['part'])} of its range. Narrow it."
    )


def _log(f: Facts) -> str:
    return (
        f"{_p(f['share'])} of what may be good lies below {_n(f['end'])} on {f['setting']}, whose range goes from {_n(f['low'])} to {_n(f['high'])}. "
        "A log scale gives small values room."
    )


def _losing(f: Facts) -> str:
    options = " and ".join(f["options"])
    return (
        f"{options} of {f['setting']} never {'wins' if len(f['options']) == 1 else 'win'}: {_times(f['tried'], 'trial')}, and whatever goes with it, "
        f"the best of the others is {_n(f['gain'])} better. Drop it."
    )


def _ridge(f: Facts) -> str:
    a, b = f["settings"]
    way = "rise together" if f["rank"] > 0 else "trade off: more of one goes with less of the other"
    return (
        f"Good values of {a} and {b} {way} (rank correlation {f['rank']:.2f} among the best {f['trials']} trials). "
        f"Hold {f['hold']} at {_n(f['value'])} and search {f['other']} along it."
    )


def _corner(f: Facts) -> str:
    return (
        f"{f['failed']} of {_times(f['of'], 'failure')} lie where not {f['requirement']}; of the {f['inside']} trials there, {f['failed']} failed. "
        "Require it, and no trial goes there any more."
    )


def _little(f: Facts) -> str:
    return (
        f"Only {f['tried']} of {f['of']} trials have {f['setting']} = {f['option']}, and it may well hold a better one (chance {_p(f['chance'])}). "
        "Search it by itself."
    )


def _short(f: Facts) -> str:
    return (
        f"{_p(f['share'])} of what proposals could have learnt from was still under way when they were made, with {f['workers']} workers. "
        f"With {f['to']} each proposal sees more."
    )


def _flat(f: Facts) -> str:
    return (
        f"{_times(f['trials'], 'trial')} had next to no chance after the first folds and ran on. A fold race, replayed on these very scores, spares {f['fits']} of "
        f"{f['of']} fits ({_p(f['saved'])}) and ends with the same best, {f['best']}."
    )


def _within(f: Facts) -> str:
    return (
        f"The differences between these {f['trials']} trials are no more than their {f['folds']} folds scatter: {f['alike']} cannot be told from the best. "
        "More trials of this kind find luck. Judge the best again on more folds, or stop."
    )


def _nothing(f: Facts) -> str:
    return (
        f"{_times(f['since'], 'trial')} without a better one than {f['best']}, of {f['trials']}, and the model expects no more than {_n(f['gain'])} "
        "anywhere in this space. Stop, or search another space."
    )


SENTENCES: dict[str, Callable[[Facts], str]] = {
    "crowded end": _crowded,
    "dead setting": _dead,
    "collapsed range": _collapsed,
    "log axis": _log,
    "losing option": _losing,
    "ridge": _ridge,
    "failing corner": _corner,
    "little tried": _little,
    "short sighted": _short,
    "flat runs": _flat,
    "within noise": _within,
    "nothing gained": _nothing,
}


def said(code: str, facts: Facts) -> str:
    """The sentence for people; of a code that a newer version wrote, the code and its numbers."""
    words = SENTENCES.get(code)
    return words(facts) if words is not None else f"{code} ({', '.join(f'{k} {v}' for k, v in facts.items())})"
