"""Datum rules: what each axis of a work offset is taken from."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import field

from brisk_anchor.core.features.touches import AXES
from brisk_anchor.core.uncertainty.sources import Source
from brisk_anchor.lazy_dataclass import dataclass


@dataclass(frozen=True, slots=True)
class FromFeature:
    """The feature lands on `drawing`, its place on the drawing along this axis, mm; then the zero moves by `allowance`.

    A casting's top touched with an allowance of −1.5 puts the zero 1.5 mm below what was touched. `master` is the
    length of the tool that lengths are counted from, where they are not counted from the gauge line; along Z only.
    With an `other` feature it is the middle between the two that lands there: the left and the right face, say.
    `u_master` is the standard uncertainty of the master's length.
    """

    feature: str
    drawing: float = 0.0
    allowance: float = 0.0
    master: float = 0.0
    other: str = ""
    u_master: float = field(default=0.0, repr=False)

    @property
    def features(self) -> tuple[str, ...]:
        """The one or two features it is taken from."""
        return (self.feature, self.other) if self.other else (self.feature,)


@dataclass(frozen=True, slots=True)
class Fixed:
    """A value given by hand, machine mm, with its standard uncertainty; or the centre of a rotary axis, of that letter.

    Nothing is measured for it.
    """

    value: float
    u: float = 0.0
    centre_of: str = field(default="", repr=False)


@dataclass(frozen=True, slots=True)
class Keep:
    """What stands in the table stays there."""


@dataclass(frozen=True, slots=True)
class FromHeading:
    """How far a row is turned about Z: the heading of an edge, or of the line to another feature, less `drawing`.

    `drawing` is the heading it has where the program's axes are, degrees counter-clockwise. An edge has no direction:
    one drawn at 180° is the same as at 0°, and is kept so.
    """

    feature: str
    other: str = ""
    drawing: float = 0.0

    def __post_init__(self) -> None:
        if not self.other:
            object.__setattr__(self, "drawing", self.drawing - 180.0 * round(self.drawing / 180.0))


@dataclass(frozen=True, slots=True)
class FromFit:
    """X, Y, and R where that has this rule too, from several features brought nearest to their places on the drawing.

    `names` and `places` (mm, by name) go together; each feature counts by its uncertainty.
    """

    names: tuple[str, ...]
    places: tuple[tuple[float, float], ...]


@dataclass(frozen=True, slots=True)
class FromRow:
    """Derived from another row: its zero moved by `shift` (mm) along this axis of that row's own, turned, frame.

    As the rule of an angle: turned by `shift` degrees more than that row. `placed` is what that distance may be off
    by: of another place on a fixture what part and faces are, each with its effect for one standard uncertainty, mm.
    """

    row: str
    shift: float = 0.0
    placed: tuple[tuple[str, float], ...] = field(default=(), repr=False)


@dataclass(frozen=True, slots=True)
class FromTable:
    """Where another row's zero goes when a rotary table turns by `angle` degrees from where that row was measured.

    `direction`, `centre` (machine mm) and `sense` are those of the axis; see core.geometry.rotary. `master` is the
    length that the other row's Z holds on top of the place, where lengths are counted from a master; no table turns it.
    `u_centre` is the standard uncertainty of the centre along each machine axis, mm; None where nobody said it;
    `u_direction` that of the direction about each axis across it, degrees. `shift`, mm by axis, is how far the place
    lies from that zero before the table turns, and `placed` what that may be off by along this axis.
    """

    row: str
    letter: str
    angle: float
    direction: tuple[float, float, float]
    centre: tuple[float, float, float]
    sense: int
    master: float = 0.0
    u_centre: float | None = field(default=None, repr=False)
    u_direction: float = field(default=0.0, repr=False)
    shift: tuple[float, float, float] = (0.0, 0.0, 0.0)
    placed: tuple[tuple[str, float], ...] = field(default=(), repr=False)


@dataclass(frozen=True, slots=True)
class Turner:
    """A table that turns a part straight: its axis runs along Z through `centre` (X, Y, machine mm).

    `sense` is +1 where a positive angle turns the part counter-clockwise as seen from above; `u_centre` as of a row
    that a table carries.
    """

    letter: str
    centre: tuple[float, float]
    sense: int
    u_centre: float | None = field(default=None, repr=False)


MASTER = Source("length of the master")
"""The error of the length that tool lengths are counted from."""


def centre_source(letter: str, axis: str) -> Source:
    """The error of a table's centre along a machine axis: the same in every row that depends on it."""
    return Source(f"centre of {letter}, {axis.upper()}", f"centre of {letter}")


def direction_source(letter: str, axis: str) -> Source:
    """The error of a table's direction about a machine axis: the same in every row that it carries."""
    return Source(f"direction of {letter}, about {axis.upper()}", f"direction of {letter}")


def placed_effects(rule: FromRow | FromTable) -> dict[Source, float]:
    """What the place of a row on its fixture may be off by, mm: each error lies anywhere within its limits."""
    return {Source(name, "place on the fixture", bounded=True, uniform=True): effect for name, effect in rule.placed}


Rule = FromFeature | Fixed | Keep | FromHeading | FromFit | FromRow | FromTable
Rules = Mapping[str, Rule]
ROW_AXES = (*AXES, "r")
"""What a row holds: X, Y, Z in mm, R in degrees where the control has it."""


def parent_in(rule: Rule) -> str:
    """The row a rule follows, "" for none."""
    return rule.row if isinstance(rule, FromRow | FromTable) else ""


def features_in(rule: Rule) -> tuple[str, ...]:
    """Names of the features a rule is worked out from."""
    match rule:
        case FromFeature():
            return rule.features
        case FromHeading(feature, other):
            return (feature, other) if other else (feature,)
        case FromFit(names):
            return names
    return ()


def needs(rule: Rule, axis: str) -> str:
    """What a rule for an axis needs of each of its features: letters of coordinates."""
    match rule:
        case FromHeading(_, other):
            return "xy" if other else "r"
        case FromFit():
            return "xy"
    return axis
