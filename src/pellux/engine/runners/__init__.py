"""Where fits run: one file a runner. The contract stands in base.py."""

from pellux.engine.runners.base import Report, Runner

__all__ = ["Report", "Runner"]
