"""Pure computation: no input or output, no clock, no process, no web, no SQL."""
