"""What X and Y of the machine being out of square does to features (docs/maths.md, *Out of square*).

Where they are off by a small angle s, a place reads `x + s y`, and a line along the heading h reads `s sin² h` less.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

from brisk_anchor.core.features.alignment import Point
from brisk_anchor.core.features.feature import Feature
from brisk_anchor.core.features.touches import AXES


def counted_from(feature: Feature) -> float | None:
    """The heading, degrees, of the axis that `r` of a feature counts from, which it runs along; None: nobody knows."""
    along = [axis for axis in "xy" if axis in feature.axes]
    return None if not along else 90.0 if along == ["x"] else 0.0


def share_of_heading(feature: Feature) -> float | None:
    """How much of s comes off the heading that a feature tells: 0 along X, 1 along Y; None where nobody knows.

    A corner, a pocket or a block tells the mean of what lies along X and along Y.
    """
    of = counted_from(feature)
    if "r" not in feature.axes or of is None:
        return None
    return 0.5 if {"x", "y"} <= set(feature.axes) else math.sin(math.radians(of + feature.angles["r"])) ** 2


def share_of_points(points: Sequence[Point]) -> float:
    """The same for the turn that points tell together, mm: by how far they lie from their middle in Y."""
    x, y = (sum(point[i] for point in points) / len(points) for i in range(2))
    across, along = sum((p[0] - x) ** 2 for p in points), sum((p[1] - y) ** 2 for p in points)
    return along / (across + along) if across + along else 0.0


def share_between(one: float | None, other: float | None) -> float:
    """How much of s is in the angle from one heading to another; where one is not known, the most it can be."""
    if one is not None and other is not None:
        return one - other
    known = one if one is not None else other
    return 1.0 if known is None else max(known, 1.0 - known)


def found_at(feature: Feature, axis: str, along: str) -> float | None:
    """At which X or Y (`along`), machine mm, a coordinate of a feature was found; None where nobody knows."""
    if along in feature.axes:
        return feature.coordinate(along)
    if axis not in feature.axes or not feature.places:
        return None
    return feature.places[feature.axes.index(axis)][AXES.index(along)]
