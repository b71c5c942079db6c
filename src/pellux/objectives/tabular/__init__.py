"""Fits of learners on the folds of a table."""
