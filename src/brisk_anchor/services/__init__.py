"""Use-cases: what the screen and the command line both do, without either."""
