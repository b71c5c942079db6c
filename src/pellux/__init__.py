"""Pellux: choose a model's settings by cross-validated score, and defend the choice."""

__version__ = "0.1.0"
