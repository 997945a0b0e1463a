"""The set-up as a person describes it: machine, drawn features, outlines. Nominal figures, no errors of real life."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING

from brisk_anchor.core.kinds import FeatureKind, Vector
from brisk_anchor.core.offsets import FromFeature, Keep, Rule
from brisk_anchor.core.touches import Stylus

if TYPE_CHECKING:  # NumPy behind it would be loaded before the first paint
    from brisk_anchor.core.rotary import RotaryAxis

Polyline = tuple[tuple[float, float], ...]


@dataclass(frozen=True, slots=True)
class Travel:
    """Soft travel limits, machine mm: lowest and highest spindle position of each axis."""

    low: Vector
    high: Vector


@dataclass(frozen=True, slots=True)
class Machine:
    """A machine. `table` is its table as (x low, y low, x high, y high, top), in tip coordinates with no tool, mm.

    `tool_axis` points from the tool's end to the spindle or turret: +Z on a mill.
    """

    name: str
    kind: str
    travel: Travel
    home: Vector
    table: tuple[float, float, float, float, float]
    rapid: float
    acceleration: float
    profile: str
    rotary: tuple[RotaryAxis, ...] = ()
    tool_axis: Vector = (0.0, 0.0, 1.0)


@dataclass(frozen=True, slots=True)
class Outline:
    """One solid as drawn: closed outlines seen from above (XY) and from the front (XZ), nominal machine mm."""

    body: str
    solid: str
    role: str
    plan: tuple[Polyline, ...]
    front: tuple[Polyline, ...]
    top: float


@dataclass(frozen=True, slots=True)
class DrawnFeature:
    """A feature on the part's drawing and how to measure it.

    `drawing` is its place in the drawing's frame (mm), `machine` the nominal place of the tip at it in machine
    coordinates; `size` the nominal diameter and `size_limit` how far from it a measured one may lie; `depth` how far
    below its upper edge the ball's lowest point goes; `over` and `walls` fill the rose.
    """

    name: str
    title: str
    kind: FeatureKind
    body: str
    drawing: Vector
    machine: Vector
    walls: tuple[str, ...]
    size: float | None = None
    size_limit: float | None = None
    depth: float = 0.0
    over: bool = False


@dataclass(frozen=True, slots=True)
class RowPlan:
    """One offset this job needs: its row, its name, a rule for each axis, and the largest jump that is believed, mm."""

    row: str
    title: str
    rules: dict[str, Rule]
    jump_limit: float


@dataclass(frozen=True, slots=True)
class Setup:
    """A job: everything the bench, the rose, the plan and the sheet need to know."""

    job: str
    title: str
    company: str
    machine: Machine
    stylus: Stylus
    part: str
    fixture: str
    clear_height: float
    start_uncertainty: float
    features: tuple[DrawnFeature, ...]
    rows: tuple[RowPlan, ...]
    outlines: tuple[Outline, ...] = field(default=())

    def row(self, name: str) -> RowPlan:
        """The plan of a row; KeyError when the job does not need it."""
        for row in self.rows:
            if row.row == name:
                return row
        raise KeyError(name)

    def with_lengths(self, convention: str, master: float) -> Setup:
        """The same job with its Z rules as a control counts tool lengths.

        "gauge line" changes nothing; "master" adds the master's length (mm) to every measured Z; with "part", where
        every tool is touched off on the part, Z is kept as it stands in the table.
        """
        if convention == "gauge line":
            return self
        rows = []
        for row in self.rows:
            rule: Rule | None = row.rules.get("z")
            if convention == "part" and rule is not None:
                rule = Keep()
            elif isinstance(rule, FromFeature):
                rule = replace(rule, master=master)
            rows.append(row if rule is None else replace(row, rules={**row.rules, "z": rule}))
        return replace(self, rows=tuple(rows))
