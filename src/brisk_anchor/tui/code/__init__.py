"""The code view."""
