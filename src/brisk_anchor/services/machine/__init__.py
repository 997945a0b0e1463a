"""Runs of programs on the stand-in, watched or not, and how the machine was left."""
