"""A job's files: read, checked, edited, begun; and the twin that stands for it on the stand-in."""
