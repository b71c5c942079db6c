"""The version, in its one place."""

__version__ = "0.1.0"
