"""The use cases. The command line and the web call only these."""
