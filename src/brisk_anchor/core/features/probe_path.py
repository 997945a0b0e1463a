"""The ways of the probe in a measurement with everything where it is drawn: down, beside the walls, and between them.

`nc.cycles` writes the same ways as steps; there they follow what was found on the way.
"""

from __future__ import annotations

from collections.abc import Iterator
from itertools import pairwise

from brisk_anchor.core.features.measuring import Measurement
from brisk_anchor.core.features.touch_place import TouchPlace
from brisk_anchor.core.kinds import Vector


def entry(measurement: Measurement) -> tuple[float, float]:
    """XY position where the probe descends: where the first search begins, X and Y of the spindle, mm."""
    x, y, _ = search_start(measurement, measurement.contacts()[0])
    return x, y


def leaving(measurement: Measurement) -> tuple[float, float]:
    """Where a measurement is left from, straight up: where its last search began, mm."""
    x, y, _ = search_start(measurement, measurement.contacts()[-1])
    return x, y


def search_start(measurement: Measurement, contact: TouchPlace) -> Vector:
    """Where the spindle stands when the search for a wall begins, machine mm."""
    x, y, z = measurement.start
    ax, ay, az = contact.aside
    dx, dy, dz = contact.direction
    if dz:
        return x + ax, y + ay, z + az
    out = measurement.begin_distance(measurement.axis_along(contact.direction)) if measurement.starts_over else 0.0
    drop = measurement.drop if measurement.starts_over else 0.0
    return x + ax + dx * out, y + ay + dy * out, z + az - drop


def between(measurement: Measurement) -> Iterator[tuple[Vector, Vector]]:
    """The straight moves from where one search begins to where the next does, machine mm of the spindle."""
    for last, contact in pairwise(measurement.contacts()):
        a, b = search_start(measurement, last), search_start(measurement, contact)
        if last.direction == contact.direction or not measurement.starts_over:
            turns: list[Vector] = []
        elif measurement.goes_over:
            level = a[2] if last.direction[2] else a[2] + measurement.hop_height
            turns = [(a[0], a[1], level), (b[0], b[1], level)]
        else:
            turns = _round(measurement, last, contact, a, b)
        yield from (leg for leg in pairwise([a, *turns, b]) if leg[0] != leg[1])


def _round(measurement: Measurement, last: TouchPlace, contact: TouchPlace, a: Vector, b: Vector) -> list[Vector]:
    """The corners on the way round at touching depth; to the wall across by way of the side between."""
    axis = measurement.axis_along(contact.direction)
    if measurement.axis_along(last.direction) != axis:
        return [_with(a, axis, b[axis])]
    side = 1 - axis
    out = measurement.start[side] + measurement.begin_distance(side)
    past = _with(a, side, out)
    return [past, _with(past, axis, b[axis])]


def _with(place: Vector, axis: int, value: float) -> Vector:
    x, y, z = place
    return (value, y, z) if axis == 0 else (x, value, z)
