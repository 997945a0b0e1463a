"""Depths counted from a measured top: the face a feature's upper edge lies in, where that is measured before it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from typing import TypeVar

from brisk_anchor.core.features.measuring import LEAST_SEARCH, SEARCH_MARGIN, Measurement, Top
from brisk_anchor.core.kinds import FeatureKind
from brisk_anchor.core.offsets.setup import DrawnFeature, Setup

Item = TypeVar("Item")
_SAME_HEIGHT = 0.05
"""How far, mm, the drawing may have an edge from a face that still counts as its top."""


def tops_of(setup: Setup, name: str) -> list[DrawnFeature]:
    """The drawn faces a feature's upper edge lies in: on the same body, at the same height, touched from above."""
    drawn = next((feature for feature in setup.features if feature.name == name), None)
    return [] if drawn is None else [face for face in setup.features if _is_top(face, drawn)]


def _is_top(face: DrawnFeature, drawn: DrawnFeature) -> bool:
    return (
        face.walls == ("BELOW",)
        and face.kind in (FeatureKind.SURFACE, FeatureKind.PLANE)
        and bool(drawn.body)
        and face.body == drawn.body
        and face.name != drawn.name
        and not drawn.kind.is_built
        and abs(face.machine[2] - drawn.machine[2]) <= _SAME_HEIGHT
    )


def from_top(measurement: Measurement, face: str, nominal: float, found: float | None = None) -> Measurement:
    """The measurement with its heights counted from a face, whose machine Z (tip, mm) is described as `nominal`.

    `found` is its machine Z where that was measured before the program is written.

    It comes down from so high that the way down is a proper move wherever the face is found.
    """
    room = measurement.start_uncertainty + SEARCH_MARGIN + LEAST_SEARCH
    clear = max(measurement.clear_z, measurement.start[2] + room)
    return replace(measurement, top=Top(face, nominal, found), clear_z=clear)


def counted_from_tops(setup: Setup, measurements: Sequence[Measurement]) -> list[Measurement]:
    """The measurements of one program, each counted from its own top where the program has measured that before it."""
    known = {drawn.name: drawn for drawn in setup.features}
    faces = [drawn for drawn in setup.features if drawn.walls == ("BELOW",)]
    seen: dict[str, Measurement] = {}
    result = []
    for measurement in measurements:
        own = replace(measurement, top=None)
        drawn = known.get(own.name) if own.touches_walls else None
        tops = (face for face in faces if drawn is not None and face.name in seen and _is_top(face, drawn))
        face = next((face for face in tops if seen[face.name].options.table == own.options.table), None)
        seen[own.name] = own
        result.append(own if face is None else from_top(own, face.name, face.machine[2]))
    return result


def tops_first(setup: Setup, items: Sequence[Item], measurement_of: Callable[[Item], Measurement]) -> list[Item]:
    """The same with the top of each feature that needs it moved before that feature, where it came later."""
    order = list(items)
    for item in items:
        measurement = replace(measurement_of(item), top=None)
        if measurement.deep_enough or measurement.depth_is_checked:
            continue
        faces = {face.name for face in tops_of(setup, measurement.name)}
        at = order.index(item)
        tops = [other for other in order if measurement_of(other).name in faces]
        tops = [other for other in tops if measurement_of(other).options.table == measurement.options.table]
        if tops and all(order.index(other) > at for other in tops):
            order.remove(tops[0])
            order.insert(at, tops[0])
    return order
