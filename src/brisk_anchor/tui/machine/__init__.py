"""The machine view."""
