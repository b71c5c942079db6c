"""Trials that had no chance after their first folds ran to the end: what a fold race would have saved, replayed on these very scores."""

from __future__ import annotations

import numpy as np
import scipy
from numpy.typing import NDArray

from pellux.core.evidence.findings.contract import Change, Finding, Material
from pellux.core.stopping import Prune, Record, TrialContext
from pellux.core.stopping.fold_race import RaceSettings, verdict

SAVED = 0.2  # of the fits: less is not worth a rule
LEAST = 15
LOST = 0.2  # chance that one of those trials is truly better than the best, by more than a score's noise: above it nothing is said
NODES = 32  # of the quadrature


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
    if saved < SAVED or best.id in cut or material.noise is None:
        return []
    means, gone = np.array([t.mean for t in whole], dtype=float), np.isin([t.id for t in whole], cut)
    if chance_of_loss(means, means[gone], material.noise.share) > LOST:
        return []
    facts = {"rule": "fold race", "saved": saved, "fits": fits - run, "of": fits, "trials": len(cut), "best": best.id}
    return [Finding("flat runs", facts, (), tuple(cut), 0.2 + 0.5 * saved, Change(plan={"early stopping": "fold race"}))]


def chance_of_loss(means: NDArray[np.float64], gone: NDArray[np.float64], by_chance: float) -> float:
    """That one of the trials that would have ended early is truly better than the best by more than the noise of a mean.

    Means of all trials, shape (n,), and of those that would be gone, shape (m,); `by_chance` is the share of their variance that is noise. What
    trials are worth is drawn in to their common mean by that share (empirical Bayes, Efron & Morris 1975): where all is noise, nothing can be
    lost.
    """
    kept, spread = 1 - by_chance, float(means.std(ddof=1))
    noise, doubt = spread * np.sqrt(by_chance), spread * np.sqrt(by_chance * kept)
    if doubt <= 0:
        return 0.0
    nodes, weights = np.polynomial.hermite_e.hermegauss(NODES)
    behind = kept * (float(means.max()) - gone)
    stays = scipy.special.ndtr((behind[:, None] + noise) / doubt + nodes).prod(0)
    return float(1 - weights @ stays / weights.sum())
