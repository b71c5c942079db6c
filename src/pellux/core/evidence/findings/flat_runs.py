"""Trials that had no chance after their first folds ran to the end: what a fold race would have saved, replayed on these very scores."""

from __future__ import annotations

from pellux.core.evidence.findings.contract import Change, Finding, Material
from pellux.core.stopping import Prune, Record, TrialContext
from pellux.core.stopping.fold_race import RaceSettings, verdict

SAVED = 0.2  # of the fits: less is not worth a rule
LEAST = 15


def find(material: Material) -> list[Finding]:
    """What is found of this kind; when it is stands above."""
    if material.stops:
        return []
    whole = [t for t in material.tried if t.own and t.mean is not None and len(t.scores) >= 3 and None not in t.scores]
    if len(whole) < LEAST:
        return []
    folds = len(whole[0].scores)
    record, settings = Record(folds, len(whole)), RaceSettings()
    run, cut = 0, list[int]()
    for number, trial in enumerate(whole, 1):
        scores = tuple(float(score or 0.0) for score in trial.scores)
        for done in range(1, folds + 1):
            record.note_folds(number, scores[:done])
            run += 1
            if settings.least <= done < folds and isinstance(verdict(TrialContext(number, done), record, settings), Prune):
                record.note_ended(number)
                cut.append(trial.id)
                break
    fits = folds * len(whole)
    saved = 1 - run / fits
    best = max(whole, key=lambda t: t.mean or 0.0)
    if saved < SAVED or best.id in cut:
        return []
    facts = {"rule": "fold race", "saved": saved, "fits": fits - run, "of": fits, "trials": len(cut), "best": best.id}
    return [Finding("flat runs", facts, (), tuple(cut), 0.2 + 0.5 * saved, Change(plan={"early stopping": "fold race"}))]
