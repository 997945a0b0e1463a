"""The bench view."""
