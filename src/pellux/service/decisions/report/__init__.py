"""The report of a decision: one HTML file with everything in it."""
