"""Features built from measured ones: the point between two, where two lines cross; and the distance of two."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from brisk_anchor.core.errors import GeometryError
from brisk_anchor.core.features.feature import Feature
from brisk_anchor.core.features.touches import AXES
from brisk_anchor.core.features.walls import crossing, feature_of
from brisk_anchor.core.geometry.frames import Array
from brisk_anchor.core.kinds import FeatureKind
from brisk_anchor.core.uncertainty.estimates import Estimate, derive


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
    n = len(axes)
    return feature_of(
        name,
        FeatureKind.BETWEEN,
        axes,
        derive(lambda x: tuple(float(v) for v in (x[:n] + x[n:]) / 2), inputs),
        (*first.touches, *second.touches),
        (*first.residuals, *second.residuals),
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

    def work(v: Array) -> tuple[float, float]:
        return crossing(np.array((v[0], at_y, v[1])), np.array((v[2], at_x, v[3])))

    return feature_of(
        name,
        FeatureKind.CROSSING,
        ("x", "y"),
        derive(work, (x, x_turn, y, y_turn)),
        (*first.touches, *second.touches),
        (*first.residuals, *second.residuals),
    )


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
    n = len(axes)

    def work(x: Array) -> tuple[float, ...]:
        steps = [float(step) for step in x[n:] - x[:n]]
        return (*steps, math.hypot(*steps))

    *parts, straight = derive(work, inputs)
    return Distance(dict(zip(axes, parts, strict=True)), straight)
