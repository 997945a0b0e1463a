"""Open formats at the edge: JSON of a run, files written whole or not at all."""
