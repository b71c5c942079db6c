"""Benchmarks: each prints ratios against something run beside it. `make bench` writes docs/benchmarks.md."""
