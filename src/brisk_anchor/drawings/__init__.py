"""Drawings as SVG and PDF, to scale."""
