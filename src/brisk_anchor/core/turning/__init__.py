"""Turning: the part, how it is held, the tools, zero by cutting, targets. X figures are diameters throughout."""
