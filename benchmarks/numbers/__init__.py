"""Is every number right? An independent computation beside Pellux's own: `make check-numbers`."""
