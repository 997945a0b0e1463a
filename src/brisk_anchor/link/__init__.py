"""Ways to a machine: programs out, printed lines in. Nothing here can move anything."""
