"""Rigid frames, rotary axes, the shortest way round a body."""
