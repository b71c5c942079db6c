"""Fits on the machines of an existing cluster engine: how they are reached, what travels to them, and what runs there."""
