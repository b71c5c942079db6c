"""People's own learners and metrics."""
