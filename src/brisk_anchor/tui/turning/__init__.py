"""The screen of a lathe: bench in half-section, book, code, set-up, turret, targets."""
