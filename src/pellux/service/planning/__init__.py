"""Before a search: what is asked for, checked, resolved and forecast."""
