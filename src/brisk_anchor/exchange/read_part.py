"""What a drawing or a mesh tells of a part: outline, height, round openings, words. Lengths in mm, the file's frame."""

from __future__ import annotations

import math
from collections import deque
from dataclasses import field
from itertools import pairwise

import numpy as np

from brisk_anchor.lazy_dataclass import dataclass

Point = tuple[float, float]
MOST_OPENINGS = 500
"""Of circles, and of other outlines: more than that nobody measures, and no screen can tell apart."""
LOOKED_AT = 4 * MOST_OPENINGS
"""So many of the largest are asked where they lie."""


@dataclass(frozen=True, slots=True)
class Round:
    """A circle seen from above: centre, diameter, the layer it was drawn on; `top` is its upper edge where known."""

    centre: Point
    diameter: float
    layer: str = ""
    top: float | None = None
    bore: bool = True


@dataclass(frozen=True, slots=True)
class Word:
    """A text or a dimension of the drawing, and where it stands."""

    text: str
    place: Point


@dataclass(frozen=True, slots=True)
class ReadPart:
    """A part as read. `outline` runs counter-clockwise and is not closed; so do `openings`, outlines within it."""

    source: str
    outline: tuple[Point, ...]
    rounds: tuple[Round, ...] = ()
    bottom: float | None = None
    top: float | None = None
    words: tuple[Word, ...] = ()
    openings: tuple[tuple[Point, ...], ...] = ()
    notes: tuple[str, ...] = field(default=())


def area(points: list[Point] | tuple[Point, ...]) -> float:
    """Signed area of a closed outline, counter-clockwise positive, mm²."""
    total = 0.0
    for (x0, y0), (x1, y1) in zip(points, [*points[1:], points[0]], strict=True):
        total += x0 * y1 - x1 * y0
    return total / 2


def loops(segments: list[tuple[Point, Point]], gap: float = 1e-3) -> list[list[Point]]:
    """Closed outlines made of segments that meet within `gap` mm.

    Lines that close no outline are left out, also those that begin at one. A line that is drawn twice counts once.
    """
    edges = _edges_between_places(segments, gap)
    ends: dict[int, deque[int]] = {}
    for number, (a, b, _) in enumerate(edges):
        ends.setdefault(a, deque()).append(number)
        ends.setdefault(b, deque()).append(number)
    left = _without_loose_ends(edges, ends)
    closed = []
    for number in range(len(edges)):
        if number not in left:
            continue
        left.discard(number)
        first, at, (start, _) = edges[number]
        points = [start]
        while at != first:
            meeting = ends[at]
            while meeting and meeting[0] not in left:
                meeting.popleft()  # for good: all lines of a drawing may meet in one point
            if not meeting:
                break
            following = meeting.popleft()
            left.discard(following)
            a, b, (p, q) = edges[following]
            points.append(p if a == at else q)
            at = b if a == at else a
        else:
            if len(points) > 2 and abs(area(points)) > _LEAST_AREA:
                closed.append(points if area(points) > 0 else points[::-1])
    return closed


_LEAST_AREA = 1e-6
"""An outline around less, mm², is something seen from its side."""


def _edges_between_places(
    segments: list[tuple[Point, Point]], gap: float
) -> list[tuple[int, int, tuple[Point, Point]]]:
    """Segments with the numbers of the places where they begin and end: points within `gap` mm are one place."""
    cells: dict[tuple[int, int], list[tuple[Point, int]]] = {}
    count = 0

    def place(point: Point) -> int:
        nonlocal count
        column, row = math.floor(point[0] / gap), math.floor(point[1] / gap)
        for i in (column, column - 1, column + 1):
            for j in (row, row - 1, row + 1):
                for known, number in cells.get((i, j), ()):
                    if math.dist(known, point) <= gap:
                        return number
        cells.setdefault((column, row), []).append((point, count))
        count += 1
        return count - 1

    found, known = [], set()
    for segment in segments:
        a, b = place(segment[0]), place(segment[1])
        if a != b and (a, b) not in known:
            known |= {(a, b), (b, a)}
            found.append((a, b, segment))
    return found


def _without_loose_ends(edges: list[tuple[int, int, tuple[Point, Point]]], ends: dict[int, deque[int]]) -> set[int]:
    """The numbers of edges that are left when those with a loose end are taken away, again and again."""
    left = set(range(len(edges)))
    degree = {place: len(meeting) for place, meeting in ends.items()}
    loose = [place for place, many in degree.items() if many == 1]
    while loose:
        place = loose.pop()
        if degree[place] != 1:
            continue
        number = next(number for number in ends[place] if number in left)
        left.discard(number)
        for end in edges[number][:2]:
            degree[end] -= 1
            if degree[end] == 1:
                loose.append(end)
    return left


def circle_ring(centre: Point, diameter: float, sag: float = 0.002) -> list[Point]:
    """A circle as an outline whose sides lie within `sag` mm of it."""
    sides = 4 * max(3, math.ceil(math.pi / 4 / math.acos(1 - min(0.1, 2 * sag / diameter))))
    turns = (2 * math.pi * n / sides for n in range(sides))
    return [(centre[0] + diameter / 2 * math.cos(t), centre[1] + diameter / 2 * math.sin(t)) for t in turns]


def simplified(points: list[Point], sag: float = 0.002) -> tuple[Point, ...]:
    """The same outline without points that lie on the straight between their neighbours, within `sag` mm."""
    kept: list[Point] = []  # from the last to the first
    for i in range(len(points) - 1, -1, -1):
        (x0, y0), (x, y) = kept[0] if kept and not i else points[i - 1], points[i]
        x1, y1 = kept[-1] if kept else points[0]
        length = math.hypot(x1 - x0, y1 - y0)
        straight = length and abs((x1 - x0) * (y0 - y) - (x0 - x) * (y1 - y0)) / length < sag
        if not straight or len(kept) + i < 3:
            kept.append((x, y))
    kept.reverse()
    return tuple((round(x, 4), round(y, 4)) for x, y in kept)


def those_within(inner: list[list[Point]], outer: list[Point]) -> list[list[Point]]:
    """Of closed outlines those that lie inside another they do not cross: whose first point does."""
    (x0, y0), (x1, y1) = np.array(outer).T, np.roll(outer, -1, axis=0).T
    across = (x1 - x0) / np.where(y1 == y0, 1.0, y1 - y0)
    found = []
    for ring in inner:
        x, y = ring[0]
        if np.count_nonzero(((y0 > y) != (y1 > y)) & (x < x0 + across * (y - y0))) % 2:
            found.append(ring)
    return found


def round_of(ring: list[Point] | tuple[Point, ...]) -> tuple[Point, float] | None:
    """Centre and diameter of the circle that a closed outline is within 0.01 mm; None where it is something else."""
    if len(ring) < _FEWEST_OF_A_CIRCLE:
        return None
    corners = np.array(ring)
    # A point is as far from the second and the third corner as from the first: two linear equations.
    first, *others = corners[[0, len(ring) // 3, 2 * len(ring) // 3]]
    ways = np.array(others) - first
    if abs(np.linalg.det(ways)) < _LEAST_AREA:
        return None
    centre = first + np.linalg.solve(2 * ways, (ways**2).sum(axis=1))
    radius = float(np.hypot(*(corners - centre).T).mean())
    between = (corners + np.roll(corners, -1, axis=0)) / 2
    off = np.abs(np.hypot(*(np.vstack([corners, between]) - centre).T) - radius)
    if off.max() > _ROUND:
        return None
    return (round(float(centre[0]), 4), round(float(centre[1]), 4)), round(2 * radius, 4)


_FEWEST_OF_A_CIRCLE = 8


def distances_to(ring: list[Point], points: list[Point]) -> list[float]:
    """How far points lie from the border of a closed outline, mm."""
    begin = np.array(ring)
    way = np.roll(begin, -1, axis=0) - begin
    squared = np.maximum((way**2).sum(axis=1), 1e-18)
    found = []
    for point in points:
        from_begin = np.array(point) - begin
        along = np.clip((from_begin * way).sum(axis=1) / squared, 0.0, 1.0)
        found.append(float(np.hypot(*(from_begin - along[:, None] * way).T).min()))
    return found


@dataclass(frozen=True, slots=True)
class OutlineEdge:
    """A straight edge: its middle, its length, and the heading of the metal behind it, degrees."""

    middle: Point
    length: float
    heading: float


def straight_edges(outline: tuple[Point, ...], shortest: float) -> list[OutlineEdge]:
    """Straight edges of an outline that runs counter-clockwise, the longest first."""
    edges = []
    for (x0, y0), (x1, y1) in zip(outline, [*outline[1:], outline[0]], strict=True):
        length = math.hypot(x1 - x0, y1 - y0)
        if length >= shortest:
            heading = math.degrees(math.atan2(x1 - x0, y0 - y1))
            edges.append(OutlineEdge(((x0 + x1) / 2, (y0 + y1) / 2), length, heading))
    return sorted(edges, key=lambda edge: (-edge.length, edge.middle))


@dataclass(frozen=True, slots=True)
class OpeningBox:
    """An opening with two or four straight sides: its middle, its sizes, how far it is turned from the axes, degrees.

    It has square corners, or is a slot with `rounded` ends.
    """

    middle: Point
    sizes: Point
    angle: float
    rounded: bool = False


def box_of(ring: tuple[Point, ...]) -> OpeningBox | None:
    """The rectangle a closed outline is, None where it is something else."""
    if len(ring) != 4:
        return None
    sides = [(x1 - x0, y1 - y0) for (x0, y0), (x1, y1) in zip(ring, [*ring[1:], ring[0]], strict=True)]
    lengths = [math.hypot(*side) for side in sides]
    square = all(abs(a[0] * b[0] + a[1] * b[1]) < 1e-4 * math.hypot(*a) * math.hypot(*b) for a, b in pairwise(sides))
    if not square or abs(lengths[0] - lengths[2]) > 0.01 or abs(lengths[1] - lengths[3]) > 0.01:
        return None
    turn = math.degrees(math.atan2(sides[0][1], sides[0][0]))
    quarters = round(turn / 90)
    sizes = (lengths[0], lengths[1]) if quarters % 2 == 0 else (lengths[1], lengths[0])
    xs, ys = zip(*ring, strict=True)
    return OpeningBox((sum(xs) / 4, sum(ys) / 4), sizes, turn - 90 * quarters)


_SHORTEST_SLOT = 0.05
"""An opening whose straight sides are shorter than this share of its width is a round one."""
_ROUND = 0.01
"""How far, mm, a corner of a flattened arc may lie off it."""


def slot_of(ring: tuple[Point, ...]) -> OpeningBox | None:
    """The slot with round ends that a closed outline of two lines and two arcs is, None where it is something else."""
    sides = [(x1 - x0, y1 - y0) for (x0, y0), (x1, y1) in zip(ring, [*ring[1:], ring[0]], strict=True)]
    along = max(sides, key=lambda side: math.hypot(*side))
    straight = math.hypot(*along)
    if len(ring) < 8 or not straight:
        return None
    ux, uy = along[0] / straight, along[1] / straight
    far = [x * ux + y * uy for x, y in ring]
    wide = [y * ux - x * uy for x, y in ring]
    radius, half = (max(wide) - min(wide)) / 2, (max(far) - min(far)) / 2
    across, middle = (max(wide) + min(wide)) / 2, (max(far) + min(far)) / 2
    reach = half - radius  # from the middle to the centre of an end
    if radius <= 0 or reach < _SHORTEST_SLOT * radius:
        return None  # as good as round
    halves = [((a0 + a1) / 2, (b0 + b1) / 2) for (a0, b0), (a1, b1) in pairwise([*zip(far, wide, strict=True)])]
    for a, b in [*zip(far, wide, strict=True), *halves]:
        beyond = max(0.0, abs(a - middle) - reach)
        if abs(math.hypot(beyond, b - across) - radius) > _ROUND:
            return None
    turn = math.degrees(math.atan2(uy, ux))
    quarters = round(turn / 90)
    sizes = (round(2 * half, 4), round(2 * radius, 4))
    place = (round(middle * ux - across * uy, 4), round(middle * uy + across * ux, 4))
    return OpeningBox(place, sizes if quarters % 2 == 0 else sizes[::-1], turn - 90 * quarters, rounded=True)
