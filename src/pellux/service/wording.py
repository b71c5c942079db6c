"""The one place where reasons become sentences. Every code that the core and the engine give stands here."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from pellux.core.reasons import Reason

Facts = Mapping[str, Any]


def sentence(reason: Reason | Mapping[str, Any]) -> str:
    """The sentence for people; empty for no reason."""
    found = reason if isinstance(reason, Reason) else Reason.from_json(reason)
    if not found:
        return ""
    words = SENTENCES.get(found.code)
    # A workspace may have been written by a version that knows more.
    return words(found.facts) if words is not None else f"{found.code} ({', '.join(f'{k} {v}' for k, v in found.facts.items())})"


def _number(value: Any) -> str:
    return f"{value:.4g}" if isinstance(value, float) else str(value)


def _waits_for_cohort(f: Facts) -> str:
    bracket = f"bracket {f['bracket']}, " if f["bracket"] else ""
    return f"{bracket}rung {f['rung']}: waits until its cohort is there"


def _place(f: Facts) -> str:
    return f"place {f['place']} of {f['of']} at rung {f['rung']}"


SENTENCES: dict[str, Callable[[Facts], str]] = {
    # What a face-off says
    "face-off: nothing yet": lambda f: "No repeat has ended for every entrant: nothing can be said yet.",
    "face-off: too few repeats": lambda f: (
        f"{f['entrant']} ended ahead on average, by {f['lead']:.3g}; with {f['repeats']} of the {f['fewest']} repeats that it takes at least, that cannot be told from luck."
    ),
    "face-off: not told apart": lambda f: (
        f"{f['entrant']} ended ahead on average, by {f['lead']:.3g}, but not by more than luck would have it in {f['repeats']} repeats: "
        "no entrant can be told from the others here."
    ),
    "face-off: ahead of some": lambda f: (
        f"{f['entrant']} is ahead of {f['behind']} by more than luck (p = {f['p_value']:.2g}, {f['repeats']} repeats); from the others it cannot be told."
    ),
    "face-off: ahead of all": lambda f: (
        f"{f['entrant']} is ahead of all others by more than luck (p = {f['p_value']:.2g}, {f['repeats']} repeats): on this space, with this budget, and no further than that."
    ),
    # How a search ends or pauses
    "space exhausted": lambda f: "The space is exhausted: every configuration in it was tried.",
    "trials done": lambda f: f"All {f['trials']} trials are done.",
    "target reached": lambda f: f"The target score of {f['target']:g} is reached: trial {f['trial']} has {f['score']:.6g}.",
    "no gain": lambda f: f"No gain in {f['trials']} trials: trial {f['best']} is still the best.",
    "no gain on the front": lambda f: f"No gain: none of the last {f['trials']} trials came to the front.",
    "minutes over": lambda f: f"The {f['minutes']:g} minutes are over.",
    "stopped by a person": lambda f: "Stopped by a person.",
    "paused by a person": lambda f: "Paused by a person.",
    "workers do not start": lambda f: f"Workers do not start: {f['how']}",
    "every trial failed": lambda f: f"Every trial failed. The first: {sentence(f['first'])}",
    "strategy failed": lambda f: f"The strategy could not propose: {f['error']}",
    # How a trial ends
    "withdrawn by a person": lambda f: "Withdrawn by a person.",
    "search was stopped": lambda f: "The search was stopped.",
    "fold failed": lambda f: f"Fold {f['fold']}: {sentence(f['because'])}",
    "metric missing": lambda f: f"Its fits told no {f['metric']}, which decides together with the score.",
    "trial took too long": lambda f: f"The trial took longer than its limit of {f['limit']:g} s.",
    # What stopping rules say
    # What decides comes first: lists show the beginning.
    "outrun in all": lambda f: f"P(overtaking trial {f['best']} in any metric) {f['chance']:.1%} after fold {f['folds']}",
    "below every median": lambda f: (
        f"Below the median of {f['others']} trials in all {f['metrics']} metrics after fold {f['folds']}"
    ),
    "outrun": lambda f: f"P(win) {f['chance']:.1%}: {f['behind']:.3g} behind the best (trial {f['best']}) after fold {f['folds']}",
    "below the median": lambda f: (
        f"worse than the median {f['median']:.4g} of {f['others']} trials: {f['mean']:.4g} on average after {f['folds']} folds"
    ),
    "curve below the median": lambda f: (
        f"worse than the median {f['median']:.4g} of {f['others']} finished curves: "
        f"best {f['best']:.4g} up to iteration {f['iteration']} of fold {f['fold']}"
    ),
    "flat": lambda f: (
        f"flat from the start: {f['first']:.4g} at first and never {f['gain']:g} better, "
        f"up to iteration {f['iteration']} of fold {f['fold']}"
    ),
    "breaks a limit": lambda f: (
        f"breaks its limit {f['limit']}: {f['measured']:.4g} over {f['folds']} fold{'' if f['folds'] == 1 else 's'}"
    ),
    "gains no more": lambda f: f"no gain since iteration {f['since']} of {f['iteration']}",
    "waits for its cohort": _waits_for_cohort,
    "waits at its rung": lambda f: f"{_place(f)}, {f['go_on']} go on so far",
    "not promoted": lambda f: f"{_place(f)}, {f['go_on']} went on",
    "not among the best": lambda f: f"{_place(f)}, the best {f['went_on']} went on",
    "cannot go on any more": lambda f: f"{_place(f)}; no more than {f['most']} can go on",
    "waits for the others": lambda f: f"fold {f['fold']}: waits until all trials have seen it",
    "not among the finalists": lambda f: (
        f"place {f['place']} of {f['of']} after fold {f['fold']}, the best {f['went_on']} went on to all folds"
    ),
    # What pauses a search
    "code changed": lambda f: (
        f"Its code changed while it ran ({f['files']}), and scores of another code are not comparable. "
        "Put it back as it was and go on, or begin a new search, which becomes a new problem."
    ),
    "no space said": lambda f: (
        f"The program found no space left on a disk. Free some, and the search goes on by itself. It said: {f['said']}"
    ),
    "disk full": lambda f: f"The disk that holds {f['folder']} is full. Free some space, and the search goes on by itself.",
    "file gone": lambda f: f"{f['why']} The search goes on by itself then.",
    "cluster gone": lambda f: (
        f"The cluster at {f['cluster']} is not there, has no machine, or was forgotten here. The search goes on by itself when it is there again."
    ),
    "not trusted": lambda f: str(f["why"]),
    "code gone": lambda f: f"{f['why']} Put it back and go on.",
    # How a fit of own code ends
    "told by its holder": lambda f: str(f["text"]),
    "not started": lambda f: str(f["why"]),
    "exit status": lambda f: (
        (f"It ended with exit status {f['status']}" if f["status"] >= 0 else f"It was ended by signal {-f['status']}")
        + (f": {f['said']}" if f["said"] else ", and printed nothing.")
    ),
    "no score said": lambda f: (
        f"It ended well, but gave no {f['metric']}: no line of JSON with that key, none in scores.jsonl, nothing that a pattern picks out, "
        + (f"and no number in the last line of: {f['said']}" if f["said"] else "and it printed nothing.")
    ),
    "score not finite": lambda f: f"Its {f['metric']} is {f['score']}, which is no score.",
    "ended before a score": lambda f: "It was told to end before it gave a score.",
    "pattern too slow": lambda f: "The pattern took more than a second on one line; write it so that it need not try so much.",
    "program too large": lambda f: f"It and what it started took more than their {f['limit']:,} MB of memory.",
    # How a fit ends
    "error": lambda f: f"{f['kind']}: {f['text']}",
    "too little memory": lambda f: "The fit needed more memory than its limit.",
    "fit took too long": lambda f: f"The fit took longer than its limit of {f['limit']:g} s.",
    "workers lost": lambda f: f"Lost {f['workers']} workers on this fit: {f['how']}",
    "no score": lambda f: (
        f"The metric {f['metric']} gave {_number(f['score'])}. Is a class missing from the fold's {f['rows']} test rows?"
    ),
    "no score anywhere": lambda f: f"The metric {f['metric']} gave {_number(f['score'])} at every iteration.",
    # As versions before reasons had codes wrote it
    "told": lambda f: str(f["text"]),
}
