"""The virtual lathe: two axes, a turret, metal that is cut, jaws and tailstock that are not.

Everything lies in the half-section (Z, radius). Tip positions are machine positions less the real geometry of a tool:
`tip = machine − geometry`. Metal is kept as a full section, mirrored at the axis, so that a tool beyond it cuts what it
would. What a spindle at rest, a rapid, or anything but an edge meets is a crash.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import field
from typing import TYPE_CHECKING

import numpy as np

from brisk_anchor.core.errors import CrashError, GuardError, MachineError, ToolError, TravelError
from brisk_anchor.core.kinds import Vector
from brisk_anchor.core.turning.setup import LatheSetup, Pair
from brisk_anchor.core.turning.shapes import (
    Ring,
    cutting_edge,
    holding_rings,
    stock_ring,
    swept_by_index,
    tool_body,
    turret_around,
)
from brisk_anchor.core.turning.tools import Gauge, TurningTool
from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.nc.read.port import SkipResult
from brisk_anchor.standin.motion import Motion, MoveKind, move_seconds

if TYPE_CHECKING:
    from shapely.geometry.base import BaseGeometry

_NOTHING = 1e-7
"""An area of contact below that, mm², is none: two outlines that share a line."""
_ACCELERATION = 3000.0
_FEEL = 0.002
"""How well a hand feels when a feeler just drags, standard, mm."""
_WHISKER = 0.005
"""How deep a tip goes into the blue before the eye sees it, standard, mm."""
_KEPT = 200
"""How many of its last moves it remembers."""
_OPEN, _STANDING = 3, 5


@dataclass(frozen=True, slots=True)
class LatheReality:
    """What the stand-in really is, beside what is believed.

    `geometry` by offset number: how far each tool really reaches (X a diameter). `chuck_shift` is how far the chuck's
    face stands off from where it is believed, mm; `axis_shift` the spindle axis, mm of diameter. `taper` is how much
    larger a diameter becomes for each mm towards the front: the part bends away, or the headstock is not in line.
    """

    geometry: Mapping[int, Pair]
    chuck_shift: float = 0.0
    axis_shift: float = 0.0
    taper: float = 0.0


@dataclass(slots=True)
class LatheTables:
    """What the control holds, X as diameters: work offsets by row, geometry and wear by offset number."""

    work: dict[str, Pair] = field(default_factory=dict)
    geometry: dict[int, Pair] = field(default_factory=dict)
    wear: dict[int, Pair] = field(default_factory=dict)

    def copy(self) -> LatheTables:
        """The same, to change."""
        return LatheTables(dict(self.work), dict(self.geometry), dict(self.wear))


class LatheStandIn:
    """A lathe with its set-up, turret and tables. Implements `TurningPort`."""

    def __init__(self, setup: LatheSetup, reality: LatheReality, tables: LatheTables, *, seed: int | None = 1) -> None:
        """`seed` None switches the feel of a hand and the errors of gauges off.

        Raises:
            ToolError: reality knows no geometry of a tool.
        """
        lacking = [tool.name for tool in setup.tools if tool.offset not in reality.geometry]
        if lacking:
            raise ToolError(f"The stand-in has no geometry for {', '.join(lacking)}", "", "State it in the set-up")
        self.setup = setup
        self.reality = reality
        self.tables = tables
        self.active_row = setup.row
        self.station = setup.tools[0].station if setup.tools else 1
        self.offset_number = setup.tools[0].offset if setup.tools else 0
        self.spindle, self.speed = _STANDING, 0.0
        self.homed = False
        self.alarm = ""
        self.motions: list[Motion] = []
        self.cut_at: Pair | None = None
        """Where the axes stood when metal was last cut, machine position; None before."""
        self.cut_by = 0
        """The offset number of the tool that did."""
        self.cut_along = ""
        """Along which axis that was: "x" a face, "z" a diameter."""
        self.faced = 0
        """How often the front of the metal was cut back so far."""
        self.turned = {False: 0, True: 0}
        """How often metal was cut elsewhere, by a tool for a bore (True) or by any other."""
        self._seed = seed
        self._random = np.random.default_rng(seed) if seed is not None else None
        self._at: Pair = setup.lathe.home
        self._seconds = 0.0
        self._metal: BaseGeometry | None = None

    # -- what it is now ----------------------------------------------------------------------------------------

    @property
    def place(self) -> Pair:
        """Machine position, X a diameter."""
        return self._at

    @property
    def tool(self) -> TurningTool | None:
        """The tool at the work, by the offset in force where one of that station is; None at an empty station."""
        here = [tool for tool in self.setup.tools if tool.station == self.station]
        return next((tool for tool in here if tool.offset == self.offset_number), here[0] if here else None)

    def tip(self, at: Pair | None = None) -> Pair:
        """Where the tip really is, X a diameter from the spindle's axis, Z in machine coordinates. Raises ToolError."""
        tool = self._tool()
        x, z = at or self._at
        gx, gz = self.reality.geometry[tool.offset]
        return x - gx - self.setup.lathe.axis_x - self.reality.axis_shift, z - gz

    def _tool(self) -> TurningTool:
        if (tool := self.tool) is None:
            raise ToolError(f"Station {self.station} is empty", "No tip is at the work", "Turn the turret")
        return tool

    @property
    def in_bore(self) -> bool:
        """Whether the tool at the work is one for a bore and its tip stands behind the front of the metal."""
        tool = self.tool
        return tool is not None and tool.points[0] >= 0 and self.tip()[1] < self.metal.bounds[2]

    def work(self, row: str) -> Pair:
        """A work offset; X of one of the job's that nobody set is the spindle's axis, as it is believed."""
        of_job = row == self.setup.row or self.setup.member(row) is not None
        return self.tables.work.get(row, (self.setup.lathe.axis_x if of_job else 0.0, 0.0))

    @property
    def jaws(self) -> float:
        """Where the jaws' face really stands, machine Z of a tip."""
        return self.setup.jaws + self.reality.chuck_shift

    @property
    def true_zero(self) -> float:
        """Where the finished face really belongs, machine Z of a tip."""
        return self.jaws + self.setup.holding.stands_out

    def reaches(self) -> dict[int, Pair]:
        """By offset number how far the turret's centre (a radius) and its face stand from the tip, mm."""
        lathe = self.setup.lathe
        return {
            number: (lathe.reach_at_home - lathe.home[0] / 2 + gx / 2 + lathe.axis_x / 2, lathe.face_at_home + gz)
            for number, (gx, gz) in self.reality.geometry.items()
        }

    @property
    def metal(self) -> BaseGeometry:
        """The stock as it is now, its full section (Z, radius on both sides of the axis)."""
        if self._metal is None:
            from shapely.geometry import Polygon

            ring = stock_ring(self.setup, self.jaws)
            half = Polygon(ring)
            self._metal = half.union(Polygon([(z, -r) for z, r in ring]))
        return self._metal

    def metal_rings(self) -> list[Ring]:
        """Outlines of the stock as it is now, its upper half, for pictures and for the machine's file."""
        from shapely.geometry import box as rectangle

        upper = self.metal.intersection(rectangle(-1e5, 0.0, 1e5, 1e5))
        return [tuple(part.exterior.coords)[:-1] for part in _polygons(upper)]

    def put_metal(self, rings: list[Ring]) -> None:
        """Put the stock back as it was left. Raises MachineError: the outlines are none."""
        from shapely.geometry import Polygon
        from shapely.ops import unary_union

        halves = [Polygon(ring) for ring in rings]
        if not all(half.is_valid and half.area > 0 for half in halves):
            raise MachineError("The stock as it was left has no sound outline", "Nothing is changed", "Begin anew")
        self._metal = unary_union([*halves, *(Polygon([(z, -r) for z, r in ring]) for ring in rings)])

    def new_stock(self) -> None:
        """Clamp a fresh piece. Raises GuardError: the spindle turns, or the tool stands where the piece comes."""
        if self.spindle != _STANDING:
            raise GuardError("The spindle turns", "The chuck is not opened", "Stop it first: ⟨bench:m⟩")
        fresh = self.twin(seed=None)
        fresh._metal = None
        fresh._stands_clear("a fresh piece", "The one in the chuck stays")
        self._metal, self.cut_at, self.cut_along = None, None, ""

    def twin(self, *, seed: int | None) -> LatheStandIn:
        """The same lathe with tables, metal and place copied: what runs on it changes nothing here."""
        other = LatheStandIn(self.setup, self.reality, self.tables.copy(), seed=seed)
        other.active_row, other.station, other.offset_number = self.active_row, self.station, self.offset_number
        other.homed, other._at, other._metal = self.homed, self._at, self._metal
        other.spindle, other.speed = self.spindle, self.speed
        return other

    def look_at_new(self, setup: LatheSetup, reality: LatheReality) -> None:
        """Look whether the tool stands clear in another set-up. Raises GuardError: it does not."""
        other = LatheStandIn(setup, reality, self.tables, seed=None)
        other.station, other.offset_number, other._at = self.station, self.offset_number, self._at
        if setup.stock == self.setup.stock and setup.holding == self.setup.holding and setup.part == self.setup.part:
            other._metal = self._metal
        other._stands_clear("the new set-up", "The old one stays")

    def _stands_clear(self, of: str, else_: str) -> None:
        try:
            self._check(self._at, 0, "", cutting=False)
        except CrashError as error:
            what = f"The tool stands in the way of {of}: {error.part} in {error.solid}"
            raise GuardError(what, else_, "Send it home: ⟨bench:h⟩") from error

    # -- moving ------------------------------------------------------------------------------------------------

    def put(self, at: Pair) -> None:
        """Stand somewhere without moving there: how the machine was left. Raises TravelError."""
        self._limits(at)
        self._at = at

    def go_home(self) -> None:
        """Home, X first: away from the part before along it; out of a bore Z first. Raises CrashError, TravelError."""
        x, z = self.setup.lathe.home
        self._rapid((self._at[0], z) if self.in_bore else (x, self._at[1]), 0)
        self._rapid((x, z), 0)
        self.homed = True

    def jog(self, to: Pair, feed: float) -> None:
        """Move by hand at a feed, mm/min of the radius; metal is cut where the spindle turns. Raises MachineError."""
        self._feed(to, feed, 0)

    def _limits(self, to: Pair) -> None:
        lathe = self.setup.lathe
        for name, target, low, high in zip("XZ", to, lathe.travel_low, lathe.travel_high, strict=True):
            if not (math.isfinite(target) and target >= low - 1e-9):
                raise TravelError(name, target, low)
            if target > high + 1e-9:
                raise TravelError(name, target, high)

    def _rapid(self, to: Pair, line: int) -> None:
        self._limits(to)
        self._check(to, line, "a rapid", cutting=False)
        self._moved(MoveKind.RAPID, to, self.setup.lathe.rapid, line)

    def _feed(self, to: Pair, feed: float, line: int) -> None:
        self._limits(to)
        cut = self._check(to, line, "a feed move", cutting=True)
        self._moved(MoveKind.FEED, to, feed, line)
        if cut:
            start = self.motions[-1].start
            self.cut_by = self._tool().offset
            self.cut_at, self.cut_along = to, "x" if start[0] != self.motions[-1].end[0] else "z"

    def _moved(self, kind: MoveKind, to: Pair, feed: float, line: int) -> None:
        start, end = self._vector(self._at), self._vector(to)
        seconds = move_seconds(math.dist(start, end), feed, _ACCELERATION)
        self.motions.append(Motion(kind, line, start, end, feed, seconds))
        del self.motions[:-_KEPT]  # a day of jogging fills no memory
        self._seconds += seconds
        self._at = to

    @staticmethod
    def _vector(at: Pair) -> Vector:
        return at[0] / 2, 0.0, at[1]

    def _check(self, to: Pair, line: int, during: str, *, cutting: bool) -> bool:
        """Take the metal away that an edge passes through; whether there was any. Raises CrashError: anything else."""
        if self.tool is None:
            return False
        tool, reaches = self._tool(), self.reaches()
        start, end = self.tip(), self.tip(to)
        from shapely.geometry import Polygon
        from shapely.ops import unary_union

        edge = _swept(cutting_edge(tool), start, end)
        both = edge.union(_mirrored(edge))
        cut = self.metal.intersection(both).area > _NOTHING
        if cut and (not cutting or self.spindle == _STANDING):
            self._crash(f"edge of {tool.name}", "the part", end, line, during)
        for ring in tool_body(tool, reaches[tool.offset]):
            body = _swept(ring, start, end)
            rest = self.metal.difference(both) if cut else self.metal
            if rest.intersection(body).area > _NOTHING:
                self._crash(f"holder of {tool.name}", "the part", end, line, during)
        bodies = [edge, *(_swept(ring, start, end) for ring in tool_body(tool, reaches[tool.offset]))]
        names = [f"edge of {tool.name}"] + [f"holder of {tool.name}"] * (len(bodies) - 1)
        own = len(names)
        for at in (start, end):
            for other in turret_around(self.setup, tool, reaches, at[0] / 2):
                bodies.append(_swept(other.ring, at, at))
                names.append(other.name)
        solids = holding_rings(self.setup, self.setup.lathe.chuck_face + self.reality.chuck_shift)
        for solid in solids:
            shape = unary_union([Polygon(solid.ring), Polygon([(z, -r) for z, r in solid.ring])])
            for body, name in zip(bodies, names, strict=True):
                if shape.intersection(body).area > _NOTHING:
                    self._crash(name, solid.name, end, line, during)
        rest = self.metal.difference(both) if cut else self.metal
        for body, name in zip(bodies[own:], names[own:], strict=True):
            if rest.intersection(body).area > _NOTHING:
                self._crash(name, "the part", end, line, during)
        if cut:
            if rest.bounds[2] < self.metal.bounds[2] - _NOTHING:
                self.faced += 1
            else:
                self.turned[tool.kind.is_inside] += 1
            self._metal = rest
        return bool(cut)

    def _crash(self, part: str, solid: str, at: Pair, line: int, during: str) -> None:
        self.alarm = f"{part} met {solid}"
        self.spindle = _STANDING
        error = CrashError(part, solid, (at[0], 0.0, at[1]), f"{during} in line {line}" if line else during)
        error.remedy = "Look at tool and part; ⟨bench:h⟩ resets and homes, then find the tool's geometry anew"
        raise error

    # -- by hand -----------------------------------------------------------------------------------------------

    def feel(self, axis: str, thickness: float) -> Pair:
        """Bring the tip to where a feeler of a thickness just drags, along an axis, towards the part; where it stands.

        Thickness 0 is a whisker cut: the tip just marks a blued surface that turns.

        Raises:
            GuardError: the spindle turns at a feeler, or stands at a whisker. MachineError: there is no metal that way.
        """
        if thickness and self.spindle != _STANDING:
            raise GuardError("The spindle turns", "A feeler is drawn in, fingers with it", "Stop it first: ⟨bench:m⟩")
        if not thickness and self.spindle == _STANDING:
            raise GuardError(
                "The spindle stands", "A tip would press a mark into the part", "Start it first: ⟨bench:m⟩"
            )
        tool = self._tool()
        outward = axis == "x" and tool.kind.is_inside
        gap = self.gap(axis)
        if gap is None or gap < thickness:
            raise MachineError(
                f"There is no room for a feeler between {tool.name} and the part along {axis.upper()}",
                "The tip stands beside the part, or too near",
                "Bring it before the face or the diameter first",
            )
        spread = _FEEL if thickness else _WHISKER
        noise = float(self._random.normal(0.0, spread)) if self._random is not None else 0.0
        way = gap - thickness - noise
        x, z = self._at
        to = (x + (2 * way if outward else -2 * way), z) if axis == "x" else (x, z - way)
        step = self.setup.lathe.resolution
        cuts = dict(self.turned)
        self._feed((round(to[0] / step) * step, round(to[1] / step) * step), 200.0, 0)
        self.turned = cuts  # a whisker changes no diameter that anybody could measure
        return self._at

    def sweep(self) -> Pair:
        """Bring a tool that is swept with a dial from the spindle onto its axis, along X; where it stands.

        Raises:
            GuardError: the spindle turns under power. TravelError.
        """
        if self.spindle != _STANDING:
            raise GuardError("The spindle turns under power", "A dial is swept by hand", "Stop it first: ⟨bench:m⟩")
        noise = float(self._random.normal(0.0, _FEEL)) if self._random is not None else 0.0
        step = self.setup.lathe.resolution
        x = self._at[0] - self.tip()[0] + noise
        self._feed((round(x / step) * step, self._at[1]), 200.0, 0)
        return self._at

    def gap(self, axis: str, far: float = 400.0) -> float | None:
        """How far the edge can still go along an axis to the metal, mm (X: of the radius); None where it meets none."""
        tool = self._tool()
        outward = axis == "x" and tool.kind.is_inside
        tip = self.tip()
        ring = cutting_edge(tool)
        from shapely.geometry import Polygon

        def moved(way: float) -> Pair:
            if axis == "x":
                return tip[0] + (2 * way if outward else -2 * way), tip[1]
            return tip[0], tip[1] - way

        if self.metal.intersection(_swept(ring, tip, moved(far))).area <= _NOTHING:
            return None
        if self.metal.intersection(Polygon(_placed(ring, tip))).area > _NOTHING:
            return 0.0
        low, high = 0.0, far
        while high - low > 1e-7:
            middle = (low + high) / 2
            meets = self.metal.intersection(_swept(ring, tip, moved(middle))).area > 1e-12
            low, high = (low, middle) if meets else (middle, high)
        return low

    def gauge_error(self, gauge: Gauge) -> float:
        """How much a gauge shows too much, mm: one and the same each time, drawn within what is stated of it.

        What its last digit hides is in what is stated, and comes on top of this where it is read.
        """
        if self._seed is None:
            return 0.0
        named = np.random.default_rng([self._seed, *gauge.name.encode()])
        read = 0.0 if gauge.thickness else gauge.step**2 / 12
        return float(named.normal(0.0, math.sqrt(max((gauge.spread / 2) ** 2 - read, 0.0))))

    def true_length(self, known: str, wanted: float) -> float:
        """From a known face to the front face of the metal as it is, mm; `wanted` places faces of the part itself."""
        front = self.metal.bounds[2]
        faces = {"jaws": self.jaws, "chuck": self.jaws - self.setup.holding.jaw_face}
        return float(front - faces.get(known, self.true_zero - wanted))

    def true_diameter(self, z: float, *, inside: bool = False) -> float:
        """Diameter of the metal at a machine Z, mm, with the taper that it has. Raises MachineError: no metal there."""
        from shapely.geometry import LineString

        line = self.metal.intersection(LineString([(z, 1e-9), (z, 1e4)]))
        if line.is_empty:
            raise MachineError("There is no metal at that place", "Nothing can be measured", "Measure what was cut")
        low, high = line.bounds[1], line.bounds[3]
        radius = low if inside else high
        if inside and radius < 1e-6:
            raise MachineError("There is no bore at that place", "Nothing can be measured", "Measure what was cut")
        return float(2 * radius + self.reality.taper * (z - self.jaws))

    # -- the port ----------------------------------------------------------------------------------------------

    @property
    def position(self) -> Vector:
        """Machine position, X a radius."""
        return self._vector(self._at)

    @property
    def angles(self) -> Mapping[str, float]:
        """It has no rotary axes."""
        return {}

    @property
    def tool_in_spindle(self) -> int:
        """The station at the work."""
        return self.station

    @property
    def clock(self) -> float:
        """Machine time of all moves so far, s."""
        return self._seconds

    @property
    def hours(self) -> float:
        """Hours of moving."""
        return self._seconds / 3600

    @property
    def probe_signals(self) -> bool:
        """It has no probe."""
        return False

    @property
    def home(self) -> Vector:
        """The reference position, X a radius."""
        return self._vector(self.setup.lathe.home)

    def rapid(self, target: Vector, line: int, angles: Mapping[str, float] | None = None) -> None:
        """Move at rapid. Raises MachineError."""
        self._homed()
        self._rapid((target[0] * 2, target[2]), line)

    def feed(self, target: Vector, feed: float, line: int, angles: Mapping[str, float] | None = None) -> None:
        """Move at a feed. Raises MachineError."""
        self._homed()
        self._feed((target[0] * 2, target[2]), feed, line)

    def skip(self, target: Vector, feed: float, line: int, *, away: bool = False) -> SkipResult:
        """It has no probe. Raises MachineError."""
        raise MachineError("This lathe has no probe", "Nothing would signal contact", "Cut or feel, and measure")

    def change_tool(self, number: int, line: int) -> None:
        """M6 has no meaning on a turret. Raises ToolError."""
        raise ToolError("M6 changes no tool on a turret", "Nothing turned", "Call the tool by its T word alone")

    def index(self, station: int, offset: int, line: int) -> None:
        """Turn the turret to a station and put an offset in force, 0 for none. Raises ToolError, CrashError."""
        lathe = self.setup.lathe
        if not 1 <= station <= lathe.stations:
            raise ToolError(f"The turret has no station {station}", f"It has {lathe.stations}", "Call another")
        if station != self.station and self.setup.tools:
            from shapely.geometry import Polygon

            x, z = self._at
            centre = lathe.reach_at_home + (x - lathe.home[0]) / 2 - self.reality.axis_shift / 2
            ring = Polygon(swept_by_index(self.setup, self.reaches(), centre, z + lathe.face_at_home))
            solids = holding_rings(self.setup, lathe.chuck_face + self.reality.chuck_shift)
            for name, shape in [("the part", self.metal), *((s.name, Polygon(s.ring)) for s in solids)]:
                if shape.intersection(ring).area > _NOTHING:
                    self._crash("turning turret", name, (x, z), line, "indexing")
        self.station, self.offset_number = station, offset

    def orient(self, angle: float, line: int) -> None:
        """It cannot hold its spindle. Raises GuardError."""
        raise GuardError("This spindle is not held at an angle", "Nothing turned", "Leave M19 out")

    def turn_spindle(self, code: int, speed: float, line: int) -> None:
        """M3, M4 or M5. Raises GuardError: M19, or no speed."""
        if code == 19:
            self.orient(0.0, line)
        if code in (_OPEN, 4) and speed <= 0:
            raise GuardError("The spindle has no speed", "It does not turn", "Give S")
        self.spindle, self.speed = code, speed if code != _STANDING else 0.0

    def dwell(self, seconds: float, line: int) -> None:
        """Wait."""
        self._seconds += seconds

    def offset(self, row: str) -> Vector:
        """Values of a work offset, X a radius."""
        return self._vector(self.work(row))

    def write_offset(self, row: str, values: Vector) -> None:
        """Write a work offset."""
        self.tables.work[row] = (values[0] * 2, values[2])

    def angle_offset(self, row: str) -> Mapping[str, float]:
        """It has no angles."""
        return {}

    def write_angle_offset(self, row: str, letter: str, value: float) -> None:
        """It has no angles. Raises MachineError."""
        raise MachineError("A lathe keeps no angle in its table", "Nothing was written", "Leave it out")

    def turning_value(self, number: int, table: str, axis: str) -> float:
        """Geometry or wear of an offset number, mm; X a radius. Raises ValueError: there is none of that number."""
        held = self.tables.geometry if table == "geometry" else self.tables.wear
        if number < 1:
            raise ValueError(f"there is no offset {number}")
        x, z = held.get(number, (0.0, 0.0))
        return x / 2 if axis == "x" else z

    def write_turning(self, number: int, table: str, axis: str, value: float) -> None:
        """Write it."""
        held = self.tables.geometry if table == "geometry" else self.tables.wear
        x, z = held.get(number, (0.0, 0.0))
        held[number] = (value * 2, z) if axis == "x" else (x, value)

    @property
    def tool_shift(self) -> tuple[float, float]:
        """Geometry and wear of the offset in force, X a radius and Z, mm; nothing without one."""
        number = self.offset_number
        if not number:
            return 0.0, 0.0
        x, z = (sum(self.turning_value(number, table, axis) for table in ("geometry", "wear")) for axis in ("x", "z"))
        return x, z

    def tool_length(self, number: int) -> float:
        """Lathes know no tool length. Raises ValueError."""
        raise ValueError("a lathe has no tool lengths: T calls its offset")

    def tool_value(self, number: int, column: int) -> float:
        """Lathes know none of these columns. Raises ValueError."""
        raise ValueError("a lathe keeps geometry and wear, no lengths and radii of a mill")

    def write_tool(self, number: int, column: int, value: float) -> None:
        """Lathes know none of these columns. Raises ToolError."""
        raise ToolError("A lathe keeps geometry and wear, no lengths and radii of a mill", "", "")

    def _homed(self) -> None:
        if self.alarm:
            raise GuardError(f"An alarm stands: {self.alarm}", "Nothing moves while it stands", "Reset it")
        if not self.homed:
            raise GuardError("The axes are not homed", "Machine positions count from anywhere", "Home first: ⟨bench:h⟩")


def _placed(ring: Ring, tip: Pair) -> list[tuple[float, float]]:
    """A tool's ring where its tip stands."""
    return [(z + tip[1], r + tip[0] / 2) for z, r in ring]


def _swept(ring: Ring, start: Pair, end: Pair) -> BaseGeometry:
    """What a convex ring passes through on a straight way of the tip."""
    from shapely.geometry import MultiPoint

    return MultiPoint([*_placed(ring, start), *_placed(ring, end)]).convex_hull


def _mirrored(shape: BaseGeometry) -> BaseGeometry:
    """A shape on the other side of the axis."""
    from shapely.affinity import scale

    return scale(shape, 1.0, -1.0, origin=(0.0, 0.0))


def _polygons(shape: BaseGeometry) -> list[BaseGeometry]:
    """The polygons a shape is made of."""
    parts = getattr(shape, "geoms", [shape])
    return [part for part in parts if part.geom_type == "Polygon" and part.area > _NOTHING]
