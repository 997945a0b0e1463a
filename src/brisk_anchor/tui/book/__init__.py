"""The book view."""
