"""Features built from measured ones: the point between two, where two lines cross; and the distance of two."""

from __future__ import annotations

import math
from collections.abc import Mapping

import numpy as np

from brisk_anchor.core.errors import GeometryError
from brisk_anchor.core.features.feature import Feature, rows_of
from brisk_anchor.core.features.touches import AXES
from brisk_anchor.core.features.walls import crossing
from brisk_anchor.core.kinds import FeatureKind
from brisk_anchor.core.uncertainty.estimates import Estimate, linear
from brisk_anchor.lazy_dataclass import dataclass


def build(name: str, kind: FeatureKind, first: Feature, second: Feature) -> Feature:
    """The point between two features, or the intersection of two lines.

    Raises:
        GeometryError: they have no such point.
    """
    return (_between if kind is FeatureKind.BETWEEN else _crossing)(name, first, second)


def _between(name: str, first: Feature, second: Feature) -> Feature:
    axes = [axis for axis in AXES if axis in first.axes and axis in second.axes]
    if not {"x", "y"} <= set(axes):
        raise GeometryError(
            f"{first.name} and {second.name} are not both points in X and Y",
            "Between two faces a rule for one axis takes the middle",
            "Choose bores, bosses, corners or pockets",
        )
    one, two = first.estimates(), second.estimates()
    inputs = [one[axis] for axis in axes] + [two[axis] for axis in axes]
    values = [(one[axis].value + two[axis].value) / 2 for axis in axes]
    halves = np.hstack([np.eye(len(axes)), np.eye(len(axes))]) / 2
    found = dict(zip(axes, linear(values, halves, inputs), strict=True))
    return _built(name, FeatureKind.BETWEEN, found, first, second)


def _built(name: str, kind: FeatureKind, found: Mapping[str, Estimate], first: Feature, second: Feature) -> Feature:
    return Feature(
        name=name,
        kind=kind,
        axes=tuple(found),
        coordinates=tuple(item.value for item in found.values()),
        effects=rows_of(found),
        touches=(*first.touches, *second.touches),
        residuals=(*first.residuals, *second.residuals),
        widened=max(first.widened, second.widened),
        without=tuple(dict.fromkeys((*first.without, *second.without))),
    )


def _line(feature: Feature) -> tuple[int, float, Estimate, Estimate]:
    """The axis a feature's line runs across, where along it its place holds, that place and its turn."""
    axes = [axis for axis in "xy" if axis in feature.axes]
    if len(axes) != 1 or not feature.places:
        raise GeometryError(f"{feature.name} is no line in X and Y", "", "Choose edges, faces, slots or webs")
    estimates = feature.estimates()
    i = AXES.index(axes[0])
    spot = feature.places[feature.axes.index(axes[0])]
    return i, spot[1 - i], estimates[axes[0]], estimates.get("r", Estimate(0.0))


def _crossing(name: str, first: Feature, second: Feature) -> Feature:
    lines = sorted((_line(first), _line(second)), key=lambda line: line[0])
    (one, at_y, x, x_turn), (two, at_x, y, y_turn) = lines
    if one == two:
        raise GeometryError(
            f"{first.name} and {second.name} run the same way",
            "They cross nowhere near",
            "Take one along X, one along Y",
        )

    place, derivatives = crossing(np.array((x.value, at_y, x_turn.value)), np.array((y.value, at_x, y_turn.value)))
    found = dict(zip("xy", linear(place, derivatives, (x, x_turn, y, y_turn)), strict=True))
    return _built(name, FeatureKind.CROSSING, found, first, second)


@dataclass(frozen=True, slots=True)
class Distance:
    """How far one feature lies from another: by axis and straight, mm."""

    parts: dict[str, Estimate]
    straight: Estimate


def distance(first: Feature, second: Feature) -> Distance:
    """From the first feature to the second, along every axis both locate; what they share leaves it.

    Raises:
        GeometryError: they share no axis.
    """
    axes = [axis for axis in AXES if axis in first.axes and axis in second.axes]
    if not axes:
        raise GeometryError(f"{first.name} and {second.name} locate no axis together", "They have no distance", "")
    one, two = first.estimates(), second.estimates()
    inputs = [one[axis] for axis in axes] + [two[axis] for axis in axes]
    steps = [two[axis].value - one[axis].value for axis in axes]
    straight = math.hypot(*steps)
    unit = np.array(steps) / straight if straight else np.zeros(len(axes))
    apart = np.hstack([-np.eye(len(axes)), np.eye(len(axes))])
    *parts, whole = linear((*steps, straight), np.vstack([apart, unit @ apart]), inputs)
    return Distance(dict(zip(axes, parts, strict=True)), whole)
