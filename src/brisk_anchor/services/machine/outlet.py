"""Programs on their way to a control: as a file where it finds them, or down the wire. Nothing starts by that."""

from __future__ import annotations

import re
from collections.abc import Callable
from pathlib import Path

from brisk_anchor.core.errors import ExportError, LinkError
from brisk_anchor.exchange.files import write_whole
from brisk_anchor.link.settings import LinkSettings
from brisk_anchor.link.wire import Wire
from brisk_anchor.nc.bounded import is_folder, read_at_most
from brisk_anchor.nc.profile.control_profile import Profile
from brisk_anchor.nc.profile.sections import Transfer
from brisk_anchor.nc.programs.program import Program

_LONGEST = 20_000_000
_LINE_ENDS = {"LF": "\n", "CR LF": "\r\n", "CR": "\r"}
_USUAL = Transfer(file_name="O{number:04d}.nc")
OURS = "BRISK ANCHOR"
"""Stands in the head of every program of ours."""


def plainly(text: str) -> str:
    """A program without what controls strip or pad: comments, blanks, line ends, leading zeros of its words."""
    bare = re.sub(r"\([^)]*\)|;[^\n]*", "", text.upper())
    bare = re.sub(r"(?<=[A-Z])([+-]?)0+(?=[0-9])", r"\1", re.sub(r"[ \t%]", "", bare))
    return "\n".join(line for line in re.split(r"[\r\n]+", bare) if line)


class Outlet:
    """The way of programs to one control."""

    def __init__(self, settings: LinkSettings, profile: Profile, wire: Wire | None) -> None:
        self._settings = settings
        self._profile = profile
        self._wire = wire
        self.is_ours: Callable[[str], bool] = lambda _text: False
        """Whether a text that lies there is a program of this job's, as `plainly` has it."""

    @property
    def exists(self) -> bool:
        """Whether programs can go anywhere."""
        return self._settings.program_folder is not None or self._settings.sends

    def file_of(self, program: Program) -> Path | None:
        """Where a program's file goes; None where it goes down the wire."""
        folder = self._settings.program_folder
        name = (self._profile.transfer or _USUAL).file_name.format(number=program.number)
        return None if folder is None else folder / name

    def put(self, program: Program, told: Callable[[int, int], bool] = lambda _done, _of: True) -> str:
        """Put a program where the control finds it; in words where that is.

        Raises:
            LinkError: there is no way, it is too long for the control, a file of somebody else's lies there, or the
                wire is lost. ExportError: it cannot be written.
        """
        transfer = self._profile.transfer or _USUAL
        text = self._text(program, transfer)
        path = self.file_of(program)
        if path is None:
            if self._wire is None or not self._settings.sends:
                raise LinkError(
                    "No way for programs is described", "", "Give [link] of machine.toml a folder or a port"
                )
            self._wire.send(program.text, told)
            return f"{program.label} went down {self._wire.settings.port}"
        if not is_folder(path.parent):
            raise LinkError(
                f"{path.parent} is not there", "The control would not find the program", "Look at the share"
            )
        self._compare(path, program)
        write_whole(path, text.encode("ascii", "replace"))
        return f"{program.label} is {path.name} in {self._settings.shown(path.parent)}"

    def _text(self, program: Program, transfer: Transfer) -> str:
        if (most := transfer.longest_line) is not None:
            for number, line in enumerate(program.lines, 1):
                if len(line.text) > most:
                    raise LinkError(
                        f"Line {number} of {program.label} has {len(line.text)} characters",
                        f"This control takes {most} in a line",
                        "Give the profile a shorter comment.longest, or look at transfer.longest_line",
                    )
        text = program.text.replace("\n", _LINE_ENDS[transfer.line_end])
        if transfer.longest_file is not None and len(text) > transfer.longest_file:
            raise LinkError(
                f"{program.label} has {len(text)} bytes",
                f"This control takes {transfer.longest_file}",
                "Split the plan",
            )
        return text

    def _compare(self, path: Path, program: Program) -> None:
        """Look what lies there before it is written over. Raises LinkError: somebody else's program."""
        try:
            there = read_at_most(path, _LONGEST)
        except FileNotFoundError:
            return
        except OSError as error:
            raise LinkError(f"{path} cannot be looked at", str(error.strerror or error), "Look at its rights") from None
        text = there.decode("ascii", "replace")
        if OURS in text[:2000].upper() or self.is_ours(plainly(text)) or not text.strip():
            return
        raise LinkError(
            f"{path.name} there is a program of somebody else's",
            f"{program.label} would have overwritten it; nothing was written",
            "Give the job other program numbers (program in job.toml), or put that file elsewhere",
        )

    def withdraw(self, program: Program) -> bool:
        """Take a program's file away again, where it is still ours as it was put there. Raises ExportError."""
        path = self.file_of(program)
        try:
            if path is None or plainly(path.read_text(encoding="ascii", errors="replace")) != plainly(program.text):
                return False
            path.unlink()
        except OSError as error:
            if isinstance(error, FileNotFoundError):
                return False
            raise ExportError(f"{path} could not be taken away", str(error.strerror or error), "") from None
        return True
