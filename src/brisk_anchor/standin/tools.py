"""Tools of the stand-in: what stands in the spindle, its shape, and its row of the tool table."""

from __future__ import annotations

from dataclasses import field

from brisk_anchor.core.errors import ToolError
from brisk_anchor.core.features.touches import Stylus
from brisk_anchor.core.quantities import dim
from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.nc.read.port import LENGTH, LENGTH_WEAR, RADIUS, RADIUS_WEAR
from brisk_anchor.standin.tracing import ProbeShape

COLUMNS = {LENGTH: "length", LENGTH_WEAR: "length wear", RADIUS: "radius", RADIUS_WEAR: "radius wear"}


@dataclass(frozen=True, slots=True)
class Tool:
    """A tool as it really is, mm. `length` is from the spindle gauge line to its end; `reach` is what stands free."""

    number: int
    name: str
    shape: ProbeShape
    length: float
    stylus: Stylus | None = None

    @property
    def is_probe(self) -> bool:
        """Whether it signals contact."""
        return self.stylus is not None

    @classmethod
    def probe(cls, stylus: Stylus, length: float) -> Tool:
        """A touch probe; `length` is the real one, the stylus holds the calibrated one."""
        return cls(stylus.tool_number, stylus.name, ProbeShape.of(stylus), length, stylus)

    @classmethod
    def cutter(cls, number: int, name: str, diameter: float, reach: float, holder: float, length: float) -> Tool:
        """A cutter of a diameter, standing `reach` out of a holder of diameter `holder`."""
        return cls(number, name, ProbeShape.cutter(diameter, reach, holder, length), length)

    @classmethod
    def none(cls) -> Tool:
        """An empty spindle."""
        return cls(0, "no tool", ProbeShape.empty(), 0.0)


@dataclass(slots=True)
class ToolTable:
    """What the control believes of its tools: four figures each, mm."""

    rows: dict[int, dict[int, float]] = field(default_factory=dict)

    def value(self, number: int, column: int) -> float:
        """A figure. Raises ValueError when there is no such tool."""
        if number not in self.rows:
            raise ValueError(f"H{number} is empty in the tool table")
        return self.rows[number].get(column, 0.0)

    def length(self, number: int) -> float:
        """Length with wear. Raises ValueError when there is no such tool."""
        return self.value(number, LENGTH) + self.value(number, LENGTH_WEAR)

    def write(self, number: int, column: int, value: float, *, probe: int) -> None:
        """Write a figure, mm. The probe's own come from its calibration and stay. Raises ToolError."""
        if number == probe:
            raise ToolError(
                f"A program would write the {COLUMNS[column]} of the probe T{number}",
                "The stand-in keeps the probe's calibrated figures",
                "Calibrate the probe instead",
            )
        if not -1000 <= value <= 1000:
            raise ToolError(f"{dim(value)} is no {COLUMNS[column]}", "The table is unchanged", "Check the figure")
        self.rows.setdefault(number, {})[column] = value

    def copy(self) -> ToolTable:
        """A table of its own with the same figures."""
        return ToolTable({number: dict(row) for number, row in self.rows.items()})
