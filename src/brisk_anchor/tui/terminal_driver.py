"""Textual's driver of a terminal, made to last: a window that is closed does not leave the program hanging.

When a window is closed, the system sends SIGHUP and then SIGCONT. Textual takes the second for the end of a Ctrl+Z and
begins anew on a terminal that is gone: its writing fails, nobody empties the queue of what is to be written, and the
program waits for that for ever.
"""

from __future__ import annotations

import asyncio
import os
import sys
from typing import IO, TYPE_CHECKING, Any

from textual.drivers.linux_driver import LinuxDriver

if TYPE_CHECKING:
    from textual.app import App


class LastingFile:
    """A terminal's file that takes what is written for good, once the terminal has gone."""

    def __init__(self, file: IO[str]) -> None:
        self._file = file
        self.gone = False

    def write(self, text: str) -> int:
        """Write a text; its length, written or not."""
        if not self.gone:
            try:
                self._file.write(text)
            except OSError:
                self.gone = True
        return len(text)

    def flush(self) -> None:
        """Hand on what was written."""
        if not self.gone:
            try:
                self._file.flush()
            except OSError:
                self.gone = True

    def fileno(self) -> int:
        """The number of the file."""
        return self._file.fileno()

    def isatty(self) -> bool:
        """Whether it is a terminal, and still there."""
        return not self.gone and self._file.isatty()


class TerminalDriver(LinuxDriver):
    """Begins anew only where it was stopped, and where the terminal is still there."""

    def __init__(self, app: App[Any], **options: Any) -> None:
        """`options` are those of Textual's own."""
        super().__init__(app, **options)
        self._file = LastingFile(sys.__stderr__)  # type: ignore[assignment, arg-type]
        self._loop = asyncio.get_running_loop()

    def _sigtstp_application(self, *_: object) -> None:
        # Not here: a signal may come while the queue of what is written is held, and this writes too.
        self._loop.call_soon_threadsafe(super()._sigtstp_application)

    def _sigcont_application(self, *_: object) -> None:
        self._loop.call_soon_threadsafe(self._come_back)

    def _come_back(self) -> None:
        if not os.isatty(self.fileno):
            return
        if not self._must_signal_resume:  # stopped by SIGSTOP: what runs ends first, or keys would be read twice
            self.suspend_application_mode()
            self._must_signal_resume = True
        super()._sigcont_application()

    def resume_application_mode(self) -> None:
        """Begin anew; the thread that wrote before ends first."""
        self.close()
        super().resume_application_mode()
