"""The rows of the offset table at work: how each stands, is solved, stored and proved, and what changes them."""
