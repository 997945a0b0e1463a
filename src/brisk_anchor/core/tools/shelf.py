"""The tool shelf: what is known of the probe's calibration, of cutters and their lengths, and of the tool setter."""

from __future__ import annotations

import math
from dataclasses import replace
from enum import Enum

from brisk_anchor.core.errors import GeometryError
from brisk_anchor.lazy_dataclass import dataclass

FIGURES = ("radius", "length", "offset")
"""What a stylus is calibrated for."""


@dataclass(frozen=True, slots=True)
class ProbeRecord:
    """The day the probe was calibrated (ISO, "" where nobody knows), how many it holds, and what is `due` since.

    `scattered` is the day its repeatability was found by touching many times.
    """

    calibrated: str = ""
    valid_days: int | None = None
    due: tuple[str, ...] = ()
    scattered: str = ""

    def changed(self, what: str) -> ProbeRecord:
        """After a new stylus (everything is due), or another pocket (where it seats: length and offset)."""
        due = FIGURES if what == "stylus" else ("length", "offset")
        return replace(self, due=tuple(name for name in FIGURES if name in {*self.due, *due}))

    def done(self, what: str, day: str) -> ProbeRecord:
        """After one of its figures was calibrated."""
        return replace(self, calibrated=day, due=tuple(name for name in self.due if name != what))


class Health(Enum):
    """Whether a tool's length holds."""

    WHOLE = "whole"
    BROKEN = "broken"
    OLD_MASTER = "old master"


@dataclass(frozen=True, slots=True)
class Cutter:
    """A cutter: its length as the control's tool table counts it, mm, None where nobody knows it.

    `measured` is the day it was, ISO, "" where nobody knows. `before` is the length that a broken one had.
    """

    number: int
    name: str
    diameter: float
    length: float | None
    u_length: float = 0.0
    measured: str = ""
    health: Health = Health.WHOLE
    before: float | None = None


@dataclass(frozen=True, slots=True)
class Setter:
    """A tool setter: its height over what it stands on, mm, `u_*` standard uncertainties.

    `row` is the reference offset that is kept for it and for nothing else: its Z is the foot of the setter. `master` is
    the number of the tool that the reference is taken with. `at` is where it stands, machine X and Y of the spindle.
    """

    name: str
    height: float
    u_height: float
    u_repeatability: float
    row: str
    master: int
    at: tuple[float, float] | None = None

    def __post_init__(self) -> None:
        figures = (self.height, self.u_height, self.u_repeatability)
        if not all(math.isfinite(value) and value >= 0 for value in figures) or not 0 < self.height <= 500:
            raise GeometryError(f"{self.name}: a figure makes no sense", "Every length would be wrong", "Give mm")


@dataclass(frozen=True, slots=True)
class Shelf:
    """Everything on it beside the stylus and the tools of the hand, which the set-up holds itself."""

    probe: ProbeRecord = ProbeRecord()
    cutters: tuple[Cutter, ...] = ()
    setter: Setter | None = None

    def cutter(self, number: int) -> Cutter:
        """The cutter of a number; KeyError when there is none."""
        for cutter in self.cutters:
            if cutter.number == number:
                return cutter
        raise KeyError(number)

    def with_cutter(self, cutter: Cutter) -> Shelf:
        """The shelf with a cutter in the place of the one of its number."""
        return replace(self, cutters=tuple(cutter if c.number == cutter.number else c for c in self.cutters))

    def counted_from(self, master: float) -> Shelf:
        """The shelf with lengths that are short of those from the gauge line by the master's, mm."""
        cutters = (
            replace(
                c,
                length=None if c.length is None else c.length - master,
                before=None if c.before is None else c.before - master,
            )
            for c in self.cutters
        )
        return replace(self, cutters=tuple(cutters))

    def with_new_master(self, convention: str) -> Shelf:
        """The shelf after the master got a new tip.

        Lengths that are counted from the master become invalid then; from the gauge line they hold, and only the
        reference has to be taken again.
        """
        if convention != "master":
            return self
        cutters = (
            replace(c, health=Health.OLD_MASTER) if c.health is Health.WHOLE and c.length is not None else c
            for c in self.cutters
        )
        return replace(self, cutters=tuple(cutters))
