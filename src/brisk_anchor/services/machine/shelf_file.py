"""A file beside that of the machine: it keeps the changes to the tools where the job has no files."""

from __future__ import annotations

import hashlib
from dataclasses import replace
from pathlib import Path
from typing import Literal

from pydantic import TypeAdapter, ValidationError

from brisk_anchor.core.errors import BriskAnchorError, Fault, StateError
from brisk_anchor.core.features.touches import Stylus
from brisk_anchor.core.offsets.setup import Setup
from brisk_anchor.core.tools.hand_tools import HandTool
from brisk_anchor.core.tools.shelf import Shelf
from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.nc.profile.control_profile import findings_of
from brisk_anchor.services.machine.kept_file import KeptFile

LONGEST = 1_000_000


@dataclass(frozen=True, slots=True)
class KeptTools:
    """Calibrations and declared states, with a hash of the tools as they were described when these were found."""

    form: Literal["brisk-anchor-tools-1"]
    described: str
    stylus: Stylus
    hand_tools: tuple[HandTool, ...]
    shelf: Shelf


class ShelfFile:
    """One machine's file of its tools; without a path nothing is kept."""

    def __init__(self, machine_file: Path | None, setup: Setup) -> None:
        """`machine_file` is the file that keeps how the machine was left, `setup` the tools as they are described."""
        self.path = machine_file.with_name(f"{machine_file.stem}-tools.json") if machine_file is not None else None
        self._file = KeptFile(self.path, LONGEST, "changed the tools of this machine")
        words = repr(
            (setup.stylus, setup.stylus.calibrations, setup.stylus.by_direction, setup.hand_tools, setup.shelf)
        )
        self._described = hashlib.sha256(words.encode()).hexdigest()

    def load(self, setup: Setup) -> Setup:
        """The set-up with its tools as they were kept; as it is described where nothing was, or it is another by now.

        Raises:
            StateError: the file cannot be read; nothing is changed.
        """
        data = self._file.read()
        if data is None or self.path is None:
            return setup
        name = self.path.name
        try:
            kept = _ADAPTER.validate_json(data)
        except ValidationError as error:
            raise StateError(name, findings_of(error)) from error
        except BriskAnchorError as error:
            raise StateError(name, (Fault("", error.one_line()),)) from error
        if kept.described != self._described:
            return setup
        return replace(setup, stylus=kept.stylus, hand_tools=kept.hand_tools, shelf=kept.shelf)

    def save(self, setup: Setup) -> None:
        """Keep the tools as they are now.

        Raises:
            ExportError: another window changed them meanwhile, or they cannot be written.
        """
        kept = KeptTools("brisk-anchor-tools-1", self._described, setup.stylus, setup.hand_tools, setup.shelf)
        self._file.write(_ADAPTER.dump_json(kept, indent=1))


_ADAPTER = TypeAdapter(KeptTools)
