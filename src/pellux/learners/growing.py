from pellux.objectives.tabular.growing import Progress

__all__ = ["Progress"]
