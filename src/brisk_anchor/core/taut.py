"""The length of a string pulled tight round a convex outline."""

from __future__ import annotations

import math
from collections.abc import Sequence
from itertools import pairwise

Place = tuple[float, float]


def taut(start: Place, end: Place, outline: Sequence[Place]) -> float:
    """The length, mm, of a string pulled tight from one place to another round a convex outline, the shorter way.

    With both places outside, the hull of all of it is the outline and the two strings that run by either side.
    """
    hull = _hull([start, end, *outline])
    if start not in hull or end not in hull:
        return math.dist(start, end)
    first = hull.index(start)
    ring = [*hull[first:], *hull[:first], start]
    last = ring.index(end)
    return min(sum(math.dist(a, b) for a, b in pairwise(piece)) for piece in (ring[: last + 1], ring[last:]))


def _hull(places: Sequence[Place]) -> list[Place]:
    """The convex hull, counter-clockwise, by Andrew's monotone chain."""

    def half(ordered: Sequence[Place]) -> list[Place]:
        chain: list[Place] = []
        for place in ordered:
            while len(chain) > 1 and _turn(chain[-2], chain[-1], place) <= 0:
                chain.pop()
            chain.append(place)
        return chain[:-1]

    ordered = sorted(set(places))
    return half(ordered) + half(ordered[::-1])


def _turn(a: Place, b: Place, c: Place) -> float:
    return (b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0])
