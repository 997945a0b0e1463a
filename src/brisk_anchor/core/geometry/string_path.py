"""The length of a string pulled tight round a convex outline."""

from __future__ import annotations

import math
from collections.abc import Sequence
from itertools import pairwise

from brisk_anchor.core.geometry.hull import convex_hull

Place = tuple[float, float]


def string_length(start: Place, end: Place, outline: Sequence[Place]) -> float:
    """The length, mm, of a string pulled tight from one place to another round a convex outline, the shorter way.

    With both places outside, the hull of all of it is the outline and the two strings that run by either side.
    """
    places = [start, end, *outline]
    ring = convex_hull(places)
    if 0 not in ring or 1 not in ring:
        return math.dist(start, end)
    first = ring.index(0)
    ring = [*ring[first:], *ring[:first], 0]
    last = ring.index(1)
    pieces = (ring[: last + 1], ring[last:])
    return min(sum(math.dist(places[a], places[b]) for a, b in pairwise(piece)) for piece in pieces)
