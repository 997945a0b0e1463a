"""The file that keeps how a machine was left: one window writes it, and none over what another wrote."""

from __future__ import annotations

from pathlib import Path

from brisk_anchor.core.errors import ExportError, Fault, StateError
from brisk_anchor.exchange.files import write_whole
from brisk_anchor.nc.bounded import read_at_most, why_unread


class KeptFile:
    """A file that is compared with what was read or written here before it is written again."""

    def __init__(self, path: Path | None, longest: int, done: str) -> None:
        """Without a path nothing is kept; `longest` is in bytes; `done` says what writing means: "moved this lathe"."""
        self.path, self._longest, self._done = path, longest, done
        self._seen: bytes | None = None

    def read(self) -> bytes | None:
        """What stands there, None where nothing does.

        Raises:
            StateError: it cannot be read, or is too long.
        """
        if self.path is None or not self.path.exists():
            return None
        try:
            data = read_at_most(self.path, self._longest)
        except OSError as error:
            raise StateError(self.path.name, (Fault("", why_unread(error)),)) from error
        if len(data) > self._longest:
            raise StateError(self.path.name, (Fault("", f"larger than {self._longest} bytes"),))
        self._seen = data
        return data

    def compare(self) -> None:
        """Look that nobody else wrote it since it was read or written here.

        Raises:
            ExportError: another window did, or the file cannot be read.
        """
        if self.path is None:
            return
        try:
            stands = read_at_most(self.path, self._longest) if self.path.exists() else None
        except OSError as error:
            raise ExportError(
                f"{self.path} cannot be read: {error.strerror or error}",
                f"Whether another window {self._done} is not known",
                "Check the folder and its rights",
            ) from error
        if stands is not None and stands != self._seen:
            raise ExportError(
                f"Another window {self._done} meanwhile",
                "What it left is kept; nothing here is written over it",
                "Close this window and open the job again",
            )

    def write(self, data: bytes) -> None:
        """Write it, after comparing. Raises ExportError."""
        if self.path is not None:
            self.compare()
            write_whole(self.path, data)
            self._seen = data
