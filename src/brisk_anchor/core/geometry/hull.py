"""The convex hull of points in a plane."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

Point = tuple[float, float]


def convex_hull(points: Sequence[Point]) -> list[int]:
    """Which points are corners of the convex hull, by their place in `points` (mm, any frame).

    Counter-clockwise from the one furthest left. A point on an edge is no corner; of equal points the first is one.
    Points on one line give its two ends. SciPy's hull would do, but to load it takes half a second at every start.

    Source: A. M. Andrew, "Another efficient algorithm for convex hulls in two dimensions", 1979: the points in order
    of x, once there and once back, each time without those at which one would turn right or go straight on.
    """
    order = sorted({point: at for at, point in reversed(list(enumerate(points)))}.items())

    def chain(along: Iterable[tuple[Point, int]]) -> list[tuple[Point, int]]:
        kept: list[tuple[Point, int]] = []
        for new in along:
            while len(kept) > 1 and _turn(kept[-2][0], kept[-1][0], new[0]) <= 0:
                kept.pop()
            kept.append(new)
        return kept

    there, back = chain(order), chain(reversed(order))
    return [at for _, at in [*there[:-1], *back[:-1]]] or [at for _, at in there]


def _turn(a: Point, b: Point, c: Point) -> float:
    """Twice the area of a triangle, mm²: above 0 where one turns left at `b`."""
    return (b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0])
