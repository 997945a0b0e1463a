"""What a drawing asks of a part, and what was measured of it: value, ±, verdict, and the metal that is left.

Every characteristic is worked out from features and the row they count from, with what these depend on, so that what
two of them share leaves their difference.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import field, replace
from enum import Enum

import numpy as np

from brisk_anchor.core.errors import InspectionError
from brisk_anchor.core.features.budget import GROWTH, SCALE, SQUARENESS
from brisk_anchor.core.features.constructed_features import distance
from brisk_anchor.core.features.feature import Feature
from brisk_anchor.core.features.out_of_square import counted_from, found_at, share_between, share_of_heading
from brisk_anchor.core.inspection.verdict import (
    Fate,
    Limits,
    Verdict,
    guard_band,
    probability_inside,
    probability_within,
    verdict_of,
)
from brisk_anchor.core.kinds import FeatureKind
from brisk_anchor.core.offsets.conditions import AS_STATED, Conditions
from brisk_anchor.core.quantities import dim
from brisk_anchor.core.uncertainty.estimates import Effects, Estimate, combined, covariance_of, linear
from brisk_anchor.core.uncertainty.sources import Source
from brisk_anchor.lazy_dataclass import dataclass


class What(Enum):
    """What is asked of a feature."""

    SIZE = "size"
    SIZE_Y = "size along Y"
    X = "x"
    Y = "y"
    Z = "z"
    POSITION = "position"
    DISTANCE = "distance"
    ANGLE = "angle"
    SQUARENESS = "squareness"
    PARALLELISM = "parallelism"
    FORM = "form"

    @property
    def is_angle(self) -> bool:
        """Whether its figures are degrees."""
        return self is What.ANGLE

    @property
    def is_size(self) -> bool:
        """Whether it is counted across, so that a cut on each side counts twice."""
        return self in (What.SIZE, What.SIZE_Y)

    @property
    def counts_from_row(self) -> bool:
        """Whether it is a place in a row."""
        return self in (What.X, What.Y, What.Z, What.POSITION)

    @property
    def is_zone(self) -> bool:
        """Whether it is the width of a zone, which has only an upper limit."""
        return self in (What.POSITION, What.SQUARENESS, What.PARALLELISM, What.FORM)


@dataclass(frozen=True, slots=True)
class Characteristic:
    """What a drawing says of a feature.

    `nominal` and `limits` are mm (an angle's degrees). `other` is the second feature of a distance, an angle or a
    parallelism, and `along` the axis of a distance ("x", "y", "z", or "" for the straight one). A position is from
    `place`, in the row's own frame; `datums` are the features that the drawing counts it from, in order. `bonus`: at
    maximum material, where the size's limits are `size`. `envelope`: the worst of the two-point sizes judges. `over` is
    the length, mm, that squareness and parallelism are counted over. `row` is the work offset that coordinates are in.
    """

    balloon: str
    feature: str
    what: What
    nominal: float
    limits: Limits
    other: str = ""
    along: str = ""
    place: tuple[float, float] = (0.0, 0.0)
    datums: tuple[str, ...] = ()
    bonus: bool = False
    size: Limits | None = None
    envelope: bool = False
    over: float = 0.0
    row: str = ""
    words: str = ""
    note: str = ""
    """What is to be told of it, however it was measured."""

    @property
    def names(self) -> tuple[str, ...]:
        """The features it is worked out from."""
        return (self.feature, self.other) if self.other else (self.feature,)


def numbers_together(numbers: Sequence[str]) -> str:
    """Numbers of a drawing beside one place: "3–6, 8"; two in a row, and those with letters, stand by themselves."""
    runs: list[list[str]] = []
    for number in numbers:
        follows = runs and number.isdecimal() and runs[-1][-1].isdecimal() and int(number) == int(runs[-1][-1]) + 1
        if follows:
            runs[-1].append(number)
        else:
            runs.append([number])
    return ", ".join(f"{run[0]}–{run[-1]}" if len(run) > 2 else ", ".join(run) for run in runs)


@dataclass(frozen=True, slots=True)
class Zero:
    """The row that coordinates count from: X, Y, Z (machine mm) and R (degrees) with what they depend on.

    `features` are those that it was worked out from in this clamping; empty where its figures are only stored.
    """

    row: str
    values: Mapping[str, Estimate]
    features: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Actual:
    """What was measured of a characteristic.

    `deviation` is from the target; `probability` that of being in. `metal` is how much stands proud of the target on
    the side of the tool, mm: of a bore half of what its diameter lacks; None where no cut makes it better. `beside`
    are other figures of it: two-point sizes, or dx and dy of a position. `to` says what it counts from.
    """

    characteristic: Characteristic
    value: float
    u: float
    expanded: float
    probability: float
    verdict: Verdict
    outcome: Fate
    metal: float | None
    limits: Limits
    beside: tuple[tuple[str, float], ...] = ()
    to: str = ""
    process_only: bool = False
    notes: tuple[str, ...] = ()


def two_point_sizes(feature: Feature, effective: float | None = None) -> list[float]:
    """Sizes between touches that lie opposite each other, mm: for a ring the two local radii, of a pair its faces.

    `effective` is the size that was fitted, else the feature's own. A residual is how much further from the middle a
    touch lies than the fit has it: two opposite ones lie on top of the size, of a bore as of a boss.
    """
    size = feature.size if effective is None else effective
    if size is None or not feature.residuals or len(feature.residuals) != len(feature.touches):
        return []
    found = []
    for i, one in enumerate(feature.touches):
        for j in range(i + 1, len(feature.touches)):
            other = feature.touches[j]
            if math.hypot(*(a + b for a, b in zip(one.direction, other.direction, strict=True))) < 0.02:
                found.append(size + feature.residuals[i] + feature.residuals[j])
    return found


@dataclass(frozen=True, slots=True)
class Evidence:
    """What characteristics are judged with: features of this clamping, the rows they count from, machine and room.

    `mastered`: a ring or master was measured beside the batch, and what it was off by is taken off (`correction` by
    characteristic, mm). `least_cut` is what a tool takes off at least, mm.
    """

    features: Mapping[str, Feature]
    zeros: Mapping[str, Zero]
    conditions: Conditions = AS_STATED
    mastered: Mapping[str, Estimate] = field(default_factory=dict)
    least_cut: float = 0.01

    def traceable(self, balloon: str) -> bool:
        """Whether scale, squareness and temperature are in the ±, or what they do was taken off by a master.

        Without, a verdict is one of the process only: a machine cannot see errors that it cut in itself.
        """
        stated = self.conditions
        return balloon in self.mastered or None not in (stated.u_scale, stated.u_square, stated.temperature)

    def skewed(self, value: float, effects: Effects, share: float) -> Estimate:
        """A figure with what X and Y out of square do to it: `share` is by one radian, in the unit of the figure."""
        off = share * math.radians(self.conditions.u_square or 0.0)
        return Estimate(value, combined((1.0, effects), (off, {SQUARENESS: 1.0})) if off else effects)

    def at_normal(self, characteristic: Characteristic, found: Estimate) -> Estimate:
        """A length at 20 °C (ISO 1), with what scale and temperature may be off; or less what a master was off by."""
        if characteristic.what.is_angle:
            return found
        if (master := self.mastered.get(characteristic.balloon)) is not None:
            return Estimate(found.value - master.value, combined((1.0, found.effects), (-1.0, master.effects)))
        return self.size_at_normal(found) if characteristic.what.is_size else self._at_normal(found)

    def size_at_normal(self, found: Estimate) -> Estimate:
        """The same of a size, which may have scale and temperature in its effects already."""
        effects = {source: effect for source, effect in found.effects.items() if source not in (SCALE, GROWTH)}
        return self._at_normal(Estimate(found.value, effects))

    def _at_normal(self, found: Estimate) -> Estimate:
        value, effects = found.value, [(1.0, found.effects)]
        if self.conditions.u_scale:
            effects.append((value * self.conditions.u_scale, {SCALE: 1.0}))
        if (temperature := self.conditions.temperature) is not None:
            effects.append((value * temperature.u_growth, {GROWTH: 1.0}))
            value /= 1 + temperature.growth
        return Estimate(value, combined(*effects))


def judge(characteristic: Characteristic, known: Evidence) -> Actual:
    """What was measured of a characteristic, and what can be said of it.

    Raises:
        InspectionError: it needs what was not measured.
    """
    for name in characteristic.names:
        if name not in known.features:
            raise InspectionError(f"{name} was not measured in this clamping", "It cannot be judged", "Measure it")
    found = _judged(characteristic, known)
    return replace(found, notes=(*found.notes, characteristic.note)) if characteristic.note else found


def mastered_by(characteristic: Characteristic, known: Evidence, certified: float, u: float) -> Estimate:
    """What a ring or master, measured in the place of the part, was found off by, with what it depends on, mm.

    What the probe's calibration does to both leaves the difference; the scatter of both, and the certificate, stay.

    Raises:
        InspectionError: it is no size, or was not measured.
    """
    feature = known.features.get(characteristic.feature)
    letter = "E" if characteristic.what is What.SIZE_Y else "D"
    if feature is None or not characteristic.what.is_size or letter not in feature.size_estimates():
        raise InspectionError("A master stands in for a size that was measured", "", "Measure the ring in its place")
    found = feature.size_estimates()[letter]
    effects = {**found.effects, Source(f"certificate of the master of {characteristic.balloon}"): u}
    return Estimate(found.value - certified, effects)


def _judged(characteristic: Characteristic, known: Evidence) -> Actual:
    match characteristic.what:
        case What.SIZE | What.SIZE_Y:
            return _size(characteristic, known)
        case What.POSITION:
            return _position(characteristic, known)
        case What.FORM:
            return _form(characteristic, known)
        case What.SQUARENESS | What.PARALLELISM:
            return _direction(characteristic, known)
        case What.DISTANCE:
            return _plain(characteristic, known, _apart(characteristic, known))
        case What.ANGLE:
            return _plain(characteristic, known, _heading(characteristic, known))
    return _plain(characteristic, known, *_coordinate(characteristic, known))


def _freedom(estimate: Estimate) -> float | None:
    freedom = estimate.freedom
    return None if math.isinf(freedom) else freedom


def _plain(
    characteristic: Characteristic, known: Evidence, estimate: Estimate, to: str = "", metal_side: int = 0
) -> Actual:
    limits, estimate = characteristic.limits, known.at_normal(characteristic, estimate)
    probability = probability_inside(estimate.value, estimate.u, limits, _freedom(estimate))
    verdict = verdict_of(probability)
    metal = metal_side * (estimate.value - limits.target) if metal_side else None
    return Actual(
        characteristic,
        estimate.value,
        estimate.u,
        estimate.expanded,
        probability,
        verdict,
        _outcome(verdict, estimate.value, limits, metal_side, known.least_cut),
        metal,
        limits,
        to=to,
        process_only=not known.traceable(characteristic.balloon),
    )


def _outcome(verdict: Verdict, value: float, limits: Limits, metal_side: int, least: float) -> Fate:
    """What follows for the metal. `metal_side`: +1 where a larger figure is more metal, −1 where it is less, 0 neither.

    It can be cut again where it is out on the side where metal is left, and enough of that for a cut.
    """
    if verdict is Verdict.IN:
        return Fate.GOOD
    if verdict is Verdict.CANNOT_TELL:
        return Fate.CANNOT_TELL
    over = limits.high is not None and value > limits.high
    limit = limits.high if over else limits.low
    if not metal_side or limit is None or (metal_side > 0) != over:
        return Fate.SCRAP
    return Fate.AGAIN if abs(value - limits.target) >= least else Fate.SCRAP


def _size(characteristic: Characteristic, known: Evidence) -> Actual:
    feature = known.features[characteristic.feature]
    sizes = feature.size_estimates()
    letter = "E" if characteristic.what is What.SIZE_Y else "D"
    if letter not in sizes:
        raise InspectionError(f"{feature.name} has no size", "", "Ask for its place instead")
    estimate = sizes[letter]
    points = two_point_sizes(feature) if letter == "D" and feature.kind.is_round else []
    side = metal_side(characteristic, feature)
    found = _plain(characteristic, known, estimate, metal_side=side)
    if characteristic.envelope and points:
        # A single size scatters more than the fit of all: two touches against what n of them leave.
        alone = max(0.0, 2.0 - 4.0 / len(feature.touches)) ** 0.5 * max(touch.u for touch in feature.touches)
        effects = {**estimate.effects, Source(f"single sizes of {feature.name}"): alone}
        worst = (Estimate(size, effects) for size in (min(points), max(points)))
        ends = [_plain(characteristic, known, one, metal_side=side) for one in worst]
        found = min(ends, key=lambda one: one.probability)
    elif characteristic.envelope:
        found = replace(found, notes=("no touches lie opposite each other: the fit of all is judged",))
    beside = tuple((f"two-point {n}", value) for n, value in enumerate(points, 1))
    metal = side * (found.value - found.limits.target) / 2
    outcome = _outcome(found.verdict, found.value, found.limits, side, 2 * known.least_cut)
    return replace(found, beside=beside, metal=metal, outcome=outcome)


def _zero(characteristic: Characteristic, known: Evidence) -> Zero:
    zero = known.zeros.get(characteristic.row)
    if zero is None:
        raise InspectionError(
            f"{characteristic.row or 'No offset'} has no figures that it could count from", "", "Measure and store it"
        )
    return zero


def _to(characteristic: Characteristic, zero: Zero) -> str:
    """What it counts from: the drawing's datums, where the row was made of them in this clamping and in their order."""
    wanted = characteristic.datums
    found = tuple(name for name in zero.features if name in wanted)
    return f"datums {', '.join(wanted)}" if wanted and found == wanted else f"to {zero.row}"


def _in_row(characteristic: Characteristic, known: Evidence, zero: Zero) -> list[Estimate]:
    """X and Y of a feature in a row that may be turned: `R(−r)(p − z)`, with what all of that depends on."""
    feature = known.features[characteristic.feature]
    here = feature.estimates()
    if not {"x", "y"} <= set(here) or not {"x", "y"} <= set(zero.values):
        raise InspectionError(f"{feature.name} is no point in X and Y, or {zero.row} is none", "", "Ask for one axis")
    turn = zero.values.get("r", Estimate(0.0))
    c, s = math.cos(math.radians(turn.value)), math.sin(math.radians(turn.value))
    dx, dy = here["x"].value - zero.values["x"].value, here["y"].value - zero.values["y"].value
    x, y = c * dx + s * dy, -s * dx + c * dy
    here["x"] = known.skewed(here["x"].value, here["x"].effects, dy)
    one = math.radians(1.0)
    jacobian = np.array([[c, s, -c, -s, y * one], [-s, c, s, -c, -x * one]])
    return linear((x, y), jacobian, (here["x"], here["y"], zero.values["x"], zero.values["y"], turn))


def _coordinate(characteristic: Characteristic, known: Evidence) -> tuple[Estimate, str, int]:
    zero, axis = _zero(characteristic, known), characteristic.what.value
    feature = known.features[characteristic.feature]
    here = feature.estimates()
    turned = "r" in zero.values and zero.values["r"].value
    if axis in "xy" and {"x", "y"} <= set(here) and {"x", "y"} <= set(zero.values):
        estimate = _in_row(characteristic, known, zero)["xy".index(axis)]
    elif axis not in here or axis not in zero.values:
        raise InspectionError(f"{feature.name} or {zero.row} locates no {axis.upper()}", "", "Ask for another axis")
    elif axis != "z" and turned:
        raise InspectionError(
            f"{zero.row} is turned, and {feature.name} is one wall",
            "Its place is not known in that row",
            "Touch a point",
        )
    else:
        effects = combined((1.0, here[axis].effects), (-1.0, zero.values[axis].effects))
        at, of_zero = found_at(feature, axis, "y"), zero.values.get("y")
        aside = at - of_zero.value if axis == "x" and at is not None and of_zero is not None else 0.0
        estimate = known.skewed(here[axis].value - zero.values[axis].value, effects, aside)
    return estimate, _to(characteristic, zero), _outward(feature, axis)


def _outward(feature: Feature, axis: str) -> int:
    """+1 or −1: which way of an axis leads out of the metal of one face; 0 where a feature is more than a face."""
    if len(feature.axes) != 1 and feature.kind not in (FeatureKind.EDGE, FeatureKind.PLANE):
        return 0
    along = [touch.direction["xyz".index(axis)] for touch in feature.touches]
    return -round(math.copysign(1.0, along[0])) if along and abs(along[0]) > 0.99 else 0


def _position(characteristic: Characteristic, known: Evidence) -> Actual:
    """A zone ⌀ about the true place; its actual is twice the distance from there (ISO 1101)."""
    zero = _zero(characteristic, known)
    x, y = (known.at_normal(characteristic, part) for part in _in_row(characteristic, known, zero))
    dx, dy = x.value - characteristic.place[0], y.value - characteristic.place[1]
    far = math.hypot(dx, dy)
    wanted = characteristic.limits.high or 0.0
    more, notes = 0.0, []
    if characteristic.bonus:
        more, told = _bonus(characteristic, known)
        notes.append(told)
    unit = np.array([[2 * dx / far, 2 * dy / far]]) if far else np.array([[2.0, 0.0]])
    (estimate,) = linear((2 * far,), unit, (x, y))
    # Few degrees of freedom reach further out: by as much as they widen the guard band of one limit.
    wider = guard_band(1.0, _freedom(estimate)) / guard_band(1.0)
    probability = probability_within((dx, dy), covariance_of((x, y)) * wider**2, (wanted + more) / 2)
    found = _of_zone(characteristic, known, estimate, probability, Limits(None, wanted + more, 0.0))
    return replace(found, beside=(("dx", dx), ("dy", dy)), to=_to(characteristic, zero), notes=tuple(notes))


def _of_zone(
    characteristic: Characteristic, known: Evidence, estimate: Estimate, probability: float, limits: Limits
) -> Actual:
    """What is out of a zone no cut brings back into it."""
    verdict = verdict_of(probability)
    return Actual(
        characteristic,
        estimate.value,
        estimate.u,
        estimate.expanded,
        probability,
        verdict,
        {Verdict.IN: Fate.GOOD, Verdict.OUT: Fate.SCRAP}.get(verdict, Fate.CANNOT_TELL),
        None,
        limits,
        process_only=not known.traceable(characteristic.balloon),
    )


def _bonus(characteristic: Characteristic, known: Evidence) -> tuple[float, str]:
    """How much the zone grows by the size's departure from maximum material (ISO 2692), least favourable within ±."""
    feature, size = known.features[characteristic.feature], characteristic.size
    if size is None or size.low is None or size.high is None or "D" not in feature.size_estimates():
        raise InspectionError(
            f"{feature.name} has no two limits of size", "Its maximum material size is not known", "Give it a tolerance"
        )
    measured = known.size_at_normal(feature.size_estimates()["D"])
    departure = size.high - measured.value if feature.kind.is_outside else measured.value - size.low
    more = min(max(0.0, departure - measured.expanded), size.high - size.low)
    return more, f"{dim(more, 4)} more at maximum material"


def _form(characteristic: Characteristic, known: Evidence) -> Actual:
    """Form from touches is a lower bound: it rejects, and never accepts."""
    feature = known.features[characteristic.feature]
    if feature.form is None:
        raise InspectionError(f"{feature.name} has no touches to spare for form", "", "Touch it at more places")
    u = math.sqrt(2) * max((touch.u for touch in feature.touches), default=0.0)
    limits = characteristic.limits
    beyond = probability_inside(feature.form, u, Limits(None, limits.high, 0.0))
    verdict = Verdict.OUT if verdict_of(beyond) is Verdict.OUT else Verdict.CANNOT_TELL
    outcome = Fate.SCRAP if verdict is Verdict.OUT else Fate.CANNOT_TELL
    note = f"of {len(feature.touches)} touches: at least that much, it may be more"
    return Actual(
        characteristic,
        feature.form,
        u,
        2 * u,
        beyond,
        verdict,
        outcome,
        None,
        Limits(None, limits.high, 0.0),
        process_only=not known.traceable(characteristic.balloon),
        notes=(note,),
    )


def _direction(characteristic: Characteristic, known: Evidence) -> Actual:
    """Squareness or parallelism of what was touched twice: an angle over a length, as the width of a zone."""
    feature = known.features[characteristic.feature]
    over = characteristic.over
    if over <= 0:
        raise InspectionError(
            f"Over which length {characteristic.what.value} counts is not said", "", "Give the length"
        )
    if characteristic.what is What.SQUARENESS and not characteristic.other:
        own = feature.square_estimate()
        if own is None:
            raise InspectionError(f"{feature.name} has no two walls touched twice", "", "Touch each wall twice")
        turn = known.skewed(own.value, own.effects, -math.degrees(1.0))
    else:
        turn = _heading(characteristic, known)
        right = 90.0 if characteristic.what is What.SQUARENESS else 0.0
        # To a row a wall is parallel that runs along either of its axes.
        turn = Estimate(math.remainder(turn.value - right, 180.0 if characteristic.other else 90.0), turn.effects)
    slope, limits = math.tan(math.radians(turn.value)), characteristic.limits
    zone = Estimate(abs(slope) * over, combined((math.radians(1.0) * over, turn.effects)))
    # The error has a sign, and the zone counts both: it is judged on both sides.
    both = Limits(-(limits.high or 0.0), limits.high, 0.0)
    return _of_zone(characteristic, known, zone, probability_inside(slope * over, zone.u, both, _freedom(zone)), limits)


def _apart(characteristic: Characteristic, known: Evidence) -> Estimate:
    first, second = known.features[characteristic.other], known.features[characteristic.feature]
    found = distance(first, second)
    ends = found_at(first, "x", "y"), found_at(second, "x", "y")
    aside = ends[1] - ends[0] if ends[0] is not None and ends[1] is not None else 0.0
    if not characteristic.along:
        straight, along_x = found.straight, found.parts.get("x", Estimate(0.0)).value
        share = along_x * aside / straight.value if straight.value else 0.0
        return known.skewed(straight.value, straight.effects, share)
    if characteristic.along not in found.parts:
        raise InspectionError(
            f"{first.name} and {second.name} have no distance along {characteristic.along.upper()}", "", "Take another"
        )
    part = found.parts[characteristic.along]
    sign = math.copysign(1.0, part.value) if characteristic.nominal >= 0 else -math.copysign(1.0, part.value)
    share = sign * aside if characteristic.along == "x" else 0.0
    return known.skewed(sign * part.value, combined((sign, part.effects)), share)


def _heading(characteristic: Characteristic, known: Evidence) -> Estimate:
    """The angle of a feature to another, or to the row's X, degrees, nearest to nominal.

    `r` of a wall is counted from the axis it runs along: along Y it heads 90° further. A dial that was run along one
    does not tell which, so the angle is known but for quarters.
    """
    feature = known.features[characteristic.feature]
    own = feature.estimates().get("r")
    if characteristic.other:
        other = known.features[characteristic.other]
        base, base_share, to = other.estimates().get("r"), share_of_heading(other), counted_from(other)
    else:  # what the machine does to R of a row is in its effects
        base, base_share, to = _zero(characteristic, known).values.get("r", Estimate(0.0)), 0.0, 0.0
    if own is None or base is None:
        raise InspectionError("An angle needs lines that were touched twice", "", "Touch each at two places")
    of = counted_from(feature)
    apart = own.value + (of or 0.0) - base.value - (to or 0.0)
    off = math.remainder(apart - characteristic.nominal, 90.0 if of is None or to is None else 180.0)
    share = share_between(base_share, share_of_heading(feature)) * math.degrees(1.0)
    return known.skewed(characteristic.nominal + off, combined((1.0, own.effects), (-1.0, base.effects)), share)


def metal_side(characteristic: Characteristic, feature: Feature) -> int:
    """+1 where a larger figure is more metal for the tool to take, −1 where it is less, 0 where neither."""
    if characteristic.what.is_size:
        return 1 if feature.kind.is_outside else -1
    return _outward(feature, characteristic.what.value) if characteristic.what in (What.X, What.Y, What.Z) else 0


def part_outcome(outcomes: Sequence[Fate]) -> Fate:
    """What follows for the part: the worst of its characteristics; nothing measured is nothing known."""
    order = (Fate.SCRAP, Fate.AGAIN, Fate.CANNOT_TELL, Fate.OPEN, Fate.GOOD)
    return next((found for found in order if found in outcomes), Fate.OPEN)
