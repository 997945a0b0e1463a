"""What a drawing or a mesh tells of a part: outline, height, round openings, words. Lengths in mm, the file's frame."""

from __future__ import annotations

import math
from dataclasses import dataclass, field

Point = tuple[float, float]


@dataclass(frozen=True, slots=True)
class Round:
    """A circle seen from above: centre, diameter, the layer it was drawn on; `top` is its upper edge where known."""

    centre: Point
    diameter: float
    layer: str = ""
    top: float | None = None
    bore: bool = True


@dataclass(frozen=True, slots=True)
class ReadPart:
    """A part as read. `outline` runs counter-clockwise and is not closed; `words` are texts and dimensions."""

    source: str
    outline: tuple[Point, ...]
    rounds: tuple[Round, ...] = ()
    bottom: float | None = None
    top: float | None = None
    words: tuple[str, ...] = ()
    notes: tuple[str, ...] = field(default=())


def area(points: list[Point] | tuple[Point, ...]) -> float:
    """Signed area of a closed outline, counter-clockwise positive, mm²."""
    total = 0.0
    for (x0, y0), (x1, y1) in zip(points, [*points[1:], points[0]], strict=True):
        total += x0 * y1 - x1 * y0
    return total / 2


def loops(segments: list[tuple[Point, Point]], gap: float = 1e-3) -> list[list[Point]]:
    """Closed outlines made of segments that meet within `gap` mm; what does not close is left out."""

    def key(point: Point) -> tuple[int, int]:
        return round(point[0] / gap), round(point[1] / gap)

    ends: dict[tuple[int, int], list[int]] = {}
    for number, segment in enumerate(segments):
        for point in segment:
            ends.setdefault(key(point), []).append(number)
    left = set(range(len(segments)))
    closed = []
    while left:
        number = min(left)
        left.discard(number)
        start, at = segments[number]
        points = [start]
        while key(at) != key(start):
            points.append(at)
            following = next((n for n in ends[key(at)] if n in left), None)
            if following is None:
                break
            left.discard(following)
            a, b = segments[following]
            at = b if key(a) == key(at) else a
        else:
            if len(points) > 2:
                closed.append(points if area(points) > 0 else points[::-1])
    return closed


def simplified(points: list[Point], sag: float = 0.002) -> tuple[Point, ...]:
    """The same outline without points that lie on the straight between their neighbours, within `sag` mm."""
    kept = list(points)
    for i in range(len(points) - 1, -1, -1):
        if len(kept) <= 3:
            break
        n = i % len(kept)
        (x0, y0), (x, y), (x1, y1) = kept[n - 1], kept[n], kept[(n + 1) % len(kept)]
        length = math.hypot(x1 - x0, y1 - y0)
        if length and abs((x1 - x0) * (y0 - y) - (x0 - x) * (y1 - y0)) / length < sag:
            del kept[n]
    return tuple((round(x, 4), round(y, 4)) for x, y in kept)
