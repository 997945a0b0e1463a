"""The offset book at work: rows, changes, comparing, files, what fits, sheets."""
