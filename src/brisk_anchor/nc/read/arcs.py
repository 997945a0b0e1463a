"""Arcs of NC blocks: centre from I J K or from R, checked, cut into chords."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping

from brisk_anchor.core.kinds import Vector
from brisk_anchor.nc.read.expressions import ExpressionError

CHORD = 0.0005
"""How far, mm, a chord may lie inside its arc."""
_RADIUS_ERROR = 0.01


def arc_centre(
    start: Vector, end: Vector, axes: tuple[int, int, int], words: Mapping[str, float], *, clockwise: bool
) -> tuple[float, float]:
    """Centre of an arc in its plane, mm.

    Args:
        start, end: end points in program coordinates, mm.
        axes: the plane's two axes and the one across.
        words: I J K (from the start) or R, mm. A negative R asks for the longer way round.

    Raises:
        ExpressionError: no centre, both kinds given, a radius too small, or ends that lie on different circles.
    """
    a, b, _ = axes
    offsets = ("IJK"[a], "IJK"[b])
    if "R" in words:
        if any(letter in words for letter in "IJK"):
            raise ExpressionError("an arc is given by R and by I J K at once")
        radius = words["R"]
        du, dv = end[a] - start[a], end[b] - start[b]
        chord = math.hypot(du, dv)
        if chord < 1e-9:
            raise ExpressionError("an arc with R ends where it begins: no centre follows from that")
        if chord / 2 > abs(radius) + 1e-4:
            raise ExpressionError(f"R{radius:g} is too small for an arc over {chord:.4f} mm")
        height = math.sqrt(max(0.0, radius * radius - chord * chord / 4))
        side = height * (1 if (radius > 0) == clockwise else -1)
        return start[a] + du / 2 + dv / chord * side, start[b] + dv / 2 - du / chord * side
    if not any(letter in words for letter in offsets):
        raise ExpressionError(f"an arc in this plane needs {offsets[0]} and {offsets[1]}, or R")
    centre = start[a] + words.get(offsets[0], 0.0), start[b] + words.get(offsets[1], 0.0)
    first = math.hypot(start[a] - centre[0], start[b] - centre[1])
    last = math.hypot(end[a] - centre[0], end[b] - centre[1])
    if first < 1e-6:
        raise ExpressionError("the arc's centre lies on its start")
    if abs(first - last) > max(_RADIUS_ERROR, 0.001 * first):
        raise ExpressionError(f"the arc begins {first:.4f} mm from its centre and ends {last:.4f} mm from it")
    return centre


def arc_sweep(
    start: Vector, end: Vector, centre: tuple[float, float], axes: tuple[int, int, int], *, clockwise: bool
) -> float:
    """Angle an arc turns, radians, counter-clockwise positive; a whole turn where it ends at its start."""
    a, b, _ = axes
    first = math.atan2(start[b] - centre[1], start[a] - centre[0])
    last = math.atan2(end[b] - centre[1], end[a] - centre[0])
    sweep = (last - first) % (2 * math.pi)
    if math.hypot(end[a] - start[a], end[b] - start[b]) < 1e-9 or sweep < 1e-12:
        sweep = 2 * math.pi
    return sweep - 2 * math.pi if clockwise and sweep < 2 * math.pi else -sweep if clockwise else sweep


def arc_points(
    start: Vector, end: Vector, centre: tuple[float, float], axes: tuple[int, int, int], sweep: float
) -> Iterator[Vector]:
    """Ends of the chords of an arc or helix, the last of them exactly `end`."""
    a, b, c = axes
    radius = math.hypot(start[a] - centre[0], start[b] - centre[1])
    last_radius = math.hypot(end[a] - centre[0], end[b] - centre[1])
    first = math.atan2(start[b] - centre[1], start[a] - centre[0])
    step = 2 * math.acos(max(0.5, 1 - CHORD / max(radius, CHORD)))
    count = max(1, math.ceil(abs(sweep) / step))
    for i in range(1, count):
        share = i / count
        angle, r = first + sweep * share, radius + (last_radius - radius) * share
        point = [0.0, 0.0, 0.0]
        point[a], point[b] = centre[0] + r * math.cos(angle), centre[1] + r * math.sin(angle)
        point[c] = start[c] + (end[c] - start[c]) * share
        yield point[0], point[1], point[2]
    yield end
