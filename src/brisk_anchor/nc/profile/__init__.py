"""Control profiles: what differs from control to control, as data."""
