"""Reading files from outside: never more of one than its reader could use."""

from __future__ import annotations

from pathlib import Path


def read_at_most(path: Path, most: int) -> bytes:
    """The file's bytes up to `most` and one more, by which a longer one is known; even where a file has no end.

    Raises:
        OSError: it cannot be read.
    """
    with path.open("rb") as stream:
        return stream.read(most + 1)
