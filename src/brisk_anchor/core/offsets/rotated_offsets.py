"""Offsets of a part that lies turned: every place on its drawing is turned by the measured angle.

In a frame turned with the part its walls lie along the axes again. A wall touched along a machine axis is compensated
there, along its own normal, so the tool's radius brings no cosine error; a point is just turned. Then the zero is
turned back: `zero = R(θ) · (place in the turned frame − place on the drawing)`. Derivation in docs/maths.md.
"""

from __future__ import annotations

import math
from collections.abc import Mapping

import numpy as np

from brisk_anchor.core.errors import DatumError
from brisk_anchor.core.features.alignment import Alignment, best_fit
from brisk_anchor.core.features.budget import TURN
from brisk_anchor.core.features.feature import Feature
from brisk_anchor.core.features.touches import AXES
from brisk_anchor.core.geometry.frames import Array
from brisk_anchor.core.geometry.rotary import RotaryAxis
from brisk_anchor.core.offsets.row_rotation import turned
from brisk_anchor.core.offsets.rules import (
    MASTER,
    Fixed,
    FromFeature,
    FromFit,
    FromHeading,
    FromRow,
    FromTable,
    Keep,
    Rule,
    Rules,
    Turner,
    centre_source,
    direction_source,
    features_in,
    placed_effects,
)
from brisk_anchor.core.uncertainty.estimates import Estimate, combined, linear
from brisk_anchor.core.uncertainty.sources import Source
from brisk_anchor.lazy_dataclass import dataclass

_NOTHING = 1e-12
"""Effects smaller than that, mm, are rounding of sines and cosines."""


def wrapped(angle: float) -> float:
    """An angle in degrees, more than −180 and at most 180."""
    return angle - 360.0 * math.ceil((angle - 180.0) / 360.0)


@dataclass(frozen=True, slots=True, eq=False)
class _Figure:
    """A figure and its derivatives by everything that was measured."""

    value: float
    by: Array

    def plus(self, more: float) -> _Figure:
        """The same, that much larger."""
        return _Figure(self.value + more, self.by)

    @property
    def back(self) -> _Figure:
        """The same with the other sign."""
        return _Figure(-self.value, -self.by)


def _turn(x: _Figure, y: _Figure, angle: _Figure) -> tuple[_Figure, _Figure]:
    """A place turned by an angle, degrees counter-clockwise."""
    c, s = math.cos(math.radians(angle.value)), math.sin(math.radians(angle.value))
    u, v = c * x.value - s * y.value, s * x.value + c * y.value
    swing = math.radians(1.0) * angle.by
    return _Figure(u, c * x.by - s * y.by - v * swing), _Figure(v, s * x.by + c * y.by + u * swing)


class _Inputs:
    """Coordinates of features side by side, and a typed angle: what a turned row is worked out from."""

    def __init__(self, row: str, features: Mapping[str, Feature], turning: Rule | None, *, straight: bool) -> None:
        """`straight`: walls are read in the frame of a measured angle, so that what they were turned by is known."""
        self.estimates: list[Estimate] = []
        self._at: dict[tuple[str, str], int] = {}
        for name, feature in features.items():
            for axis, item in feature.estimates().items():
                self._at[name, axis] = len(self.estimates)
                if straight and feature.places:
                    item = Estimate(item.value, {s: e for s, e in item.effects.items() if s.words != TURN})
                self.estimates.append(item)
        if isinstance(turning, Fixed):
            self._at["", "r"] = len(self.estimates)
            self.estimates.append(Estimate(turning.value, {Source(f"{row} R by hand"): turning.u} if turning.u else {}))

    def known(self, value: float) -> _Figure:
        """A figure that depends on nothing measured."""
        return _Figure(value, np.zeros(len(self.estimates)))

    def figure(self, name: str, axis: str) -> _Figure:
        """A coordinate as it was measured."""
        at = self._at[name, axis]
        by = np.zeros(len(self.estimates))
        by[at] = 1.0
        return _Figure(self.estimates[at].value, by)


def u_of_point(feature: Feature) -> float:
    """The uncertainty a point counts by in a fit: the root mean square of X and Y, mm; never nothing.

    That of its touches and its tool, as stated: what its residuals widened counts in the ±, not in the weights, and
    limits that are the same for all say nothing of which is the better known.
    """
    total = 0.0
    for axis in "xy":
        for source, effect in feature.estimates()[axis].effects.items():
            if not source.bounded:
                total += (effect / feature.widened if source.own else effect) ** 2
    return max(1e-6, math.sqrt(total / 2))


def _weighed(rule: FromFit, features: Mapping[str, Feature]) -> tuple[list[tuple[float, float]], list[float], Array]:
    """What was measured of a fit's features, machine mm; their uncertainties; and the weights these give them."""
    measured = [(features[name].coordinate("x"), features[name].coordinate("y")) for name in rule.names]
    u = [u_of_point(features[name]) for name in rule.names]
    weights = 1 / np.square(u)
    return measured, u, weights / weights.sum()


def fit_middle(rule: FromFit, features: Mapping[str, Feature]) -> tuple[float, float]:
    """The middle, machine mm, about which a fit turns: of what was measured, each by its weight."""
    measured, _, weights = _weighed(rule, features)
    x, y = weights @ np.array(measured)
    return float(x), float(y)


def _aligned(rule: FromFit, features: Mapping[str, Feature], angle: float | None) -> tuple[Alignment, Array]:
    """The best fit of what was measured, and the weights it has by feature."""
    measured, u, weights = _weighed(rule, features)
    return best_fit(measured, rule.places, u, angle=angle), weights


def _fit(
    rule: FromFit, features: Mapping[str, Feature], inputs: _Inputs, angle: _Figure | None
) -> tuple[tuple[_Figure, _Figure], _Figure]:
    """Place and angle (degrees) of a best fit with their derivatives; the angle is that given, where one is.

    With S = Σ w d × m and C = Σ w d · m of places about their middles, tan θ = S / C, dθ = (C dS − S dC) / (S² + C²);
    the place is the middle of what was measured less the turned middle of the drawing.
    """
    fit, weights = _aligned(rule, features, None if angle is None else angle.value)
    points = [(inputs.figure(name, "x"), inputs.figure(name, "y")) for name in rule.names]
    drawn = np.array(rule.places)
    middle = weights @ drawn
    if angle is None:
        measured = np.array([(x.value, y.value) for x, y in points])
        d, m = drawn - middle, measured - weights @ measured
        cross = float(weights @ (d[:, 0] * m[:, 1] - d[:, 1] * m[:, 0]))
        along = float(weights @ (d * m).sum(axis=1))
        by = inputs.known(0.0).by
        for w, (u, v), (x, y) in zip(weights, d, points, strict=True):
            by = by + w * (along * (u * y.by - v * x.by) - cross * (u * x.by + v * y.by))
        angle = _Figure(wrapped(fit.angle), np.degrees(by / (cross**2 + along**2)))
    lever = _turn(inputs.known(float(middle[0])), inputs.known(float(middle[1])), angle)
    place = [
        _Figure(fit.place[i], sum((w * point[i].by for w, point in zip(weights, points, strict=True)), -lever[i].by))
        for i in (0, 1)
    ]
    return (place[0], place[1]), angle


def _angle(rule: Rule | None, features: Mapping[str, Feature], inputs: _Inputs) -> _Figure:
    """Degrees the row is turned by."""
    match rule:
        case FromHeading(name, other, drawing) if not other:
            found = inputs.figure(name, "r").plus(-drawing)
        case FromHeading(name, other, drawing):
            (x, y), (to_x, to_y) = ([inputs.figure(n, axis) for axis in "xy"] for n in (name, other))
            dx, dy = to_x.value - x.value, to_y.value - y.value
            by = (dx * (to_y.by - y.by) - dy * (to_x.by - x.by)) / (dx**2 + dy**2)
            found = _Figure(math.degrees(math.atan2(dy, dx)) - drawing, np.degrees(by))
        case FromFit():
            return _fit(rule, features, inputs, None)[1]
        case Fixed():
            return inputs.figure("", "r")
        case _:
            return inputs.known(0.0)
    return _Figure(wrapped(found.value), found.by)


def _in_turned_frame(
    axis: str, rule: FromFeature, features: Mapping[str, Feature], inputs: _Inputs, angle: _Figure
) -> _Figure:
    """Where the zero lies along an axis of the turned frame, mm."""
    i = AXES.index(axis)
    total = inputs.known(0.0)
    for name in rule.features:
        feature = features[name]
        here, radius = inputs.figure(name, axis), 0.0
        if feature.places:
            spot = feature.places[feature.axes.index(axis)]
            radius = feature.coordinate(axis) - spot[i]
            across = inputs.known(spot[1 - i])
        else:
            across = inputs.figure(name, AXES[1 - i])
        place = (here.plus(-radius), across) if i == 0 else (across, here.plus(-radius))
        found = _turn(*place, angle.back)[i]
        total = _Figure(total.value + found.value + radius, total.by + found.by)
    count = len(rule.features)
    return _Figure(total.value / count - rule.drawing + rule.allowance, total.by / count)


def turned_estimates(row: str, rules: Rules, features: Mapping[str, Feature]) -> dict[str, Estimate]:
    """X, Y and R of a row that is turned, or fitted; empty for one that is neither.

    Raises:
        DatumError: X or Y of a turned row that is kept or typed: the drawing would be turned about nothing.
    """
    turning = rules.get("r")
    fitted = any(isinstance(rule, FromFit) for rule in rules.values())
    if isinstance(turning, Keep | FromRow) or (turning is None and not fitted):
        return {}
    for axis in "xy":
        if not isinstance(rules.get(axis), FromFeature | FromFit):
            raise DatumError(
                f"{row} is turned, and its {axis.upper()} comes from no feature",
                "The drawing is turned about its zero, which must be measured",
                "Take X and Y from features, or leave the angle out",
            )
    used = {name: features[name] for rule in rules.values() for name in features_in(rule)}
    straight = not fitted and isinstance(turning, FromHeading) and not turning.other
    inputs = _Inputs(row, used, turning, straight=straight)
    angle = _angle(turning, features, inputs)
    given = None if isinstance(turning, FromFit) else angle
    zero: list[_Figure] = []
    for i, axis in enumerate("xy"):
        rule = rules[axis]
        if isinstance(rule, FromFit):
            zero.append(_turn(*_fit(rule, features, inputs, given)[0], angle.back)[i])
        elif isinstance(rule, FromFeature):
            zero.append(_in_turned_frame(axis, rule, features, inputs, angle))
    figures = [*_turn(zero[0], zero[1], angle), angle]
    x, y, r = linear([f.value for f in figures], np.array([f.by for f in figures]), inputs.estimates)
    found = {"x": x, "y": y}
    return found if turning is None else found | {"r": r}


def straightened(row: Mapping[str, Estimate], turner: Turner) -> tuple[dict[str, Estimate], float]:
    """X, Y and R of a turned row after the table has turned its part straight, and how far that turns, degrees.

    `p′ = C + R(−r)(p − C)`. What is left of the angle is 0 with the uncertainty it was measured with.
    """
    (cx, cy), angle = turner.centre, math.radians(row["r"].value)
    c, s = math.cos(angle), math.sin(angle)
    dx, dy = row["x"].value - cx, row["y"].value - cy
    away = (c * dx + s * dy, -s * dx + c * dy)
    # By X and Y of the row, then by the centre. Not by the angle: the table turns by what was measured, right or wrong,
    # and what that lacks is left in R.
    jacobian = np.array([[c, s, 1 - c, -s], [-s, c, s, 1 - c]])
    u = turner.u_centre or 0.0
    centre = [
        Estimate(value, {centre_source(turner.letter, a): u}) for value, a in zip(turner.centre, "xy", strict=True)
    ]
    x, y = linear((cx + away[0], cy + away[1]), jacobian, [row["x"], row["y"], *centre])
    return {"x": x, "y": y, "r": Estimate(0.0, row["r"].effects)}, -row["r"].value * turner.sense


def derived_estimates(row: str, rules: Rules, parents: Mapping[str, Mapping[str, Estimate]]) -> dict[str, Estimate]:
    """The axes of a row that are derived from another; `parents` by row has what is known of each, by axis.

    Raises:
        DatumError: the other row is not known, or only one of X and Y is derived from one that is turned.
    """
    found: dict[str, Estimate] = {}
    for axis, rule in rules.items():
        if isinstance(rule, FromTable):
            found[axis] = _on_the_table(row, axis, rule, parents)
        if not isinstance(rule, FromRow):
            continue
        if rule.row not in parents or axis not in (*parents[rule.row], "r"):
            raise DatumError(
                f"{row} {axis.upper()} is derived from {rule.row}, which is not stored yet",
                "Its zero would follow a figure nobody has measured",
                f"Measure and store {rule.row} first",
            )
        parent = parents[rule.row]
        angle = parent.get("r", Estimate(0.0))
        if axis in "zr":
            own = parent.get(axis, angle)
            placed = combined((1.0, own.effects), (1.0, placed_effects(rule)))
            found[axis] = Estimate(own.value + rule.shift, placed)
            continue
        other = rules.get("y" if axis == "x" else "x")
        if angle.value and not (isinstance(other, FromRow) and other.row == rule.row):
            raise DatumError(
                f"{rule.row} is turned: X and Y of {row} can only be derived from it together", "", "Derive both"
            )
        across = other.shift if isinstance(other, FromRow) else 0.0
        dx, dy = (rule.shift, across) if axis == "x" else (across, rule.shift)

        step = turned(dx, dy, angle.value)
        swing = (-step[1], step[0])["xy".index(axis)] * math.radians(1.0)
        placed = placed_effects(rule)
        effects = combined((1.0, parent[axis].effects), (swing, angle.effects), (1.0, placed))
        found[axis] = Estimate(parent[axis].value + step["xy".index(axis)], effects)
    return found


def table_sum(rule: FromTable, axis: str) -> tuple[tuple[float, float, float], float]:
    """An axis of a carried zero as a sum: what X, Y and Z of the other row count in it, and a constant, mm."""
    frame = RotaryAxis(rule.letter, rule.direction, rule.centre, rule.sense, None, None, 1.0).frame(rule.angle)
    i = AXES.index(axis)
    x, y, z = (float(share) for share in frame.rotation[i])
    away = sum(share * shift for share, shift in zip((x, y, z), rule.shift, strict=True))
    return (x, y, z), float(frame.translation[i]) + away - z * rule.master + (rule.master if axis == "z" else 0.0)


def _on_the_table(row: str, axis: str, rule: FromTable, parents: Mapping[str, Mapping[str, Estimate]]) -> Estimate:
    """An axis of a zero that the table has carried round: every axis depends on all three of the other row."""
    parent = parents.get(rule.row, {})
    if not set(AXES) <= set(parent):
        raise DatumError(
            f"{row} {axis.upper()} is where the table carries {rule.row}, which is not stored yet",
            "Its zero would follow a figure nobody has measured",
            f"Measure and store {rule.row} first",
        )
    shares, constant = table_sum(rule, axis)
    own = [parent[a] for a in AXES]
    # The master's length lies on top of the place, and no table turns it: nor its error.
    master = own[2].effects.get(MASTER, 0.0) if axis == "z" else 0.0
    own[2] = Estimate(own[2].value, {s: e for s, e in own[2].effects.items() if s != MASTER})
    value = sum(share * item.value for share, item in zip(shares, own, strict=True)) + constant
    # A centre off by e carries everything off by (1 − R) e.
    u = rule.u_centre or 0.0
    off = {centre_source(rule.letter, a): (float(a == axis) - share) * u for a, share in zip(AXES, shares, strict=True)}
    off |= _leaning(rule, axis, [item.value for item in own])
    placed = placed_effects(rule)
    carried = combined(
        *zip(shares, (item.effects for item in own), strict=True), (1.0, off), (master, {MASTER: 1.0}), (1.0, placed)
    )
    return Estimate(value, {source: effect for source, effect in carried.items() if abs(effect) > _NOTHING})


def _leaning(rule: FromTable, axis: str, place: list[float]) -> dict[Source, float]:
    """What an axis of the table that leans does to a carried zero, mm for one standard uncertainty about each axis.

    Leaning by a small turn ω about its centre, it carries an arm q to R q + ω × (R q) − R (ω × q).
    """
    if not rule.u_direction:
        return {}
    turn = RotaryAxis(rule.letter, rule.direction, rule.centre, rule.sense, None, None, 1.0).frame(rule.angle).rotation
    arm = np.array(place) + np.array(rule.shift) - np.array(rule.centre) - np.array((0.0, 0.0, rule.master))
    found: dict[Source, float] = {}
    for n, about in enumerate(AXES):
        lean = np.eye(3)[n] - np.array(rule.direction) * rule.direction[n]
        moved = np.cross(lean, turn @ arm) - turn @ np.cross(lean, arm)
        found[direction_source(rule.letter, about)] = float(moved[AXES.index(axis)]) * math.radians(rule.u_direction)
    return found


def fit_residuals(rule: FromFit, features: Mapping[str, Feature], axis: str, angle: float) -> dict[str, float]:
    """How far each feature of a fit lies off it along an axis, measured less fitted, mm."""
    fit, _ = _aligned(rule, features, angle)
    return dict(zip(rule.names, (r["xy".index(axis)] for r in fit.residuals), strict=True))
