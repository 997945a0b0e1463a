"""Brisk Anchor: from a touch to a proved work offset."""

__version__ = "0.1.0"
