"""The file that tells how a machine was left, beside the book: read at start, written whole whenever it has moved."""

from __future__ import annotations

from datetime import UTC, datetime
from pathlib import Path

from brisk_anchor.core.errors import ExportError
from brisk_anchor.services.machine.kept_file import KeptFile
from brisk_anchor.standin.control import Control
from brisk_anchor.standin.state import LONGEST, Left, restore, snapshot


class MachineFile:
    """One machine's file; without a path nothing is kept."""

    def __init__(self, path: Path | None) -> None:
        self.path = path
        self._file = KeptFile(path, LONGEST, "moved this stand-in")
        self.failed: ExportError | None = None
        """Why the last writing failed; the machine goes on, and the screen says so."""

    def load(self, control: Control) -> Left | None:
        """Put the machine back to how it was left; returns which entry of the book it knew, None when it never was.

        Raises:
            StateError: the file cannot be read or is not this machine's; nothing is changed.
        """
        data = self._file.read()
        return None if data is None or self.path is None else restore(control, data, self.path.name)

    def save(self, control: Control, mark: tuple[int, str]) -> None:
        """Write how the machine stands now; `mark` is the newest entry of the book that is known, and its own id."""
        if self.path is None:
            return
        try:
            self._file.write(snapshot(control, datetime.now(UTC), Left(*mark)))
        except ExportError as error:
            self.failed = error
        else:
            self.failed = None
