"""A place that a measurement touches, and how near to each other such places may lie."""

from __future__ import annotations

from brisk_anchor.core.kinds import Vector
from brisk_anchor.lazy_dataclass import dataclass

NEAREST = 15.0
"""Touches round a centre lie at least so far apart, degrees: nearer, the last digit of a figure moves the centre."""
NEAREST_OF_MANY = 8.0
"""The same where a round is touched at more than four places, and each counts little."""
MOST_PLACES = 36
"""How many places a round is touched at in one measurement."""
LEAST_SPREAD = 2.0
"""Touches that are to give an angle lie at least so far apart, mm."""


@dataclass(frozen=True, slots=True)
class TouchPlace:
    """A place to be touched: the direction of its wall from the start, and how far from the start the search begins."""

    direction: Vector
    aside: Vector = (0.0, 0.0, 0.0)
