"""A set-up to turn: lathe, part, stock, how it is held, turret, gauges, rows of a family. X figures are diameters."""

from __future__ import annotations

from dataclasses import field
from typing import Literal

from brisk_anchor.core.errors import DatumError
from brisk_anchor.core.quantities import dim
from brisk_anchor.core.turning.part import TurnedPart, TurningStock, is_slender
from brisk_anchor.core.turning.targets import Approach, Target
from brisk_anchor.core.turning.tools import Gauge, TurningTool
from brisk_anchor.lazy_dataclass import dataclass

Pair = tuple[float, float]
"""X (a diameter) and Z, mm."""


@dataclass(frozen=True, slots=True)
class Lathe:
    """A two-axis lathe.

    `turret` says on which side of the axis the tools stand: sums are the same, picture and hand change. Positions are
    the control's, X as a diameter. `reach_at_home` is how far the turret's centre stands from the axis with X home;
    `face_at_home` where the turret's face stands with Z home. `chuck_face` is where the chuck's face is believed to
    stand, machine Z. `index_at` is where the turret may turn. `control` is "" on a machine with a readout alone.
    """

    name: str
    control: str
    turret: Literal["rear", "front"]
    stations: int
    travel_low: Pair
    travel_high: Pair
    home: Pair
    index_at: Pair
    chuck_face: float
    reach_at_home: float
    face_at_home: float = 0.0
    rapid: float = 12_000.0
    resolution: float = 0.001
    connected: bool = True
    top_slide: Literal["none", "locked", "free"] = "none"
    axis_x: float = 0.0
    """Where the spindle axis lies, machine X: the X zero of every row."""
    u_axis_x: float = 0.0
    """Standard uncertainty of that, mm of diameter; 0 where nobody stated it."""

    @property
    def has_control(self) -> bool:
        """Whether it runs programs."""
        return bool(self.control)

    def reaches(self, x: float, z: float) -> bool:
        """Whether a machine position lies within the travels."""
        low, high = self.travel_low, self.travel_high
        return low[0] - 1e-9 <= x <= high[0] + 1e-9 and low[1] - 1e-9 <= z <= high[1] + 1e-9


@dataclass(frozen=True, slots=True)
class Holding:
    """How the part is held. Z figures count from the chuck's face, outwards.

    `jaw_face` is how far the jaws stand out, `step` how deep soft jaws are bored, `jaw_outside` the diameter within
    which jaws turn. `stands_out` is how far the finished front face stands out of the jaws.
    """

    kind: Literal["chuck", "collet", "soft jaws"]
    jaw_face: float
    jaw_outside: float
    stands_out: float
    step: float = 0.0
    stop: Literal["none", "bar stop", "back stop"] = "none"
    tailstock: float = 0.0
    """Diameter of the tailstock's quill; 0 where there is none."""
    u_stop: float = 0.0
    """How well a part sits against its stop or step, standard, mm; 0 where nobody stated it."""

    def __post_init__(self) -> None:
        if not (self.jaw_face >= 0 and self.jaw_outside > 0 and self.stands_out > 0 and self.step >= 0):
            raise DatumError("The holding makes no sense", "Jaws and what stands out of them are above 0", "Look again")
        if self.step > self.jaw_face + 1e-9:
            raise DatumError("The step of the soft jaws is deeper than the jaws stand out", "", "State it again")


@dataclass(frozen=True, slots=True)
class KnownFace:
    """A face that lengths are measured from: how far the finished face is to stand before it, mm."""

    name: Literal["jaws", "chuck", "shoulder", "stop"]
    wanted: float
    u: float = 0.0


@dataclass(frozen=True, slots=True)
class Member:
    """One of a family of parts that are alike but for their length: its row."""

    name: str
    row: str
    length: float


@dataclass(frozen=True, slots=True)
class LatheSetup:
    """Everything that is described. `clearance` is what a tool keeps from stock while it is brought near, mm."""

    job: str
    title: str
    program: int
    lathe: Lathe
    part: TurnedPart
    stock: TurningStock
    holding: Holding
    tools: tuple[TurningTool, ...]
    gauges: tuple[Gauge, ...]
    targets: tuple[Target, ...] = ()
    family: tuple[Member, ...] = ()
    row: str = "G54"
    side: Literal["first", "second"] = "first"
    zero: Literal["finished face", "chuck face", "jaws"] = "finished face"
    clearance: float = 5.0
    approach: Approach = field(default_factory=Approach)
    unit: Literal["mm", "inch"] = "mm"

    def __post_init__(self) -> None:
        if self.lathe.connected and not self.tools:
            raise DatumError("No tool is in the turret", "", "State one at least")
        rows = [tool.offset for tool in self.tools]
        if len(set(rows)) != len(rows):
            raise DatumError("Two tools have the same offset number", "One would overwrite the other", "Change one")
        if self.stock.diameter < self.part.largest - 1e-9:
            raise DatumError(
                f"The stock, ⌀{dim(self.stock.diameter)}, is smaller than the part, ⌀{dim(self.part.largest)}",
                "The part cannot be turned of it",
                "Take larger stock",
            )
        if self.holding.stands_out > self.part.length + self.stock.back + 1e-9:
            raise DatumError(
                f"{dim(self.holding.stands_out)} stand out of the jaws, and the part is {dim(self.part.length)} long",
                "Nothing of it would be held",
                "State what stands out, or what stock is left behind the part",
            )
        names = [member.row for member in self.family]
        if len(set(names)) != len(names):
            raise DatumError("Two parts of the family have one row", "", "Give each its own")

    @property
    def jaws(self) -> float:
        """Where the jaws' face is believed to stand, machine Z (of a tip), mm."""
        return self.lathe.chuck_face + self.holding.jaw_face

    @property
    def drawn_zero(self) -> float:
        """Where the finished face is believed to come, machine Z (of a tip), mm."""
        return self.jaws + self.holding.stands_out

    @property
    def zero_from_face(self) -> float:
        """Program Z of the finished front face, mm: 0, unless the zero lies at the chuck or the jaws."""
        return {
            "finished face": 0.0,
            "chuck face": self.holding.jaw_face + self.holding.stands_out,
            "jaws": self.holding.stands_out,
        }[self.zero]

    @property
    def jaws_in_program(self) -> float:
        """Program Z of the jaws' face, mm."""
        return self.zero_from_face - self.holding.stands_out

    @property
    def known_faces(self) -> tuple[KnownFace, ...]:
        """What a length may be measured from, the usual one first."""
        held = self.holding
        faces = [KnownFace("jaws", held.stands_out), KnownFace("chuck", held.jaw_face + held.stands_out)]
        if self.side == "second" or held.step or (held.stop != "none" and self.stock.kind == "blank"):
            # The other end of a bar stands somewhere in the spindle: nothing is measured from there.
            faces.insert(0, KnownFace("stop", self.part.length, held.u_stop))
        if len(self.part.outside) > 1:
            faces.append(KnownFace("shoulder", self.part.outside[0].to))
        return tuple(faces)

    @property
    def slender(self) -> bool:
        """Whether what stands out bends."""
        out = self.holding.stands_out + self.stock.front
        return is_slender(out, self.stock.diameter, supported=bool(self.holding.tailstock))

    def tool(self, offset: int) -> TurningTool:
        """The tool of an offset number. Raises DatumError: there is none."""
        for tool in self.tools:
            if tool.offset == offset:
                return tool
        raise DatumError(f"There is no tool with offset {offset}", "", "State it in the turret")

    def member(self, row: str) -> Member | None:
        """The part of the family that a row belongs to, None for none."""
        return next((member for member in self.family if member.row == row), None)

    def longer(self, row: str) -> float:
        """How much longer the part of a row is than that which is described, mm; 0 where it is no other of a family."""
        member, own = self.member(row), self.member(self.row)
        return member.length - own.length if member is not None and own is not None else 0.0


def geometry_row(offset: int) -> str:
    """What the book calls the geometry of an offset number."""
    return f"T{offset} geometry"


def wear_row(offset: int) -> str:
    """What the book calls the wear of an offset number."""
    return f"T{offset} wear"
