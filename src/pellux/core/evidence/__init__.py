"""What the trials of a search say, with its doubt: pure functions of spaces, configurations and scores."""
