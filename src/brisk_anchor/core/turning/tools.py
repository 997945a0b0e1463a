"""Turning tools and the gauges of the bench: what a tool points at, what it is referred to, how well a gauge knows.

A tool points along the way from its nose's centre to its sharp corner: −1, 0 or +1 along X and Z. Seen so, its
direction needs no number; the number that a control gives it stands in the profile.
"""

from __future__ import annotations

from enum import Enum
from typing import Literal

from brisk_anchor.core.errors import DatumError
from brisk_anchor.core.turning.sums import Edge, nose_centre
from brisk_anchor.core.uncertainty.sources import Source
from brisk_anchor.lazy_dataclass import dataclass


class ToolKind(Enum):
    """What a turning tool does."""

    OUTSIDE = "outside tool"
    BORING = "boring bar"
    GROOVER = "groover"
    PARTING = "parting blade"
    DRILL = "drill"

    @property
    def is_blade(self) -> bool:
        """Whether it has two edges along Z."""
        return self in (ToolKind.GROOVER, ToolKind.PARTING)

    @property
    def is_inside(self) -> bool:
        """Whether it cuts away from the axis."""
        return self is ToolKind.BORING


_POINTS: dict[ToolKind, tuple[int, int]] = {
    ToolKind.OUTSIDE: (-1, -1),
    ToolKind.BORING: (1, -1),
    ToolKind.DRILL: (0, -1),
}


@dataclass(frozen=True, slots=True)
class TurningTool:
    """A tool in the turret.

    `station` is its place in the turret, `offset` the number of its row in the table: two rows of one station hold two
    wears for two diameters. `width` is that of a blade, `edge` the edge of it that its offset belongs to; `size` is a
    drill's diameter or the thickness of a bar. `sticks_out` goes from the turret's face (a bar, a drill) or from the
    holder (all others) to the tip, mm.
    """

    station: int
    offset: int
    title: str
    kind: ToolKind
    sticks_out: float
    nose_radius: float = 0.0
    width: float = 0.0
    edge: Edge | None = None
    size: float = 0.0
    refers_to: Literal["sharp corner", "nose centre"] = "sharp corner"

    def __post_init__(self) -> None:
        name = f"T{self.station}"
        if not (1 <= self.station <= 24 and 1 <= self.offset <= 999):
            raise DatumError(f"{name} has no such station or offset", "", "Stations 1 to 24, offsets from 1")
        if not 0 < self.sticks_out <= 1000 or not 0 <= self.nose_radius <= 20:
            raise DatumError(f"{name}: its stickout or nose radius makes no sense", "", "State mm above 0")
        if self.kind.is_blade and (self.edge is None or not 0 < self.width <= 50):
            raise DatumError(
                f"{name} is a blade without its width or its reference edge",
                "Its Z would be wrong by the width",
                "State width and edge: chuck or front",
            )
        if self.kind in (ToolKind.DRILL, ToolKind.BORING) and not 0 < self.size <= 200:
            raise DatumError(f"{name} has no diameter", "Whether it goes into the bore is not known", "State its size")

    @property
    def points(self) -> tuple[int, int]:
        """Which way its corner points from its nose: along X and along Z."""
        if self.kind.is_blade:
            return -1, -1 if self.edge == "chuck" else 1
        return _POINTS[self.kind]

    @property
    def leads(self) -> float:
        """How far before the edge that its offset belongs to it meets a face, mm: a blade's width, at the front edge.

        A face is always met by the edge on the chuck's side.
        """
        return self.width if self.points[1] > 0 else 0.0

    @property
    def counted_by(self) -> tuple[object, ...]:
        """What the figures in its table follow from: what it is, where its corner points, which point they are of."""
        radius = self.nose_radius if self.refers_to == "nose centre" else 0.0
        return self.kind, self.points, self.leads, self.refers_to, radius

    def picture(self, turret: str) -> str:
        """That direction as an arrow, the chuck at the left; a front turret stands below the axis."""
        across, along = self.points
        seen = (across if turret == "rear" else -across, along)
        return {(-1, -1): "↙", (-1, 1): "↘", (1, -1): "↖", (1, 1): "↗", (0, -1): "←", (0, 1): "→"}[seen]

    @property
    def name(self) -> str:
        """Its station with its offset number where that is another: "T3", "T3 offset 13"."""
        return f"T{self.station}" if self.offset == self.station else f"T{self.station} offset {self.offset}"

    @property
    def about_edge(self) -> str:
        """Which edge of a blade its offset belongs to, in words; nothing for any other tool."""
        if not self.kind.is_blade:
            return ""
        side = "the chuck's side" if self.edge == "chuck" else "the front's side"
        return f"offset belongs to the edge on {side}"

    def referred(self, axis: str, corner: float) -> float:
        """What its table holds for a geometry of the sharp corner: that, or the nose centre's, R less in Z, 2R in ⌀."""
        if self.refers_to == "sharp corner":
            return corner
        return nose_centre(corner, self.nose_radius, -self.points[0 if axis == "x" else 1], axis=axis)


class GaugeKind(Enum):
    """What is measured with it."""

    RULE = "rule"
    CALIPER = "caliper"
    MICROMETER = "micrometer"
    DEPTH_GAUGE = "depth gauge"
    BORE_GAUGE = "bore gauge"
    FEELER = "feeler"
    DIAL = "dial"

    @property
    def measures(self) -> frozenset[str]:
        """Of "length", "diameter", "bore", "thickness" what it measures."""
        return _MEASURES[self]


_MEASURES = {
    GaugeKind.RULE: frozenset({"length"}),
    GaugeKind.CALIPER: frozenset({"length", "diameter", "bore"}),
    GaugeKind.MICROMETER: frozenset({"diameter"}),
    GaugeKind.DEPTH_GAUGE: frozenset({"length"}),
    GaugeKind.BORE_GAUGE: frozenset({"bore"}),
    GaugeKind.FEELER: frozenset({"thickness"}),
    GaugeKind.DIAL: frozenset({"run-out"}),
}


@dataclass(frozen=True, slots=True)
class Gauge:
    """A gauge on the shelf: `spread` is its ± at 95 %, mm; `thickness` that of a feeler."""

    name: str
    kind: GaugeKind
    spread: float
    low: float = 0.0
    high: float = 1000.0
    thickness: float = 0.0

    def __post_init__(self) -> None:
        if not 0 < self.spread <= 2:
            raise DatumError(f"{self.name} has no ±, or one that makes no sense", "", "State it above 0, as ±0.004")
        if (self.kind is GaugeKind.FEELER) != (self.thickness > 0):
            raise DatumError(f"{self.name}: a feeler has a thickness, nothing else has", "", "State thickness")

    @property
    def source(self) -> Source:
        """Its error, one and the same in everything that is measured with it."""
        return Source(f"gauge {self.name}", self.name)

    @property
    def step(self) -> float:
        """The last digit that such a gauge shows, mm. What that hides is part of its ±."""
        return 0.1 if self.spread > 0.05 else 0.01 if self.spread > 0.008 else 0.001

    def fits(self, what: str, size: float) -> bool:
        """Whether it measures that, and goes so far."""
        return what in self.kind.measures and self.low <= size <= self.high
