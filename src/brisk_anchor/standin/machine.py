"""The virtual machine: moves, probe, tables and travels. It is what the interpreter drives.

Its tracing works with the tool upright. Where a machine holds its tools another way, as a lathe does, everything is
turned until they stand upright, and contacts are turned back.
"""

from __future__ import annotations

import copy
import math
from collections.abc import Mapping
from dataclasses import replace

import numpy as np

from brisk_anchor.core.errors import CrashError, GuardError, ToolError, TravelError
from brisk_anchor.core.features.touches import AXES
from brisk_anchor.core.geometry.frames import upright
from brisk_anchor.core.geometry.rotary import RotaryAxis, table_frame
from brisk_anchor.core.kinds import Vector
from brisk_anchor.core.offsets.setup import Machine
from brisk_anchor.core.quantities import num
from brisk_anchor.nc.read.port import LENGTH, RADIUS, SkipResult
from brisk_anchor.standin.at_rest import AtRest
from brisk_anchor.standin.motion import Motion, MoveKind, RealProbe, move_seconds
from brisk_anchor.standin.solids import Solid, table_reach
from brisk_anchor.standin.tools import Tool, ToolTable
from brisk_anchor.standin.tracing import Clearance, Contact, Tracer

_LAST_SIGNALS = 3
"""Signals an empty battery is still good for."""
_TURN_CONTACT = 0.02
"""Shortest way (mm) between two looks for contact while the table turns."""


class StandIn(AtRest):
    """A machine with its set-up, tools and tables. Implements `MachinePort`."""

    def __init__(
        self,
        machine: Machine,
        solids: tuple[Solid, ...],
        probe: RealProbe,
        position: Vector,
        offsets: dict[str, Vector],
        *,
        seed: int | None = 1,
        tools: tuple[Tool, ...] = (),
        rotary: tuple[RotaryAxis, ...] | None = None,
        length_reference: float = 0.0,
        lengths: Mapping[int, float] | None = None,
    ) -> None:
        """`seed` None switches the noise of the probe off; `rotary` is where the rotary axes really are.

        The probe stands in the spindle; `tools` are the others in the magazine. Lengths in the tool table are short of
        those from the gauge line by `length_reference` mm; `lengths` are those of tools that are believed to be other
        than they are.
        """
        self.machine = machine
        self.probe = probe
        first = Tool.probe(probe.stylus, probe.length)
        self.tools = {tool.number: tool for tool in (Tool.none(), first, *tools)}
        self.tool = first
        believed = lengths or {}
        self.table = ToolTable(
            {tool.number: {LENGTH: believed.get(tool.number, tool.length) - length_reference} for tool in tools}
        )
        self.table.rows[first.number] = {
            LENGTH: probe.stylus.length - length_reference,
            RADIUS: probe.stylus.effective_radius,
        }
        self.motions: list[Motion] = []
        self.hits: list[Motion] = []
        self.offsets = dict(offsets)
        self.angle_offsets: dict[str, dict[str, float]] = {}
        self.angles: dict[str, float] = {axis.letter: 0.0 for axis in machine.rotary}
        self.spindle = 5
        self.speed = 0.0
        self.started_hours = 0.0
        self._seconds = 0.0
        self._signals = 0
        self._position = position
        self._solids = solids
        self._rotary = machine.rotary if rotary is None else rotary
        self._upright = upright(machine.tool_axis)
        self._tracer: Tracer | None = None
        self._closest: dict[str, Clearance] | None = None
        self._random = np.random.default_rng(seed) if seed is not None else None
        self.turned_round = False
        """Whether the spindle stands turned half round from where it was calibrated."""

    # -- what it is now ----------------------------------------------------------------------------------------

    @property
    def position(self) -> Vector:
        """Where the spindle stands, machine mm."""
        return self._position

    @property
    def tip(self) -> Vector:
        """Where the tool's end is, machine mm."""
        return self._end_of(self._position)

    @property
    def tool_in_spindle(self) -> int:
        """Number of the tool in the spindle."""
        return self.tool.number

    @property
    def seconds(self) -> float:
        """Machine time of all moves so far."""
        return self._seconds

    clock = seconds

    @property
    def hours(self) -> float:
        """Hours of moving, those of earlier days included."""
        return self.started_hours + self._seconds / 3600

    @property
    def home(self) -> Vector:
        """Where the axes go to be referenced, machine mm."""
        return self.machine.home

    @property
    def tracer(self) -> Tracer:
        """Traces the tool in the spindle through everything as it stands at the present table angles."""
        if self._tracer is None:
            self._tracer = Tracer(self.solids_at(self.angles), self.tool.shape)
            if self.tool.is_probe:
                self._tracer.closest = self._closest
        return self._tracer

    def watch(self, closest: dict[str, Clearance]) -> None:
        """Note from now on, in `closest`, how near stem, body and spindle nose of the probe come to metal."""
        self._closest, self._tracer = closest, None

    def solids_at(self, angles: Mapping[str, float]) -> tuple[Solid, ...]:
        """Every solid at some table angles, turned so that the tool stands upright."""
        if not any(angles.values()) and self._upright is None:
            return self._solids
        table = table_frame(self._rotary, angles)
        placed = [
            replace(solid, frame=table @ solid.frame) if solid.carried and self._rotary else solid
            for solid in self._solids
        ]
        if self._upright is not None:
            placed = [replace(solid, frame=self._upright @ solid.frame) for solid in placed]
        return tuple(placed)

    @property
    def probe_signals(self) -> bool:
        """Whether the probe signals contact now."""
        if not self.tool.is_probe or self._silent:
            return False
        return self.probe.fault == "stuck" or self.tracer.penetration(self._into(self.tip)) > 0

    @property
    def _silent(self) -> bool:
        """Whether the probe gives no signal whatever it touches."""
        return self.probe.fault == "absent" or (self.probe.fault == "battery" and self._signals >= _LAST_SIGNALS)

    @property
    def touching(self) -> bool:
        """Whether any part of the tool stands against metal now."""
        return not self.tracer.free(self._into(self.tip))

    def traced(self, spindle: Vector) -> Vector:
        """Where the tracer has the end of the tool with the spindle there."""
        return self._into(self._end_of(spindle))

    def on_the_way(self, start: Vector, end: Vector) -> tuple[str, str] | None:
        """What the tool would meet on a straight way of the spindle: the part of it that does, and the solid."""
        met = self.tracer.trace(self.traced(start), self.traced(end))
        return None if met is None else (met.part, met.solid.title)

    def twin(self, *, seed: int | None) -> StandIn:
        """The same machine with tables and position copied: what runs on it changes nothing here."""
        other = copy.copy(self)
        other.offsets = dict(self.offsets)
        other.angle_offsets = {row: dict(angles) for row, angles in self.angle_offsets.items()}
        other.angles = dict(self.angles)
        other.table = self.table.copy()
        other.motions, other.hits, other._seconds = [], [], 0.0
        other._random = np.random.default_rng(seed) if seed is not None else None
        return other

    def exchange(self, solids: tuple[Solid, ...], rotary: tuple[RotaryAxis, ...] | None = None) -> None:
        """Put other solids on the machine. Raises GuardError when the tool stands in their place."""
        before, axes, self._solids, self._tracer = self._solids, self._rotary, solids, None
        self._rotary = axes if rotary is None else rotary
        if self.touching:
            self._solids, self._rotary, self._tracer = before, axes, None
            raise GuardError("The tool is in the way of the new part", "The old one stays", "Send the spindle home")

    def forget_motions(self) -> None:
        """Let go of the moves so far; hits, times and tables stay. For programs too long to keep every move."""
        self.motions.clear()

    def hold(self, motion: Motion, share: float) -> None:
        """Stop within the last move: the spindle stands after `share` of it."""
        self._position = motion.at(min(1.0, max(0.0, share)))

    def place(self, position: Vector, angles: Mapping[str, float], tool: int) -> None:
        """Stand somewhere without moving there: how the machine was left. Raises ToolError for an unknown tool."""
        self._limits(position, angles)
        self._take(tool, 0)
        self._position = position
        self.angles |= angles

    def go_home(self) -> None:
        """Send the spindle home, Z first (X first on a lathe). From metal the stand-in lifts the tool free by hand.

        Raises:
            MachineError: something is in the way of a tool that stood free.
        """
        home, axis = self.machine.home, self.machine.tool_axis
        x, y, z = (h if abs(a) > 0.5 else now for h, a, now in zip(home, axis, self._position, strict=True))
        if self.touching:
            self._record(MoveKind.RAPID, 0, (x, y, z), self.machine.rapid, None)
        else:
            self.rapid((x, y, z), 0)
        self.rapid(home, 0)

    # -- frames ------------------------------------------------------------------------------------------------

    def _end_of(self, position: Vector) -> Vector:
        x, y, z = position
        a, b, c = self.machine.tool_axis
        length = self.tool.length
        aside, across = self.probe.offset if self.tool.is_probe else (0.0, 0.0)
        if self.turned_round:
            aside, across = -aside, -across
        return x - a * length + aside, y - b * length + across, z - c * length

    def _into(self, point: Vector) -> Vector:
        return point if self._upright is None else self._upright.point(point)

    def _out(self, point: Vector) -> Vector:
        return point if self._upright is None else self._upright.inverse().point(point)

    # -- tool and spindle --------------------------------------------------------------------------------------

    def change_tool(self, number: int, line: int) -> None:
        """Put another tool in the spindle, the spindle being stopped and the place free for it."""
        if number == self.tool.number:
            return
        self._take(number, line)

    def _take(self, number: int, line: int) -> None:
        if number not in self.tools:
            held = ", ".join(f"T{known}" for known in self.tools if known)
            raise ToolError(
                f"Tool T{number} was called in line {line}; the magazine holds {held}",
                "The stand-in cannot change to it",
                "Check the tool number, or put the tool into the scene",
            )
        self.tool = self.tools[number]
        self.spindle = 5
        self._tracer = None

    # -- moves -------------------------------------------------------------------------------------------------

    def dwell(self, seconds: float, line: int) -> None:
        """Wait."""
        self._seconds += seconds
        self.motions.append(Motion(MoveKind.DWELL, line, self._position, self._position, 0.0, seconds))

    def rapid(self, target: Vector, line: int, angles: Mapping[str, float] | None = None) -> None:
        """Move at rapid; any contact is a crash."""
        self._free(target, self.machine.rapid, line, MoveKind.RAPID, angles)

    def feed(self, target: Vector, feed: float, line: int, angles: Mapping[str, float] | None = None) -> None:
        """Move at feed, the probe not watched: contact is a crash, unless the ball comes off what it pressed on."""
        self._free(target, feed, line, MoveKind.FEED, angles)

    def _limits(self, target: Vector, angles: Mapping[str, float] | None = None) -> None:
        low, high = self.machine.travel.low, self.machine.travel.high
        for i in range(3):
            if not low[i] - 1e-9 <= target[i] <= high[i] + 1e-9:
                raise TravelError(AXES[i].upper(), target[i], low[i] if target[i] < low[i] else high[i])
        for axis in self.machine.rotary if angles else ():
            angle = (angles or {}).get(axis.letter, 0.0)
            for limit, beyond in ((axis.low, -1), (axis.high, 1)):
                if limit is not None and (angle - limit) * beyond > 1e-9:
                    raise TravelError(axis.letter, angle, limit)

    def setter_on_the_way(self, target: Vector) -> tuple[Vector, str] | None:
        """Where a move down with a tool that is no probe meets a tool setter, whose signal stops it, and its name."""
        if self.tool.is_probe or not self.tool.number:
            return None
        start, end = self._tips(target)
        contact = self.tracer.trace(start, end)
        if contact is None or contact.solid.role != "setter" or contact.part == "tool holder":
            return None
        return self._along(target, max(0.0, contact.distance - 1e-6)), contact.solid.title

    def _tips(self, target: Vector) -> tuple[Vector, Vector]:
        return self._into(self.tip), self._into(self._end_of(target))

    def _record(
        self,
        kind: MoveKind,
        line: int,
        end: Vector,
        feed: float,
        contact: Contact | None,
        angles: Mapping[str, float] | None = None,
    ) -> None:
        seconds = move_seconds(math.dist(self._position, end), feed, self.machine.acceleration)
        if angles:
            rates = {axis.letter: axis.rapid for axis in self.machine.rotary}
            whole = kind is MoveKind.FEED and self._position == end
            for letter, angle in angles.items():
                rate = min(feed, rates[letter]) if whole else rates[letter]
                seconds = max(seconds, abs(angle - self.angles[letter]) / rate * 60)
        place = self._out(contact.place) if contact else None
        motion = Motion(
            kind,
            line,
            self._position,
            end,
            feed,
            seconds,
            place,
            contact.solid.title if contact else "",
            tuple((angles or {}).items()),
        )
        self.motions.append(motion)
        if contact:
            self.hits.append(motion)
        self._seconds += seconds
        self._position = end
        if angles:
            self.angles |= angles
            self._tracer = None

    def _along(self, target: Vector, distance: float) -> Vector:
        length = math.dist(self._position, target)
        share = min(1.0, distance / length) if length else 1.0
        x, y, z = (a + (b - a) * share for a, b in zip(self._position, target, strict=True))
        return x, y, z

    def _free(
        self, target: Vector, feed: float, line: int, kind: MoveKind, angles: Mapping[str, float] | None = None
    ) -> None:
        self._limits(target, angles)
        during = f"{'a rapid' if kind is MoveKind.RAPID else 'a feed'} move in line {line}"
        if angles and any(angle != self.angles[letter] for letter, angle in angles.items()):
            self._turn(target, feed, during, line, kind, angles)
            return
        start, end = self._tips(target)
        pressed = self.tracer.penetration(start) if kind is MoveKind.FEED else 0.0
        turning = self.spindle in (3, 4) and not self.tool.is_probe
        # Straight out along its axis a cutter leaves what it has cut itself, though the stand-in keeps that metal.
        cutting = turning and (kind is MoveKind.FEED or self._withdraws(target))
        contact = self.tracer.trace(start, end, pressed=pressed, cutting=cutting)
        if contact:
            self._record(kind, line, self._along(target, contact.distance), feed, contact)
            raise CrashError(contact.part, contact.solid.title, self._out(contact.place), during)
        self._record(kind, line, target, feed, None)

    def _withdraws(self, target: Vector) -> bool:
        """Whether a move goes straight out along the tool's axis."""
        way = [b - a for a, b in zip(self._position, target, strict=True)]
        out = sum(a * b for a, b in zip(way, self.machine.tool_axis, strict=True))
        return out > 0 and math.isclose(out, math.hypot(*way), rel_tol=1e-9)

    def _turn(
        self, target: Vector, feed: float, during: str, line: int, kind: MoveKind, angles: Mapping[str, float]
    ) -> None:
        """A move in which the table turns; nothing may be touched on the way.

        As in tracing, the clearance is a safe step: nothing on the table moves further than its reach times the angle.
        """
        before, start = dict(self.angles), self._position
        spread = sum(math.radians(abs(angle - before[letter])) for letter, angle in angles.items())
        way = math.dist(start, target) + spread * table_reach(self._solids, self._rotary)
        share = 0.0
        while True:
            now = {letter: before[letter] + (angle - before[letter]) * share for letter, angle in angles.items()}
            x, y, z = (a + (b - a) * share for a, b in zip(start, target, strict=True))
            tracer = Tracer(self.solids_at(before | now), self.tool.shape)
            tip = self._into(self._end_of((x, y, z)))
            clear = tracer.clearance(tip)
            if clear <= _TURN_CONTACT and not tracer.free(tip):
                touched = tracer.touched(tip)
                self._record(kind, line, (x, y, z), feed, touched, now)
                raise CrashError(touched.part, touched.solid.title, self._out(touched.place), f"{during} (turning)")
            if share >= 1.0 or clear > (1.0 - share) * way:
                break
            share = min(1.0, share + max(clear, _TURN_CONTACT) / way)
        self._record(kind, line, target, feed, None, angles)

    def skip(self, target: Vector, feed: float, line: int, *, away: bool = False) -> SkipResult:
        """Move until the probe signals. The signal comes late by the pre-travel, the stop later by the braking way.

        Raises CrashError.
        """
        self._limits(target)
        if not self.tool.is_probe:
            return self._onto_setter(target, feed, line)
        if away:
            return self._come_free(target, feed, line)
        start, end = self._tips(target)
        length = math.dist(start, end)
        if self.probe.fault == "stuck":
            self._record(MoveKind.SKIP, line, self._position, feed, None)
            return SkipResult(self._position, contact=True)
        contact = self.tracer.trace(start, end)
        if contact is None:
            self._record(MoveKind.SKIP, line, target, feed, None)
            return SkipResult(target, contact=False)
        if contact.part != "ball":
            self._record(MoveKind.SKIP, line, self._along(target, contact.distance), feed, contact)
            raise CrashError(
                contact.part, contact.solid.title, self._out(contact.place), f"a guarded move in line {line}"
            )
        x, y, z = ((b - a) / length for a, b in zip(start, end, strict=True))
        signal = contact.distance
        if self._silent:
            signal += length + self.probe.over_travel
        elif contact.distance > 0:
            signal += self.probe.pre_travel_along((x, y, z), self._random) + feed / 60.0 * self.probe.delay
        if self._silent and length - contact.distance > self.probe.over_travel:
            self._record(
                MoveKind.SKIP, line, self._along(target, contact.distance + self.probe.over_travel), feed, contact
            )
            raise CrashError(
                "stylus", contact.solid.title, self._out(contact.place), f"a search without a signal in line {line}"
            )
        if signal >= length:
            self._record(MoveKind.SKIP, line, target, feed, contact)
            return SkipResult(target, contact=False)
        braking = (feed / 60.0) ** 2 / (2 * self.machine.acceleration)
        if signal - contact.distance + braking > self.probe.over_travel:
            self._record(MoveKind.SKIP, line, self._along(target, signal + self.probe.over_travel), feed, contact)
            during = f"a touch too fast to stop in line {line} (F{num(feed)})"
            raise CrashError("stylus", contact.solid.title, self._out(contact.place), during)
        self._signals += 1
        latched = self._along(target, signal)
        radius = self.probe.stylus.ball_diameter / 2
        at = (contact.place[0] + x * radius, contact.place[1] + y * radius, contact.place[2] + z * radius)
        touched = Contact(contact.distance, "ball", contact.solid, at)
        self._record(MoveKind.SKIP, line, self._along(target, signal + braking), feed, touched)
        return SkipResult(latched, contact=True)

    def _onto_setter(self, target: Vector, feed: float, line: int) -> SkipResult:
        """A skip move with a cutter: the tool setter signals, nothing else does."""
        setter = next((solid for solid in self._solids if solid.role == "setter"), None)
        if setter is None or not self.tool.number:
            raise ToolError(
                f"A probing move in line {line} with T{self.tool.number} in the spindle",
                "Nothing would signal contact",
                "Put the probe in",
            )
        contact = self.tracer.trace(*self._tips(target))
        if contact is None:
            self._record(MoveKind.SKIP, line, target, feed, None)
            return SkipResult(target, contact=False)
        met = self._along(target, max(0.0, contact.distance - 1e-6))  # so near that it is free to go back up
        self._record(MoveKind.SKIP, line, met, feed, contact)
        if contact.solid.role != "setter" or contact.part != "tool":
            during = f"a probing move in line {line}"
            raise CrashError(contact.part, contact.solid.title, self._out(contact.place), during)
        if self.spindle in (3, 4):
            raise ToolError(
                f"T{self.tool.number} meets the setter turning, in line {line}", "It would cut it", "Stop it first: M5"
            )
        return SkipResult(met, contact=True)

    def _come_free(self, target: Vector, feed: float, line: int) -> SkipResult:
        """Move off metal until the ball is free."""
        start, end = self._tips(target)
        free = self.tracer.comes_free(start, end)
        if free is None:
            self._record(MoveKind.SKIP, line, target, feed, None)
            return SkipResult(target, contact=False)
        if free == 0.0:
            return SkipResult(self._position, contact=False)
        latched = self._along(target, free)
        self._record(MoveKind.SKIP, line, latched, feed, None)
        return SkipResult(latched, contact=True)
