"""Measurements put into cutting programs, and taken out again."""
