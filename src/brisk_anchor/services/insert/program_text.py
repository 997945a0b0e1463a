"""A program of somebody else's as text, byte for byte: every byte is a character, so it is written back as it was."""

from __future__ import annotations

from pathlib import Path

from brisk_anchor.nc.bounded import read_at_most
from brisk_anchor.services.insert.weaving import LONGEST, WeaveError


def read_text(path: Path) -> str:
    """Raises WeaveError: the file cannot be read, is too long, or is no text."""
    try:
        data = read_at_most(path, LONGEST)
    except OSError as error:
        raise WeaveError(f"{path} cannot be read: {error.strerror}", "Nothing was opened", "Check the name") from error
    if len(data) > LONGEST:
        raise WeaveError(f"{path.name} has more than {LONGEST} bytes", "Nothing was opened", "Split it")
    if b"\0" in data:
        raise WeaveError(f"{path.name} is no text", "Nothing was opened", "Open an NC program")
    return data.decode("latin-1")
