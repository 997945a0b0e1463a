"""The set-up view."""
