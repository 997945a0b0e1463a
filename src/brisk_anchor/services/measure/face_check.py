"""Whether every touch lands on the face it is meant for, wherever the part may lie: near an end it lands on an edge."""

from __future__ import annotations

from brisk_anchor.core.features.measuring import Measurement
from brisk_anchor.core.features.probe_path import search_start
from brisk_anchor.core.kinds import Vector
from brisk_anchor.core.offsets.checks import Finding
from brisk_anchor.core.quantities import dim
from brisk_anchor.standin.scene import Scene
from brisk_anchor.standin.solids import Solid

_TOLD = 0.002
"""How far, mm, a touch beside its face may be off before it is told."""
_ON_METAL = 0.05
"""How far, mm, drawn metal may lie from a drawn place that still belongs to it."""


def look_at_faces(scene: Scene, measurement: Measurement) -> list[Finding]:
    """Findings for touches of flat walls and faces that could land beside them, by the description."""
    m = measurement
    drawn = next((feature for feature in scene.setup.features if feature.name == m.name), None)
    if drawn is None or drawn.skew or m.kind.is_round or m.kind.has_top or any(a for _, a in m.options.table):
        return []
    solids = [solid for solid in scene.nominal if solid.body == drawn.body and solid.role != "drawn"]
    worst = 0.0
    for contact in m.contacts():
        x, y, z = search_start(m, contact)
        reach = m.reach_of(contact)
        dx, dy, dz = m.touch_direction(contact)
        radius = m.stylus.ball_diameter / 2
        centre = (x + dx * reach, y + dy * reach, z + dz * reach - m.stylus.length + radius)
        if solids and abs(_distance(solids, centre) - radius) <= _ON_METAL:
            asides = [_moved(centre, axis, by) for axis in _along(contact.direction) for by in _both(m)]
            worst = max(worst, *(abs(_distance(solids, place) - radius) for place in asides))
    if worst <= _TOLD:
        return []
    return [
        Finding.stopping(
            f"{m.title or m.name} may be touched beside its face: {dim(worst, 3)} off where the part lies "
            f"{dim(m.start_uncertainty)} aside",
            "An edge or another wall would be taken for it",
            "Touch further from its ends, or state a smaller uncertainty",
        )
    ]


def _along(direction: Vector) -> tuple[int, ...]:
    """The level axes along a face that is touched in a direction."""
    if direction[2]:
        return (0, 1)
    return (1,) if abs(direction[0]) > abs(direction[1]) else (0,)


def _both(measurement: Measurement) -> tuple[float, float]:
    return -measurement.start_uncertainty, measurement.start_uncertainty


def _moved(place: Vector, axis: int, by: float) -> Vector:
    x, y, z = (value + by if i == axis else value for i, value in enumerate(place))
    return x, y, z


def _distance(solids: list[Solid], place: Vector) -> float:
    return min(solid.distance(*place) for solid in solids)
