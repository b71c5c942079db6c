"""The catalogue of learners, the tables they learn from, and one fit from rows to score."""
