"""Writing files: whole or not at all."""

from __future__ import annotations

import os
import tempfile
from concurrent.futures import TimeoutError as Overdue
from pathlib import Path

from brisk_anchor.core.errors import ExportError
from brisk_anchor.patience import Given, Helper

PATIENCE = 20.0
"""How long, s, a file may take to be written: a share on a network may hang."""
_HELPER = Helper("files")


def write_whole(path: Path, data: bytes) -> Path:
    """Write `data` so that the file is either the old one or the new one, never half.

    Raises:
        ExportError: the folder or the file cannot be written, or the disk does not answer in time.
    """
    try:
        return _HELPER.run(lambda given: _write(path, data, given), PATIENCE)
    except Overdue:
        raise ExportError(
            f"{path} has not been written for {PATIENCE:.0f} s",
            "The disk or the share does not answer; what stands there is not known",
            "Look at it, then try again",
        ) from None


def _write(path: Path, data: bytes, given: Given) -> Path:
    temporary: str | None = None
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        handle, temporary = tempfile.mkstemp(dir=path.parent, prefix=f".{path.name}.")
        with os.fdopen(handle, "wb") as stream:
            stream.write(data)
            stream.flush()
            os.fsync(stream.fileno())
        if given.wanted:
            os.replace(temporary, path)
        else:
            os.unlink(temporary)
    except OSError as error:
        if temporary and os.path.exists(temporary):
            os.unlink(temporary)
        raise ExportError(
            f"{path} could not be written: {error.strerror or error}",
            "What stood there before is unchanged",
            "Check the folder, its rights and the room on the disk",
        ) from error
    return path
