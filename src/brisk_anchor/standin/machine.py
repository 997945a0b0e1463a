"""The virtual machine: moves, probe, tables and travels. It is what the interpreter drives."""

from __future__ import annotations

import copy
import math
from dataclasses import dataclass
from enum import Enum

import numpy as np

from brisk_anchor.core.errors import CrashError, MachineError, TravelError
from brisk_anchor.core.kinds import Vector
from brisk_anchor.core.setup import Machine
from brisk_anchor.core.touches import AXES, Stylus
from brisk_anchor.nc.port import SkipResult
from brisk_anchor.standin.solids import Solid
from brisk_anchor.standin.tracing import Contact, ProbeShape, Tracer


class MoveKind(Enum):
    """How a move was made."""

    RAPID = "rapid"
    FEED = "feed"
    SKIP = "skip"
    DWELL = "dwell"


@dataclass(frozen=True, slots=True)
class Motion:
    """One move as it happened; positions are the spindle's, machine mm. `contact` is the place on the metal."""

    kind: MoveKind
    line: int
    start: Vector
    end: Vector
    feed: float
    seconds: float
    contact: Vector | None = None
    solid: str = ""

    def at(self, share: float) -> Vector:
        """Position after a share (0 to 1) of the way."""
        x, y, z = (a + (b - a) * share for a, b in zip(self.start, self.end, strict=True))
        return x, y, z


@dataclass(frozen=True, slots=True)
class RealProbe:
    """The probe as it really is. Pre-travel is `pre_travel + lobing·cos(3·heading)` mm; noise is 1σ, mm.

    The signal comes `delay` seconds late, so that a fast touch reads worse than a slow one. A probe that is "absent"
    never signals, one that is "stuck" always does.
    """

    stylus: Stylus
    length: float
    pre_travel: float
    lobing: float
    noise: float
    over_travel: float
    delay: float = 0.0
    fault: str = ""


def move_seconds(distance: float, feed: float, acceleration: float) -> float:
    """Time of a move from rest to rest with a trapezoid of speed. `feed` mm/min, `acceleration` mm/s², result s."""
    if distance <= 0:
        return 0.0
    speed = feed / 60.0
    ramp = speed * speed / acceleration
    if distance >= ramp:
        return distance / speed + speed / acceleration
    return 2 * math.sqrt(distance / acceleration)


class StandIn:
    """A machine with its set-up and probe. Implements `MachinePort`."""

    def __init__(
        self,
        machine: Machine,
        solids: tuple[Solid, ...],
        probe: RealProbe,
        position: Vector,
        offsets: dict[str, Vector],
        *,
        seed: int | None = 1,
    ) -> None:
        """`seed` None switches the noise of the probe off."""
        self.machine = machine
        self.probe = probe
        self.tracer = Tracer(solids, ProbeShape.of(probe.stylus))
        self.motions: list[Motion] = []
        self.offsets = dict(offsets)
        self._position = position
        self._random = np.random.default_rng(seed) if seed is not None else None

    @property
    def position(self) -> Vector:
        """Where the spindle stands, machine mm."""
        return self._position

    @property
    def tip(self) -> Vector:
        """Where the ball's lowest point is, machine mm."""
        x, y, z = self._position
        return x, y, z - self.probe.length

    @property
    def tool_in_spindle(self) -> int:
        """Number of the tool in the spindle."""
        return self.probe.stylus.tool_number

    @property
    def seconds(self) -> float:
        """Machine time of all moves so far."""
        return sum(motion.seconds for motion in self.motions)

    def twin(self, *, seed: int | None) -> StandIn:
        """The same machine with tables and position copied: what runs on it changes nothing here."""
        other = copy.copy(self)
        other.offsets = dict(self.offsets)
        other.motions = []
        other._random = np.random.default_rng(seed) if seed is not None else None
        return other

    def hold(self, motion: Motion, share: float) -> None:
        """Stop within the last move: the spindle stands after `share` of it."""
        self._position = motion.at(min(1.0, max(0.0, share)))

    @property
    def touching(self) -> bool:
        """Whether any part of the probe stands against metal now."""
        return not self.tracer.free(self.tip)

    def go_home(self) -> None:
        """Send the spindle home, Z first. From metal the stand-in lifts the probe free as a hand would.

        Raises:
            MachineError: something is in the way of a probe that stood free.
        """
        x, y, _ = self._position
        home = self.machine.home
        if self.touching:
            self._record(MoveKind.RAPID, 0, (x, y, home[2]), self.machine.rapid, None)
        else:
            self.rapid((x, y, home[2]), 0)
        self.rapid(home, 0)

    # -- MachinePort -------------------------------------------------------------------------------------------

    def offset(self, row: str) -> Vector:
        """Values of an offset row, mm; zero where nothing was ever written."""
        return self.offsets.get(row, (0.0, 0.0, 0.0))

    def write_offset(self, row: str, values: Vector) -> None:
        """Write an offset row, mm."""
        self.offsets[row] = values

    def tool_length(self, number: int) -> float:
        """Length in the tool table, mm. Raises ValueError when there is no such tool."""
        if number != self.probe.stylus.tool_number:
            raise ValueError(f"H{number} is empty in the tool table")
        return self.probe.stylus.length

    def dwell(self, seconds: float, line: int) -> None:
        """Wait."""
        self.motions.append(Motion(MoveKind.DWELL, line, self._position, self._position, 0.0, seconds))

    def rapid(self, target: Vector, line: int) -> None:
        """Move at rapid; any contact is a crash."""
        self._free(target, self.machine.rapid, line, MoveKind.RAPID)

    def feed(self, target: Vector, feed: float, line: int) -> None:
        """Move at feed, the probe not watched: contact is a crash, unless the ball comes off what it pressed on."""
        self._free(target, feed, line, MoveKind.FEED)

    @property
    def home(self) -> Vector:
        """Where the axes go to be referenced, machine mm."""
        return self.machine.home

    def change_tool(self, number: int, line: int) -> None:
        """Only the probe stands in this shop's magazine."""
        if number != self.tool_in_spindle:
            raise MachineError(
                f"Tool T{number} was called in line {line}; the magazine holds T{self.tool_in_spindle} alone",
                "The stand-in cannot change to it",
                "Check the tool number, or put the tool into the scene",
            )

    def turn_spindle(self, code: int, speed: float, line: int) -> None:
        """The probe must never turn under power."""
        if code in (3, 4):
            raise MachineError(
                f"M{code} in line {line} would turn the spindle with the probe in it",
                "That throws the stylus off and tears the cable of a wired probe",
                "Take the spindle start out, or change the tool before it",
            )

    def write_tool(self, number: int, kind: int, value: float) -> None:
        """The probe's length is calibrated, not written by a program."""
        raise MachineError(
            f"A program would write the tool table (T{number}, L{kind})",
            "The stand-in keeps the probe's calibrated length",
            "Calibrate the probe instead",
        )

    def _limits(self, target: Vector) -> None:
        for axis, value, low, high in zip(AXES, target, self.machine.travel.low, self.machine.travel.high, strict=True):
            if not low - 1e-9 <= value <= high + 1e-9:
                raise TravelError(axis.upper(), value, low if value < low else high)

    def _tips(self, target: Vector) -> tuple[Vector, Vector]:
        return self.tip, (target[0], target[1], target[2] - self.probe.length)

    def _record(self, kind: MoveKind, line: int, end: Vector, feed: float, contact: Contact | None) -> None:
        seconds = move_seconds(math.dist(self._position, end), feed, self.machine.acceleration)
        self.motions.append(
            Motion(
                kind,
                line,
                self._position,
                end,
                feed,
                seconds,
                contact.place if contact else None,
                contact.solid.title if contact else "",
            )
        )
        self._position = end

    def _along(self, target: Vector, distance: float) -> Vector:
        length = math.dist(self._position, target)
        share = min(1.0, distance / length) if length else 1.0
        x, y, z = (a + (b - a) * share for a, b in zip(self._position, target, strict=True))
        return x, y, z

    def _free(self, target: Vector, feed: float, line: int, kind: MoveKind) -> None:
        self._limits(target)
        start, end = self._tips(target)
        pressed = self.tracer.penetration(start) if kind is MoveKind.FEED else 0.0
        contact = self.tracer.trace(start, end, pressed=pressed)
        if contact:
            self._record(kind, line, self._along(target, contact.distance), feed, contact)
            during = "a rapid move" if kind is MoveKind.RAPID else "a feed move"
            raise CrashError(contact.part, contact.solid.title, contact.place, f"{during} in line {line}")
        self._record(kind, line, target, feed, None)

    def skip(self, target: Vector, feed: float, line: int, *, away: bool = False) -> SkipResult:
        """Move until the probe signals. The signal comes late by the pre-travel, the stop later by the braking way."""
        self._limits(target)
        if away:
            return self._come_free(target, feed, line)
        start, end = self._tips(target)
        length = math.dist(start, end)
        if self.probe.fault == "stuck":
            self._record(MoveKind.SKIP, line, self._position, feed, None)
            return SkipResult(self._position, True)
        contact = self.tracer.trace(start, end)
        if contact is None:
            self._record(MoveKind.SKIP, line, target, feed, None)
            return SkipResult(target, False)
        if contact.part != "ball":
            self._record(MoveKind.SKIP, line, self._along(target, contact.distance), feed, contact)
            raise CrashError(contact.part, contact.solid.title, contact.place, f"a guarded move in line {line}")
        x, y, z = ((b - a) / length for a, b in zip(start, end, strict=True))
        signal = contact.distance
        if self.probe.fault == "absent":
            signal += length + self.probe.over_travel
        elif contact.distance > 0:
            signal += self._pre_travel((x, y, z)) + feed / 60.0 * self.probe.delay
        if self.probe.fault == "absent" and length - contact.distance > self.probe.over_travel:
            self._record(
                MoveKind.SKIP, line, self._along(target, contact.distance + self.probe.over_travel), feed, contact
            )
            raise CrashError("stylus", contact.solid.title, contact.place, f"a search without a signal in line {line}")
        if signal >= length:
            self._record(MoveKind.SKIP, line, target, feed, contact)
            return SkipResult(target, False)
        braking = (feed / 60.0) ** 2 / (2 * self.machine.acceleration)
        if signal - contact.distance + braking > self.probe.over_travel:
            self._record(MoveKind.SKIP, line, self._along(target, signal + self.probe.over_travel), feed, contact)
            raise CrashError(
                "stylus", contact.solid.title, contact.place, f"a touch too fast to stop in line {line} (F{feed:g})"
            )
        latched = self._along(target, signal)
        radius = self.probe.stylus.ball_diameter / 2
        at = (contact.place[0] + x * radius, contact.place[1] + y * radius, contact.place[2] + z * radius)
        touched = Contact(contact.distance, "ball", contact.solid, at)
        self._record(MoveKind.SKIP, line, self._along(target, signal + braking), feed, touched)
        return SkipResult(latched, True)

    def _come_free(self, target: Vector, feed: float, line: int) -> SkipResult:
        """Move off metal until the ball is free; halving finds the place to 0.1 µm."""
        start, end = self._tips(target)
        length = math.dist(start, end)

        def pressed(distance: float) -> bool:
            share = distance / length
            x, y, z = (a + (b - a) * share for a, b in zip(start, end, strict=True))
            return self.tracer.penetration((x, y, z)) > 0

        if length == 0 or not pressed(0.0):
            return SkipResult(self._position, False)
        held, free = 0.0, 0.0
        while free < length and pressed(free):
            held, free = free, min(length, free + 0.05)
        if pressed(free):
            self._record(MoveKind.SKIP, line, target, feed, None)
            return SkipResult(target, False)
        while free - held > 1e-4:
            middle = (held + free) / 2
            held, free = (middle, free) if pressed(middle) else (held, middle)
        latched = self._along(target, free)
        self._record(MoveKind.SKIP, line, latched, feed, None)
        return SkipResult(latched, True)

    def _pre_travel(self, direction: Vector) -> float:
        heading, level = math.atan2(direction[1], direction[0]), math.hypot(direction[0], direction[1])
        late = self.probe.pre_travel + self.probe.lobing * level * math.cos(3 * heading)
        return late + (float(self._random.normal(0.0, self.probe.noise)) if self._random is not None else 0.0)
