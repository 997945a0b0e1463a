"""Plan → steps → text by control profile, and back: scanner, expressions, interpreter, report lines."""
