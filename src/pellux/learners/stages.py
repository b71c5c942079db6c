from pellux.objectives.tabular.learners.stages import *  # noqa: F403
