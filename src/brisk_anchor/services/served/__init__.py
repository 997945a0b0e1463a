"""The stand-in as a separate machine, reached by the same links as a real one."""
