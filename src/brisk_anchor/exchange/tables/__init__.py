"""Offset tables in files: one module a form, each known by its suffix and by what is in it."""
