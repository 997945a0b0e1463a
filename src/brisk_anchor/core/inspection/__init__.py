"""Is it in size, and what to do about it: tolerances, verdicts, corrections, figures over many parts."""
