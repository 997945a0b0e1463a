"""Writing files: whole or not at all."""

from __future__ import annotations

import os
import tempfile
from pathlib import Path

from brisk_anchor.core.errors import ExportError


def write_whole(path: Path, data: bytes) -> Path:
    """Write `data` so that the file is either the old one or the new one, never half.

    Raises:
        ExportError: the folder or the file cannot be written.
    """
    temporary: str | None = None
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        handle, temporary = tempfile.mkstemp(dir=path.parent, prefix=f".{path.name}.")
        with os.fdopen(handle, "wb") as stream:
            stream.write(data)
            stream.flush()
            os.fsync(stream.fileno())
        os.replace(temporary, path)
    except OSError as error:
        if temporary and os.path.exists(temporary):
            os.unlink(temporary)
        raise ExportError(
            f"{path} could not be written: {error.strerror or error}",
            "What stood there before is unchanged",
            "Check the folder, its rights and the room on the disk",
        ) from error
    return path
