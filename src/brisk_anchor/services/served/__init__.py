"""The stand-in as a machine of its own, behind the same links as a real one."""
