"""How a machine is linked: where programs go, where what it prints comes from. Checked by whoever reads a file."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from brisk_anchor.core.errors import LinkError
from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.link.feed import Feed
from brisk_anchor.link.files import FolderOfFiles, GrowingFile
from brisk_anchor.link.wire import Wire, WireSettings
from brisk_anchor.nc.bounded import is_file, is_folder


@dataclass(frozen=True, slots=True)
class LinkSettings:
    """A link. Programs go into `program_folder`, or down the `wire` where `sends`; reports come from one of three.

    `every`: look so often, s, where a share tells no watcher; `stale`: minutes after which what is known is old.
    """

    program_folder: Path | None = None
    sends: bool = False
    report_file: Path | None = None
    report_folder: Path | None = None
    report_names: str = "*"
    hears_wire: bool = False
    every: float | None = None
    wire: WireSettings | None = None
    stale: float = 15.0
    base: Path | None = None
    """The folder that paths are shown from."""

    def shown(self, path: Path) -> str:
        """A path as a person reads it: from the job's folder, where it lies in it."""
        inside = self.base is not None and path.is_relative_to(self.base)
        return f"{path.relative_to(self.base)} of the job" if inside and self.base is not None else f"{path}"

    @property
    def words(self) -> str:
        """In one line: what goes where."""
        out = f"programs to {self.program_folder}" if self.program_folder else "programs down the wire"
        out = out if self.program_folder or self.sends else "no way for programs"
        come = self.report_file or self.report_folder
        heard = f"reports from {come}" if come else "reports from the wire" if self.hears_wire else "no reports"
        return f"{out}, {heard}"

    @property
    def reports(self) -> bool:
        """Whether it can hear what a control prints."""
        return bool(self.report_file or self.report_folder or self.hears_wire)


def feed_of(settings: LinkSettings, wire: Wire | None, mark: dict[str, Any]) -> Feed | None:
    """What is listened to, from where it was heard before; None where nothing comes back."""
    if settings.report_file is not None:
        return GrowingFile(settings.report_file, settings.every, mark)
    if settings.report_folder is not None:
        return FolderOfFiles(settings.report_folder, settings.report_names, settings.every, mark)
    return wire if settings.hears_wire else None


def what_answers(settings: LinkSettings) -> list[tuple[bool, str]]:
    """What answers of a link: each part with whether it does. Nothing is written or sent."""
    found: list[tuple[bool, str]] = []
    for what, folder in (
        ("programs", settings.program_folder),
        ("reports", settings.report_file.parent if settings.report_file else settings.report_folder),
    ):
        if folder is not None:
            there = is_folder(folder)
            found.append((there, f"{what}: {folder} {'is there' if there else 'is not there'}"))
    if settings.report_file is not None and is_folder(settings.report_file.parent):
        there = is_file(settings.report_file)
        size = f"has {settings.report_file.stat().st_size} bytes" if there else "is not there yet"
        found.append((True, f"reports: {settings.report_file.name} {size}"))
    if settings.wire is not None:
        wire = Wire(settings.wire)
        try:
            wire.open()
        except LinkError as error:
            found.append((False, f"wire: {error.one_line()}"))
        else:
            quiet = " (speed, parity and flow are the converter's)" if settings.wire.is_socket else ""
            found.append((True, f"wire: {wire.words} opens{quiet}"))
        finally:
            wire.close()
    if not settings.reports:
        found.append((True, "reports: none come back; brisk-anchor take reads a file"))
    return found
