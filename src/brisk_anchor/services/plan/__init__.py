"""Measuring plans: read, put together, ordered, timed, proved, drawn."""
