"""Figures with the sources of their uncertainty."""
