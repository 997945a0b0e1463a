"""Inspecting: characteristics, verdicts of a part, corrections, reports, and what many parts say."""
