"""Models of score over the space, of our own on NumPy and SciPy."""
