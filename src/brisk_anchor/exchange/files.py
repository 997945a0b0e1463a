"""Writing files: whole or not at all."""

from __future__ import annotations

import os
import re
import secrets
import stat
import time
from collections.abc import Mapping
from concurrent.futures import TimeoutError as Overdue
from contextlib import suppress
from pathlib import Path

from brisk_anchor.core.errors import ExportError
from brisk_anchor.patience import Given, Helper

PATIENCE = 20.0
"""How long, s, a file may take to be written: a share on a network may hang."""
_HELPER = Helper("files")
_PART = ".part"
_SWEPT: set[Path] = set()
"""Files beside which this program has looked for what was left."""


def write_whole(path: Path, data: bytes) -> Path:
    """Write `data` so that the file is either the old one or the new one, never half; its rights and links stay.

    Raises:
        ExportError: the folder or the file cannot be written, it is no ordinary file (a pipe, a device), or the disk
        does not answer in time.
    """
    try:
        return _HELPER.run(lambda given: _write(path, data, given), PATIENCE)
    except Overdue:
        raise ExportError(
            f"{path} has not been written for {PATIENCE:.0f} s",
            "The disk or the share does not answer; what stands there is not known",
            "Look at it, then try again",
        ) from None


def write_each(folder: Path, stem: str, contents: Mapping[str, bytes]) -> list[Path]:
    """Write one thing in each of its forms: `contents` by what its file ends in. Raises ExportError."""
    return [write_whole(folder / f"{stem}.{ending}", data) for ending, data in contents.items()]


def remove(path: Path) -> None:
    """Remove a file that may be gone already, for good.

    Raises:
        ExportError: it cannot be removed.
    """
    try:
        path.unlink(missing_ok=True)
        _keep_folder(path.parent)
    except OSError as error:
        raise ExportError(
            f"{path} could not be removed: {error.strerror or error}", "", "Check the folder and its rights"
        ) from error


def _write(path: Path, data: bytes, given: Given) -> Path:
    temporary: Path | None = None
    try:
        place = Path(os.path.realpath(path))  # a link stays one: what it leads to is written
        mode = _mode_of(place)
        place.parent.mkdir(parents=True, exist_ok=True)
        _sweep(place)
        name = place.parent / f".{place.name[:100]}.{secrets.token_hex(4)}{_PART}"
        handle = os.open(name, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o666 if mode is None else mode)
        temporary = name
        with os.fdopen(handle, "wb") as stream:
            stream.write(data)
            stream.flush()
            os.fsync(stream.fileno())
        if mode is not None:
            temporary.chmod(mode)  # as the old file's was, whatever new ones get
        if given.wanted:
            os.replace(temporary, place)
            _keep_folder(place.parent)
        else:
            temporary.unlink()
    except OSError as error:
        if temporary is not None:
            with suppress(OSError):
                temporary.unlink(missing_ok=True)
        raise ExportError(
            f"{path} could not be written: {error.strerror or error}",
            "What stood there before is unchanged",
            "Check the folder, its rights and the room on the disk",
        ) from error
    return path


def _mode_of(place: Path) -> int | None:
    """The rights of the file that is there, None where there is none. Raises ExportError: it is no ordinary file."""
    try:
        found = place.stat()
    except FileNotFoundError:
        return None
    if not stat.S_ISREG(found.st_mode):
        raise ExportError(f"{place} is there and is no ordinary file", "Nothing was written", "Choose another name")
    return stat.S_IMODE(found.st_mode)


def _keep_folder(folder: Path) -> None:
    """Have the disk keep the names of a folder, where the system can: a new name is lost with the power else."""
    with suppress(OSError):
        handle = os.open(folder, os.O_RDONLY)
        try:
            os.fsync(handle)
        finally:
            os.close(handle)


def _sweep(place: Path) -> None:
    """Remove what writings of this file left that were killed; once for each file, and nothing that may be at work."""
    if place in _SWEPT:
        return
    _SWEPT.add(place)
    ours, old = (
        re.compile(rf"\.{re.escape(place.name[:100])}\.[0-9a-f]{{8}}{re.escape(_PART)}"),
        time.time() - 3 * PATIENCE,
    )
    with suppress(OSError), os.scandir(place.parent) as entries:
        for entry in entries:
            if ours.fullmatch(entry.name) and entry.stat().st_mtime < old:
                with suppress(OSError):
                    os.unlink(entry.path)
