"""The error tree. Every error a person can meet is one of these.

BriskAnchorError
├── NumberEntryError      a typed figure that cannot be read, or lies out of range
├── NothingFoundError     words that nothing that is listed has
├── GeometryError         touches that do not define the feature asked for
├── DatumError            a rule that cannot make an offset of what was measured
├── PlanError             a measurement that cannot be written as a safe program
├── FindingsError         a file from outside with one or more faults, all listed
│   ├── ProfileError      ... a control profile
│   ├── JobError          ... the files of a job
│   ├── StateError        ... how a machine was left
│   ├── SceneError        ... a scene of the stand-in
│   ├── PlanFileError     ... a plan in a file
│   ├── TableFileError    ... an offset table in a file
│   └── KeysError         ... keys of a person's own
├── NcError               NC text that is refused, with its line
├── ReportError           report lines that are broken, incomplete or of another program
├── MachineError          the stand-in stopped
│   ├── ToolError         ... a tool that is not there, or must not do this
│   ├── GuardError        ... not homed, door open, wrong mode
│   ├── TravelError       ... a target outside the travels
│   └── CrashError        ... something other than the ball touched, or the ball in a rapid
├── BookError             the book cannot be opened or written
│   ├── BookVersionError  ... it comes from a newer version
│   ├── BookDamagedError  ... it is damaged, or no book at all
│   ├── BookTamperedError ... an entry was changed or taken out after it had been added
│   └── BookWriteError    ... the store did not happen (disk full, locked, read-only)
│       ├── BookTakenError  ... another window added to the row meanwhile
│       └── BookSilentError ... it did not answer in time
├── DrawingFileError      a drawing or mesh from outside that cannot be read
├── LinkError             a machine's link that does not answer, or cannot do what is asked
├── InspectionError       a characteristic that cannot be judged, a correction that cannot be made
└── ExportError           a drawing or a file that could not be written
"""

from __future__ import annotations

from brisk_anchor.core.key_marks import plain
from brisk_anchor.core.quantities import dim, signed_dim
from brisk_anchor.lazy_dataclass import dataclass


def shown(text: str) -> str:
    """A text of one line, in which nothing is left that a terminal would act on: a file's name may hold escapes."""
    return "".join(character if character.isprintable() else "�" for character in text)


class BriskAnchorError(Exception):
    """What happened, what it means, what to do: three short sentences a machinist can act on."""

    exit_code = 2

    def __init__(self, what: str, meaning: str = "", remedy: str = "") -> None:
        self.what = what
        self.meaning = meaning
        self.remedy = remedy
        super().__init__(self.one_line())

    def one_line(self, *, marked: bool = False) -> str:
        """The whole message on one line; `marked` leaves the marks of keys in it, for a screen that knows the keys."""
        parts = [" ".join(part.split()) for part in (self.what, self.meaning, self.remedy) if part]
        line = shown(" ".join(part if part.endswith(("?", "!")) else f"{part.rstrip('.')}." for part in parts))
        return line if marked else plain(line)


class NumberEntryError(BriskAnchorError):
    """A typed figure was refused."""


class NothingFoundError(BriskAnchorError):
    """Nothing that is listed has the words that were typed."""


class GeometryError(BriskAnchorError):
    """The touches do not define the feature."""


class DatumError(BriskAnchorError):
    """The datum rule cannot make an offset of what was measured."""


class PlanError(BriskAnchorError):
    """The measurement cannot be written as a safe program."""


@dataclass(frozen=True, slots=True)
class Fault:
    """One fault in a file: where it stands and what is wrong."""

    place: str
    reason: str

    def __str__(self) -> str:
        return shown(f"{self.place}: {self.reason}" if self.place else self.reason)


class FindingsError(BriskAnchorError):
    """A file with faults; `findings` lists all of them."""

    noun = "file"

    def __init__(self, name: str, findings: tuple[Fault, ...], remedy: str = "") -> None:
        self.name = name
        self.findings = findings
        shown = "; ".join(str(finding) for finding in findings[:3])
        if len(findings) > 3:
            shown += f"; and {len(findings) - 3} more"
        super().__init__(
            f"The {self.noun} {name} cannot be used: {shown}",
            "Nothing was loaded from it",
            remedy or "Correct the errors listed and try again",
        )


class ProfileError(FindingsError):
    """A control profile with faults."""

    noun = "control profile"


class SceneError(FindingsError):
    """A scene with faults."""

    noun = "scene"


class JobError(FindingsError):
    """Files of a job with faults."""

    noun = "job"


class KeysError(FindingsError):
    """A file of keys with faults."""

    noun = "keys in"


class StateError(FindingsError):
    """A file that tells how a machine was left, with faults."""

    noun = "machine state"


class NcError(BriskAnchorError):
    """NC text that cannot be run: the line, the block as written, and the reason."""

    exit_code = 3

    def __init__(self, line: int, block: str, reason: str, remedy: str = "") -> None:
        self.line = line
        self.block = block
        self.reason = reason
        super().__init__(
            f"Line {line}: {reason}",
            f"The block is “{block.strip()[:80]}”; the run stopped before it" if block.strip() else "",
            remedy,
        )


class ReportError(BriskAnchorError):
    """Report lines that cannot be trusted."""


class MachineError(BriskAnchorError):
    """The machine stopped; `number` is the alarm the control shows."""

    exit_code = 4
    number = 10


class ToolError(MachineError):
    """A tool that is not there, or a thing that the tool in the spindle must not do."""

    number = 13


class GuardError(MachineError):
    """The machine is not ready for what is asked: not homed, door open, wrong mode."""

    number = 14


class TravelError(MachineError):
    """A target outside the travels; carries the axis and the amount in mm (degrees for a rotary axis)."""

    number = 11

    def __init__(self, axis: str, target: float, limit: float) -> None:
        self.axis = axis
        self.amount = abs(target - limit)
        super().__init__(
            f"{axis} would have to go to {signed_dim(target, 3)}, "
            f"{dim(self.amount, 3)} past its travel end at {signed_dim(limit, 3)}",
            "The machine did not move",
            "Move the start, the set-up or the clear height so that the whole path lies inside the travels",
        )


class CrashError(MachineError):
    """Contact that breaks something; carries what touched what, and where (machine mm)."""

    exit_code = 5
    number = 12

    def __init__(self, part: str, solid: str, place: tuple[float, float, float], during: str) -> None:
        self.part = part
        self.solid = solid
        self.place = place
        at = " ".join(f"{axis}{signed_dim(value, 3)}" for axis, value in zip("XYZ", place, strict=True))
        super().__init__(
            f"Crash: the {part} met {solid} at {at} during {during}",
            "On a real machine something is broken now",
            "Raise the clear height or move the start, then prove the program again",
        )


class BookError(BriskAnchorError):
    """The book cannot be opened or read."""

    exit_code = 6


class BookVersionError(BookError):
    """The book was written by a newer version."""


class BookDamagedError(BookError):
    """What lies in the book's place is damaged, or no book at all."""


class BookTamperedError(BookError):
    """An entry of the book was changed or taken out after it had been added."""

    exit_code = 1

    def __init__(self, what: str) -> None:
        super().__init__(
            what,
            "The book only grows: something else has changed it, and its figures cannot be trusted from there on",
            "Restore a backup, then run: brisk-anchor book verify --restored",
        )


class BookWriteError(BookError):
    """A store did not happen; what was stored before is unchanged."""


class BookTakenError(BookWriteError):
    """Another window added to the same row meanwhile."""


class BookSilentError(BookWriteError):
    """The book did not answer in time: a server is down or hangs, or a disk does."""


class PlanFileError(FindingsError):
    """A plan in a file that cannot be used."""

    noun = "plan"


class TableFileError(FindingsError):
    """A file with an offset table that cannot be read."""

    noun = "table"


class DrawingFileError(BriskAnchorError):
    """A drawing or mesh that cannot be read."""


class ExportError(BriskAnchorError):
    """A drawing or file could not be written."""


class LinkError(BriskAnchorError):
    """A machine cannot be reached, or not in this way."""


class InspectionError(BriskAnchorError):
    """A characteristic that cannot be judged, or a correction that cannot be made."""
