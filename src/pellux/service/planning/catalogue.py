"""What can be chosen: metrics, learners with their settings, strategies."""

from __future__ import annotations

from typing import Any

from pellux.core.stopping import RULES
from pellux.core.strategies import AUTOMATIC, STRATEGIES, strategy
from pellux.objectives.tabular.learners.settings import Learner
from pellux.service.planning.schemas import CatalogueView, LearnerView, MetricView, RuleSetting, RuleView, SettingView, StrategyView
from pellux.service.schemas import ScalarValue
from pellux.service.workspace import Workspace


def catalogue(workspace: Workspace) -> CatalogueView:
    return CatalogueView(
        metrics=[
            MetricView(
                key=m.key, label=m.label, larger_is_better=m.larger_is_better, needs=m.needs, tasks=list(m.tasks),
                sentence=m.sentence,
            )
            for m in workspace.catalogue.metrics.every()
        ],
        learners=[learner_view(entry) for entry in workspace.catalogue.every()],
        strategies=[
            StrategyView(key=AUTOMATIC, label="Automatic", sentence="Picks by size of the space, conditions, budget and cost.", settings=[], continues=False),
            *(
                StrategyView(key=key, label=entry.label, sentence=entry.sentence, settings=_settings(entry.names), continues=entry.continues)
                for key, entry in STRATEGIES.items()
            ),
        ],
        stopping=[
            RuleView(key=AUTOMATIC, label="Automatic", sentence="Picks by what the learner can grow, and says why.", resources=[], settings=[]),
            *(
                RuleView(
                    key=key, label=entry.label, sentence=entry.sentence, resources=list(entry.resources), settings=_settings(entry.names)
                )
                for key, entry in RULES.items()
            ),
        ],
    )  # fmt: skip


def _settings(names: dict[str, tuple[Any, str]]) -> list[RuleSetting]:
    return [RuleSetting(name=name, default=default, sentence=sentence) for name, (default, sentence) in names.items()]


def shown_settings(key: str, settings: Any) -> dict[str, ScalarValue]:
    """A strategy's settings that people may give, as they were resolved."""
    return {name: getattr(settings, name.replace(" ", "_")) for name in strategy(key).names}


def described_learner(workspace: Workspace, key: str, task: str) -> LearnerView:
    """A learner for a task, or several as one."""
    return learner_view(workspace.catalogue.learner(key, task))


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
