"""The Python interface: open a workspace or a server, frame a problem, search, look, decide.

>>> import pellux
>>> bench = pellux.open(folder)                                   # this process runs the engine
>>> problem = bench.problem(lambda settings, fit: -(settings["x"] - 1) ** 2, judged_by="closeness", name="A parabola")
>>> search = problem.search("x: -3 .. 3", trials=8, workers=1, seed=1)
>>> search.wait().state
'finished'
>>> search.best.score > -1
True
>>> decision = problem.decide(rule="highest mean", signer="Ann")
>>> sorted(decision.settings)
['x']
>>> bench.close()
"""

from __future__ import annotations

from pellux.api.bench import Bench, open
from pellux.api.decision import Decision
from pellux.api.leased import LeasedFit
from pellux.api.problem import Problem
from pellux.api.search import Search, Trial
from pellux.service.own_functions import Ended, Fit

__all__ = ["Bench", "Decision", "Ended", "Fit", "LeasedFit", "Problem", "Search", "Trial", "open"]
