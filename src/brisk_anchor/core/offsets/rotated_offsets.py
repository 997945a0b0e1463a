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
    features_in,
)
from brisk_anchor.core.uncertainty.estimates import Estimate, combined, derive, linear
from brisk_anchor.core.uncertainty.sources import Source

_NOTHING = 1e-12
"""Effects smaller than that, mm, are rounding of sines and cosines."""


def wrapped(angle: float) -> float:
    """An angle in degrees, more than −180 and at most 180."""
    return angle - 360.0 * math.ceil((angle - 180.0) / 360.0)


class _Inputs:
    """Coordinates of features side by side, so that a function of all of them can be derived."""

    def __init__(self, features: Mapping[str, Feature], *, straight: bool = False) -> None:
        """`straight`: walls are read in the frame of a measured angle, so that what they were turned by is known."""
        self.estimates: list[Estimate] = []
        self.at: dict[tuple[str, str], int] = {}
        for name, feature in features.items():
            for axis, item in feature.estimates().items():
                self.at[name, axis] = len(self.estimates)
                if straight and feature.places:
                    item = Estimate(item.value, {s: e for s, e in item.effects.items() if s.words != TURN})
                self.estimates.append(item)


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


def _fit(rule: FromFit, features: Mapping[str, Feature], x: Array, inputs: _Inputs, angle: float | None) -> Alignment:
    measured = [(float(x[inputs.at[name, "x"]]), float(x[inputs.at[name, "y"]])) for name in rule.names]
    return best_fit(measured, rule.places, [u_of_point(features[name]) for name in rule.names], angle=angle)


def _angle(rule: Rule | None, features: Mapping[str, Feature], x: Array, inputs: _Inputs) -> float:
    """Degrees the row is turned by."""
    match rule:
        case FromHeading(name, other, drawing):
            if not other:
                return wrapped(float(x[inputs.at[name, "r"]]) - drawing)
            dx, dy = (float(x[inputs.at[other, a]] - x[inputs.at[name, a]]) for a in "xy")
            return wrapped(math.degrees(math.atan2(dy, dx)) - drawing)
        case FromFit():
            return wrapped(_fit(rule, features, x, inputs, None).angle)
        case Fixed(value):
            return value
    return 0.0


def _in_turned_frame(
    axis: str, rule: FromFeature, features: Mapping[str, Feature], x: Array, inputs: _Inputs, angle: float
) -> float:
    """Where the zero lies along an axis of the turned frame, mm."""
    c, s = math.cos(math.radians(angle)), math.sin(math.radians(angle))
    i = AXES.index(axis)
    total = 0.0
    for name in rule.features:
        feature = features[name]
        here = float(x[inputs.at[name, axis]])
        if feature.places:
            spot = feature.places[feature.axes.index(axis)]
            radius = feature.coordinate(axis) - spot[i]
            across = spot[1 - i]
        else:
            radius, across = 0.0, float(x[inputs.at[name, AXES[1 - i]]])
        total += c * (here - radius) + (s if i == 0 else -s) * across + radius
    return total / len(rule.features) - rule.drawing + rule.allowance


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
    inputs = _Inputs(used, straight=not fitted and isinstance(turning, FromHeading) and not turning.other)

    def work(x: Array) -> tuple[float, float, float]:
        angle = _angle(turning, features, x, inputs)
        fits = [rule for rule in (rules["x"], rules["y"]) if isinstance(rule, FromFit)]
        fixed = None if isinstance(turning, FromFit) else angle
        places = [_fit(rule, features, x, inputs, fixed).place for rule in fits]
        if len(fits) == 2:
            return places[0][0], places[1][1], angle
        zero = []
        for i, axis in enumerate("xy"):
            rule = rules[axis]
            if isinstance(rule, FromFeature):
                zero.append(_in_turned_frame(axis, rule, features, x, inputs, angle))
            else:
                zero.append(turned(*places[0], -angle)[i])
        return (*turned(zero[0], zero[1], angle), angle)

    x, y, r = derive(work, inputs.estimates)
    if isinstance(turning, Fixed) and turning.u:
        r = Estimate(r.value, {Source(f"{row} R by hand"): turning.u})
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
            found[axis] = Estimate(own.value + rule.shift, own.effects)
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
        effects = combined((1.0, parent[axis].effects), (swing, angle.effects))
        found[axis] = Estimate(parent[axis].value + step["xy".index(axis)], effects)
    return found


def table_sum(rule: FromTable, axis: str) -> tuple[tuple[float, float, float], float]:
    """An axis of a carried zero as a sum: what X, Y and Z of the other row count in it, and a constant, mm."""
    frame = RotaryAxis(rule.letter, rule.direction, rule.centre, rule.sense, None, None, 1.0).frame(rule.angle)
    i = AXES.index(axis)
    x, y, z = (float(share) for share in frame.rotation[i])
    return (x, y, z), float(frame.translation[i]) - z * rule.master + (rule.master if axis == "z" else 0.0)


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
    carried = combined(*zip(shares, (item.effects for item in own), strict=True), (1.0, off), (master, {MASTER: 1.0}))
    return Estimate(value, {source: effect for source, effect in carried.items() if abs(effect) > _NOTHING})


def fit_residuals(rule: FromFit, features: Mapping[str, Feature], axis: str, angle: float) -> dict[str, float]:
    """How far each feature of a fit lies off it along an axis, measured less fitted, mm."""
    inputs = _Inputs(features)
    fit = _fit(rule, features, np.array([item.value for item in inputs.estimates]), inputs, angle)
    return dict(zip(rule.names, (r["xy".index(axis)] for r in fit.residuals), strict=True))
