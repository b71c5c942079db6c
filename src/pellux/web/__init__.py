"""HTTP: resources under /api/v1, the event stream, the pages. Parses, calls a use case, serialises."""
