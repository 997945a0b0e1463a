"""The set-up as a person describes it: machine, drawn features, outlines. Nominal figures, no errors of real life."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping
from dataclasses import field, replace
from typing import TYPE_CHECKING

from brisk_anchor.core.features.touches import Stylus
from brisk_anchor.core.kinds import FeatureKind, Vector
from brisk_anchor.core.offsets.conditions import AS_STATED, Conditions
from brisk_anchor.core.offsets.rules import Fixed, FromFeature, FromFit, FromTable, Keep, Rule, Turner, features_in
from brisk_anchor.core.quantities import bare
from brisk_anchor.core.tools.hand_tools import HandTool
from brisk_anchor.core.tools.shelf import Shelf
from brisk_anchor.lazy_dataclass import dataclass

if TYPE_CHECKING:  # NumPy behind it would be loaded before the first paint
    from brisk_anchor.core.geometry.rotary import RotaryAxis

JUMP_BEYOND = 1.0
"""How far, mm, a row nobody stated a limit for may jump beyond how far the part may lie off."""

Polyline = tuple[tuple[float, float], ...]


@dataclass(frozen=True, slots=True)
class Travel:
    """Soft travel limits, machine mm: lowest and highest spindle position of each axis."""

    low: Vector
    high: Vector


@dataclass(frozen=True, slots=True)
class Machine:
    """A machine. `table` is its table as (x low, y low, x high, y high, top), in tip coordinates with no tool, mm.

    `tool_axis` points from the tool's end to the spindle or turret: +Z on a mill. Where it is not `connected`, what is
    measured is a rehearsal on the twin, unless a control is `linked`.
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
    connected: bool = True
    linked: bool = False
    """Whether a control stands at the other end: programs go to it, and what it prints comes back."""
    sweeps: tuple[tuple[str, Vector, int, float], ...] = ()
    """Of rotary axes along X, Y or Z: its letter, a point on it (machine mm), which of the three it runs along,
    and how far out from it anything lies that it carries, mm."""

    @property
    def is_horizontal(self) -> bool:
        """Whether the spindle lies: Y points up then, and the table is seen from above along it."""
        return self.kind == "horizontal mill"


@dataclass(frozen=True, slots=True)
class Outline:
    """One solid as drawn: closed outlines seen from above (XY) and from the front (XZ), nominal machine mm."""

    body: str
    solid: str
    role: str
    plan: tuple[Polyline, ...]
    front: tuple[Polyline, ...]
    top: float
    extents: tuple[tuple[float, float, float, float], ...] = ()
    """Of each outline in `plan` the box round it: x low, y low, x high, y high."""


@dataclass(frozen=True, slots=True)
class DrawnFeature:
    """A feature on the part's drawing and how to measure it.

    `drawing` is its place in the drawing's frame (mm), `machine` the nominal place of the tip at it in machine
    coordinates; `size` the nominal diameter or width (of a pocket or block
    that along X, `size_y` along Y) and `size_limit` how far from it a measured one may lie; `depth` how far
    below its upper edge the ball's lowest point goes; `over` and `walls` fill the touch pattern.
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
    size_y: float | None = None
    skew: float = 0.0
    """How far, degrees, its walls lie from the machine's axes: anything but 0 cannot be touched square."""
    spread: float = 0.0
    """How far apart along a wall its two touches lie, 0 for one touch; of a plane the side of the triangle, mm."""
    second_depth: float = 0.0
    """How much deeper the second level of a tilted bore lies, mm."""
    headings: tuple[float, ...] = ()
    """Where it is touched, where that is not all round: degrees from +X; two where its size stands in for a touch."""
    of: tuple[str, ...] = ()
    """The two features it is built from, where it is built."""
    balloon: int | None = None
    tolerance: tuple[float, float] | None = None
    form: float | None = None
    """Its form tolerance: the width of the zone it lies in, mm; None where the drawing says nothing."""
    asks: tuple[str, ...] = ()
    """What the drawing asks of it, in words, their figures in `asks_unit`."""
    asks_unit: str = "mm"
    found: bool = False
    """Whether it stands on no drawing: it was measured, and lies where it was first found."""
    table: tuple[tuple[str, float], ...] = ()
    """Where every rotary axis stands when it is measured, degrees: it is described as it lies then. Nothing where no
    part of the job is turned to be measured."""

    @property
    def top(self) -> float:
        """Machine Z of its highest edge, mm: a ball's place is its middle."""
        return self.machine[2] + ((self.size or 0.0) / 2 if self.kind.has_top else 0.0)

    @property
    def numbered_title(self) -> str:
        """Its title behind its balloon number, where it has one."""
        return f"{self.balloon}  {self.title}" if self.balloon else self.title

    @property
    def size_words(self) -> str:
        """Its nominal size for a list, mm: "⌀38", "12 wide" or "60×40"; empty for a surface."""
        if self.size and self.size_y is None and not self.kind.is_round:
            return f"{bare(self.size)} wide"
        sizes = "×".join(f"{bare(size)}" for size in (self.size, self.size_y) if size)
        return f"{self.kind.size_sign}{sizes}" if sizes else ""


def stands_so(table: tuple[tuple[str, float], ...], angles: Mapping[str, float]) -> bool:
    """Whether rotary axes stand as a feature is measured, whole turns apart; one that says nothing belongs to 0."""
    wanted = dict(table)
    return all(abs(math.remainder(angle - wanted.get(letter, 0.0), 360.0)) < _SAME for letter, angle in angles.items())


_SAME = 1e-4
"""Angles that differ by less, degrees, are the same."""


def drawn_heading(feature: DrawnFeature, other: DrawnFeature | None = None) -> float:
    """By the description: how far an edge is turned, or the heading from a feature to another; degrees."""
    if other is None:
        return feature.skew
    (x, y, _), (to_x, to_y, _) = feature.machine, other.machine
    return math.degrees(math.atan2(to_y - y, to_x - x))


@dataclass(frozen=True, slots=True)
class DrawnPoint:
    """A place of the description a zero can be put on: `machine` is where, mm; `axes` which of them it means."""

    title: str
    body: str
    machine: Vector
    axes: str


@dataclass(frozen=True, slots=True)
class DrawnWord:
    """Words or a dimension of the part's drawing, and where they stand, machine mm."""

    text: str
    machine: Vector


@dataclass(frozen=True, slots=True)
class RowPlan:
    """One offset this job needs: its row, its name, a rule for each axis, and the largest jump that is believed, mm."""

    row: str
    title: str
    rules: dict[str, Rule]
    jump_limit: float
    turner: Turner | None = None
    """The table that turns the part straight, where the row's angle is used so."""
    on_bench: bool = False
    """Whether its rules were said on the bench, from what was measured there, and stand in no file."""

    @property
    def features(self) -> list[str]:
        """Names of the features it needs, in the order of its axes, each once."""
        return list(dict.fromkeys(name for rule in self.rules.values() for name in features_in(rule)))


@dataclass(frozen=True, slots=True)
class Operation:
    """An operation of the job and the offset it uses."""

    name: str
    offset: str
    comment: str = ""
    tools: tuple[int, ...] = ()


@dataclass(frozen=True, slots=True)
class JobCard:
    """What a person writes on the job: number of its programs, their comment, operations, what to know of clamping."""

    program: int | None = None
    comment: str = ""
    operations: tuple[Operation, ...] = ()
    notes: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class PlaceOnFixture:
    """A place that holds the job's part, or is empty: which face, column and row it is in, counted from 1.

    `body` is what lies there, "" where it is empty; `table` where rotary axes stand when it looks at the spindle;
    `rows` are used there. `flag` is the variable that a program sets to 1 where the place is empty; None: it sets none.
    """

    name: str
    face: int
    column: int
    row: int
    body: str
    table: tuple[tuple[str, float], ...]
    rows: tuple[str, ...]
    flag: int | None = None

    @property
    def empty(self) -> bool:
        """Whether no part is there."""
        return not self.body


@dataclass(frozen=True, slots=True)
class Setup:
    """A job: everything the bench, the touch pattern, the plan and the sheet need to know."""

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
    points: tuple[DrawnPoint, ...] = field(default=())
    words: tuple[DrawnWord, ...] = field(default=())
    hand_tools: tuple[HandTool, ...] = field(default=())
    shelf: Shelf = field(default=Shelf())
    card: JobCard = JobCard()
    turn_uncertainty: float = 2.0
    """How far a part may lie turned from where the set-up puts it, degrees."""
    parts: tuple[str, ...] = ()
    """The bodies of the part: one, or one at each place that holds it."""
    places: tuple[PlaceOnFixture, ...] = ()
    """The places of a fixture that holds many parts; nothing where it holds one."""
    turn: float = 0.0
    """How far the part's drawing is turned about Z on the machine, degrees."""
    conditions: Conditions = AS_STATED
    """What is stated of machine and room."""

    def drawn(self, name: str) -> DrawnFeature:
        """The feature of a name; KeyError when none is drawn."""
        for feature in self.features:
            if feature.name == name:
                return feature
        raise KeyError(name)

    def place_of(self, name: str) -> PlaceOnFixture | None:
        """The place that a drawn feature is at; None where it is at none."""
        body = next((feature.body for feature in self.features if feature.name == name), "")
        return next((place for place in self.places if place.body and place.body == body), None)

    def touched(self, names: Iterable[str]) -> list[str]:
        """The features that must be touched for some to be known, each once: of built ones those they are made of."""
        found: list[str] = []
        for name in names:
            of = self.drawn(name).of
            found += self.touched(of) if of else [name]
        return list(dict.fromkeys(found))

    def nominal(self, rule: FromFeature | FromFit, axis: str) -> float:
        """Where a rule puts the zero along an axis by the description, machine mm."""
        i = "xyz".index(axis)
        if isinstance(rule, FromFit):
            return self.drawn(rule.names[0]).machine[i] - rule.places[0][i]
        places = [self.drawn(name).machine[i] for name in rule.features]
        return sum(places) / len(places) - rule.drawing + rule.allowance + rule.master

    def row(self, name: str) -> RowPlan:
        """The plan of a row; one without rules where nothing says what it comes from."""
        for row in self.rows:
            if row.row == name:
                return row
        return RowPlan(name, "", {}, self.jump_limit, on_bench=True)

    def plans(self, row: str) -> bool:
        """Whether the job has a row: a file or a person at the bench said so."""
        return any(plan.row == row for plan in self.rows)

    @property
    def jump_limit(self) -> float:
        """The largest jump, mm, believed of a row nobody stated one for: more than how far a part may lie off."""
        return self.start_uncertainty + JUMP_BEYOND

    def with_row(self, plan: RowPlan) -> Setup:
        """The same with a row planned so; a new one stands last."""
        if not self.plans(plan.row):
            return replace(self, rows=(*self.rows, plan))
        return replace(self, rows=tuple(plan if known.row == plan.row else known for known in self.rows))

    def with_bench_of(self, other: Setup) -> Setup:
        """The same with what was found on the bench and the rows that were set from it in another set-up.

        A row that was set from a drawn feature that is gone is left as the description has it.
        """
        found = tuple(feature for feature in other.features if feature.found)
        result = replace(self, features=(*self.features, *found))
        names = {feature.name for feature in result.features}
        for plan in other.rows:
            if plan.on_bench and names.issuperset(plan.features):
                result = result.with_row(plan)
        return result

    def with_lengths(self, convention: str, master: float, u_master: float = 0.0) -> Setup:
        """The same job with its Z rules as a control counts tool lengths.

        "gauge line" changes nothing; "master" adds the master's length (mm, `u_master` its standard uncertainty) to
        every measured Z; with "part", where every tool is touched off on the part, Z is kept as it stands in the table.
        Cutters on the shelf follow.
        """
        if convention == "gauge line":
            return self
        rows = []
        for row in self.rows:
            rule: Rule | None = row.rules.get("z")
            if convention == "part" and rule is not None:
                rule = Keep()
            elif isinstance(rule, FromFeature):
                rule = replace(rule, master=master, u_master=u_master)
            elif isinstance(rule, Fixed) and rule.centre_of:
                rule = replace(rule, value=rule.value + master, u=math.hypot(rule.u, u_master))
            rules = row.rules if rule is None else {**row.rules, "z": rule}
            if convention == "master":
                carried = {a: replace(r, master=master) for a, r in rules.items() if isinstance(r, FromTable)}
                rules = {**rules, **carried}
            rows.append(replace(row, rules=rules))
        counted = self.shelf.counted_from(master) if convention == "master" else self.shelf
        return replace(self, rows=tuple(rows), shelf=counted)
