"""Choosing a configuration, and taking it away."""
