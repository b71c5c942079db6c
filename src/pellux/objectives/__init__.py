"""What a fit runs: one folder a kind of objective."""
