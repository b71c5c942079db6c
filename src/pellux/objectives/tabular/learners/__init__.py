"""The catalogue: one file a family of learners."""
