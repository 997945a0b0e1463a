"""NC text from a file on a fresh stand-in, and everything that came of it."""

from __future__ import annotations

import io
import json
import time
from collections.abc import Iterator
from pathlib import Path

from brisk_anchor.core.errors import BriskAnchorError, CrashError
from brisk_anchor.core.kinds import Vector
from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.nc.bounded import UNREAD, open_plain
from brisk_anchor.nc.profile.control_profile import Profile, profile_of, shipped_profile
from brisk_anchor.nc.read.extents import ExtentReader, read_extents
from brisk_anchor.nc.read.interpreter import Alarm, Interpreter
from brisk_anchor.nc.read.port import MachinePort
from brisk_anchor.nc.read.scanner import LONGEST_PROGRAM
from brisk_anchor.services.machine.runs import Run
from brisk_anchor.standin.scene import build_scene
from brisk_anchor.standin.scene_file import load_scene

_LONGEST_LINE = 1000
_UNREAD = dict.fromkeys(UNREAD)
_KEPT_MOVES = 10_000
"""Moves held in memory while a long program runs."""


@dataclass(frozen=True, slots=True)
class Hit:
    """One contact of the ball: line, what was met, where (machine mm)."""

    line: int
    solid: str
    place: Vector


@dataclass(frozen=True, slots=True)
class DryRun:
    """The outcome of a run. Times in seconds."""

    offsets: dict[str, Vector]
    hits: tuple[Hit, ...]
    printed: tuple[str, ...]
    failure: BriskAnchorError | None
    alarm: Alarm | None
    blocks: int
    machine_seconds: float
    seconds: float

    @property
    def ended(self) -> str:
        """How it ended, in one word."""
        if self.failure is None:
            return "end"
        return "crash" if isinstance(self.failure, CrashError) else "alarm"

    @property
    def alarms(self) -> list[Alarm]:
        """The alarm that ended it, unless it was a crash."""
        return [self.alarm] if self.alarm and self.ended == "alarm" else []

    def as_json(self) -> str:
        """All of it as JSON (form `brisk-anchor-run-1`, see docs/formats.md)."""
        failure = self.failure
        return json.dumps(
            {
                "form": "brisk-anchor-run-1",
                "units": "mm",
                "ended": self.ended,
                "failure": None
                if failure is None
                else {"what": failure.what, "meaning": failure.meaning, "remedy": failure.remedy},
                "alarms": [{"number": a.number, "line": a.line, "text": a.text} for a in self.alarms],
                "crashes": [
                    {"part": c.part, "solid": c.solid, "place": list(c.place), "line": a.line}
                    for a in ([self.alarm] if self.alarm else [])
                    if isinstance(c := a.error, CrashError)
                ],
                "offsets": {row: dict(zip("xyz", values, strict=True)) for row, values in self.offsets.items()},
                "hits": [{"line": h.line, "solid": h.solid, "place": list(h.place)} for h in self.hits],
                "printed": list(self.printed),
                "blocks": self.blocks,
                "machine_seconds": self.machine_seconds,
                "seconds": self.seconds,
            },
            indent=2,
            ensure_ascii=False,
        )

    def as_text(self) -> str:
        """All of it for a person."""
        lines = [f"Offsets after the run (mm), {len(self.offsets)} rows:"]
        for row, values in sorted(self.offsets.items()):
            lines.append(f"  {row}  " + "  ".join(f"{a} {v:+.4f}" for a, v in zip("XYZ", values, strict=True)))
        lines.append(f"Hits: {len(self.hits)}")
        lines += [
            f"  line {hit.line:<4} {hit.solid}  "
            + " ".join(f"{a}{v:+.3f}" for a, v in zip("XYZ", hit.place, strict=True))
            for hit in self.hits
        ]
        lines.append(f"Printed: {len(self.printed)} lines")
        lines += [f"  {line}" for line in self.printed]
        lines.append(f"Ended: {self.ended}" + (f": {self.failure.what}" if self.failure else ""))
        lines.append(f"{self.blocks} blocks, {self.machine_seconds:.1f} s of machine time in {self.seconds:.3f} s")
        return "\n".join(lines)


def _lines(path: Path) -> Iterator[str]:
    """Lines of a file, one at a time; none is longer than a control takes, so a file of one line is no trap.

    A comment may be in any script: what is no UTF-8 stands as a mark that no word has.

    Raises:
        ProgramFileError: when it cannot be read.
    """
    try:
        with io.TextIOWrapper(open_plain(path), encoding="utf-8-sig", errors="replace", newline=None) as stream:
            while line := stream.readline(_LONGEST_LINE):
                yield line.rstrip("\n").translate(_UNREAD)
    except OSError as error:
        raise ProgramFileError(
            f"{path} cannot be read: {error.strerror}", "Nothing was run", "Check the name"
        ) from error


def read_program(path: Path) -> str:
    """NC text from a file that is held whole.

    Raises:
        ProgramFileError: when it cannot be read, or is too long to hold.
    """
    try:
        long = path.stat().st_size > LONGEST_PROGRAM
    except OSError as error:
        raise ProgramFileError(f"{path} cannot be read: {error.strerror}", "", "Check the name") from error
    if long:
        raise ProgramFileError(
            f"{path} is longer than {LONGEST_PROGRAM // 1_000_000} MB",
            "It cannot be held whole",
            "Run it with brisk-anchor run, which streams it",
        )
    return "\n".join(_lines(path)) + "\n"


def interpreter_of(path: Path, profile: Profile, machine: MachinePort) -> Interpreter:
    """A file on a machine: held whole when it is short enough, else as a stream in flat memory.

    Raises:
        ProgramFileError: when it cannot be read. NcError: a line is refused.
    """
    try:
        size = path.stat().st_size
    except OSError as error:
        raise ProgramFileError(
            f"{path} cannot be read: {error.strerror}", "Nothing was run", "Check the name"
        ) from error
    if size <= LONGEST_PROGRAM:
        return Interpreter("\n".join(_lines(path)), profile, machine)
    return Interpreter.streamed(lambda: _lines(path), profile, machine)


def extents_of(path: Path, profile: Profile | None = None) -> ExtentReader:
    """Extents of a cutting program from a file of any size, as the control of a profile reads it.

    Raises:
        ProgramFileError: the file cannot be read. NcError: a block cannot be read or needs running.
    """
    try:
        with open_plain(path) as stream:
            return read_extents(stream, profile.steps_of_whole if profile is not None else None)
    except OSError as error:
        raise ProgramFileError(f"{path} cannot be read: {error.strerror}", "", "Check the name") from error


class ProgramFileError(BriskAnchorError):
    """The file with NC text cannot be read."""


def dry_run(path: Path, scene_name: str, *, seed: int | None, profile: str | None = None) -> DryRun:
    """Run a file on a fresh stand-in in a scene; `seed` None is without noise, `profile` None is the scene's own.

    Raises:
        SceneError, ProfileError, ProgramFileError, NcError: when it cannot even begin.
    """
    scene = build_scene(load_scene(scene_name))
    control = profile_of(profile) if profile else shipped_profile(scene.setup.machine.profile)
    machine = scene.stand_in(seed=seed)
    started = time.perf_counter()
    interpreter = interpreter_of(path, control, machine)
    run = Run("", control, machine, interpreter)
    while interpreter.step():
        if len(machine.motions) >= _KEPT_MOVES:
            machine.forget_motions()
    seconds = time.perf_counter() - started
    return DryRun(
        offsets=dict(machine.offsets),
        hits=tuple(Hit(m.line, m.solid, m.contact) for m in machine.hits if m.contact),
        printed=tuple(run.printed),
        failure=run.failure(),
        alarm=run.interpreter.alarm,
        blocks=run.interpreter.blocks_run,
        machine_seconds=machine.seconds,
        seconds=seconds,
    )
