"""What can be chosen: metrics, learners with their settings, strategies."""

from __future__ import annotations

from pellux.core.judging import every_metric
from pellux.core.stopping import RULES
from pellux.core.strategies import AUTOMATIC, STRATEGIES
from pellux.learners.catalogue import every_learner
from pellux.learners.settings import Learner
from pellux.service.views import CatalogueView, LearnerView, MetricView, RuleSetting, RuleView, SettingView, StrategyView


def catalogue() -> CatalogueView:
    return CatalogueView(
        metrics=[
            MetricView(
                key=m.key, label=m.label, larger_is_better=m.larger_is_better, needs=m.needs, tasks=list(m.tasks),
                sentence=m.sentence,
            )
            for m in every_metric()
        ],
        learners=[
            learner_view(entry)
            for entry in every_learner()
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


def learner_view(entry: Learner) -> LearnerView:
    return LearnerView(
        key=entry.key, label=entry.label, sentence=entry.sentence, tasks=list(entry.tasks),
        settings=[
            SettingView(
                name=s.name, sentence=s.sentence, default=s.default, domain=s.domain, limits=s.limits,
                cost=s.cost, tasks=list(s.tasks), part=s.part, cheap=s.cheap, line=entry.line(s),
            )
            for s in entry.settings
        ],
        counter=entry.growth.counter if entry.growth else None,
        steerable=list(entry.growth.steerable) if entry.growth else [],
        missing=entry.missing, categories=entry.categories, weights=entry.weights, installed=entry.installed,
        package=entry.package,
    )  # fmt: skip
