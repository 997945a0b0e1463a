"""How each kind of feature is touched, solved, worked out on the control, and what it locates: one entry a kind."""
