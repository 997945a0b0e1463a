"""The offset book: every figure that was ever measured, stored or proved, with its chain. Append-only."""
