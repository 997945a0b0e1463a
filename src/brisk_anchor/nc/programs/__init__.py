"""From what is to be measured and stored to typed steps, and from report lines back to touches."""
