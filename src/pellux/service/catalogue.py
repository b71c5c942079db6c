"""What can be chosen: metrics, learners with their settings, strategies."""

from __future__ import annotations

from pellux.core.judging import METRICS
from pellux.core.stopping import RULES
from pellux.core.strategies import AUTOMATIC, STRATEGIES
from pellux.learners.catalogue import LEARNERS
from pellux.service.views import CatalogueView, LearnerView, MetricView, RuleSetting, RuleView, SettingView, StrategyView


def catalogue() -> CatalogueView:
    return CatalogueView(
        metrics=[
            MetricView(
                key=m.key, label=m.label, larger_is_better=m.larger_is_better, needs=m.needs, tasks=list(m.tasks),
                sentence=m.sentence,
            )
            for m in METRICS.values()
        ],
        learners=[
            LearnerView(
                key=entry.key, label=entry.label, sentence=entry.sentence, tasks=list(entry.tasks),
                settings=[
                    SettingView(
                        name=s.name, sentence=s.sentence, default=s.default, domain=s.domain, limits=s.limits,
                        cost=s.cost, tasks=list(s.tasks),
                    )
                    for s in entry.settings
                ],
                counter=entry.growth.counter if entry.growth else None,
                steerable=list(entry.growth.steerable) if entry.growth else [],
            )
            for entry in LEARNERS.values()
        ],
        strategies=[
            StrategyView(key=AUTOMATIC, label="Automatic", sentence="Picks by size of the space, conditions, budget and cost."),
            *(StrategyView(key=k, label=s.label, sentence=s.sentence) for k, s in STRATEGIES.items()),
        ],
        stopping=[
            RuleView(key=AUTOMATIC, label="Automatic", sentence="Picks by what the learner can grow, and says why.", resources=[], settings=[]),
            *(
                RuleView(
                    key=key, label=entry.label, sentence=entry.sentence, resources=list(entry.resources),
                    settings=[RuleSetting(name=n, default=d, sentence=s) for n, (d, s) in entry.names.items()],
                )
                for key, entry in RULES.items()
            ),
        ],
    )  # fmt: skip
