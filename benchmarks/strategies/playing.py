"""Plays a strategy on a problem: proposals in, made-up scores back, with any number of trials pending."""

from __future__ import annotations

import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field

import numpy as np

from benchmarks.strategies.functions import Problem
from pellux.core.space import Configuration, Space
from pellux.core.strategies import Answer, History, Observation, SeedStream, Suggest
from pellux.core.strategies.gaussian_process import recommend

Propose = Callable[[Space, History, Sequence[Configuration], int, SeedStream], Answer]


@dataclass
class Play:
    """What a run of a strategy came to: minus the regret after each trial, and the processor time of each proposal.

    Processor time, since the machines that this runs on are shared; with one BLAS thread an idle machine takes as long.
    """

    history: list[Observation] = field(default_factory=list)
    truths: list[float] = field(default_factory=list)
    seconds: list[float] = field(default_factory=list)

    def regret(self, trials: int) -> float:
        return -max(self.truths[:trials])


def play(problem: Problem, propose: Propose, trials: int, seed: int, pending: int = 0) -> Play:
    """Run `trials` trials with `pending` others under way at every proposal but the first ones."""
    noise = np.random.default_rng([seed, 77])
    found, waiting = Play(), list[Configuration]()
    while len(found.history) < trials:
        while len(waiting) <= pending and len(found.history) + len(waiting) < trials:
            number = len(found.history) + len(waiting) + 1
            began = time.process_time()
            answer = propose(problem.space, found.history, waiting, 1, SeedStream(seed, number))
            found.seconds.append(time.process_time() - began)
            if not isinstance(answer, Suggest):
                return found
            waiting.extend(answer.configurations)
        configuration = waiting.pop(0)
        truth = problem.truth(configuration)
        found.truths.append(truth)
        score = truth + problem.noise * noise.standard_normal()
        found.history.append(Observation(configuration, (score,), 1.0, "scored"))
    return found


def recommended_regret(problem: Problem, found: Play, trials: int) -> float:
    """Of the configuration that the model recommends after some trials, judged without the noise."""
    return -problem.truth(recommend(problem.space, found.history[:trials]).configuration)
