"""The plan: what is measured in which order, with every figure and why."""
