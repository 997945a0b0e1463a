"""What is odd about a description though it can be opened: a part beyond the table, metal within metal."""

from __future__ import annotations

import itertools
from datetime import date

from brisk_anchor.standin.scene import Scene
from brisk_anchor.standin.solids import Solid

_SAMPLES = 12
_DEEP = 0.3
"""How deep, mm, one solid must lie in another to be told: seats touch, and clamping is described to a tenth."""


def cautions(scene: Scene, today: date) -> list[str]:
    """Sentences about the set-up as described, the ones about the whole first; empty when nothing is odd."""
    found = _beyond(scene)
    probe = scene.file.probe
    if probe.valid_days is not None:
        if probe.calibrated is None:
            found.append("the probe's calibration has no date: calibrate it")
        elif (age := (today - probe.calibrated).days) > probe.valid_days:
            found.append(f"the probe was calibrated {age} days ago, {probe.valid_days} are allowed: calibrate it")
    parts = [solid for solid in scene.nominal if solid.role == "part"]
    fixtures = [solid for solid in scene.nominal if solid.role == "fixture"]
    for part, other in itertools.product(parts, fixtures):
        if (depth := _overlap(part, other)) > _DEEP:
            found.append(f"{part.title} lies in {other.title}, {depth:.1f} mm deep: look at the seat and the turn")
    return found


def _beyond(scene: Scene) -> list[str]:
    """How far the part or the fixture stands out over the table."""
    x0, y0, x1, y1, _ = scene.setup.machine.table
    points = [p for outline in scene.setup.outlines if outline.role != "table" for p in outline.plan[0]]
    found = []
    for axis, low, high, i in (("X", x0, x1, 0), ("Y", y0, y1, 1)):
        least, most = min(p[i] for p in points), max(p[i] for p in points)
        if most - least > high - low:
            found.append(f"the set-up is {most - least:.0f} mm long in {axis}, the table {high - low:.0f} mm")
        elif least < low - 0.5 or most > high + 0.5:
            out = max(low - least, most - high)
            found.append(f"the set-up stands {out:.0f} mm out over the table in {axis}")
    return found


def _overlap(one: Solid, other: Solid) -> float:
    """How deep the two lie in each other at the worst of a grid of places, mm; 0 when they do not."""
    (low_a, high_a), (low_b, high_b) = one.bounds(), other.bounds()
    low = [max(a, b) for a, b in zip(low_a, low_b, strict=True)]
    high = [min(a, b) for a, b in zip(high_a, high_b, strict=True)]
    if any(b - a <= _DEEP for a, b in zip(low, high, strict=True)):
        return 0.0
    steps = [(i + 0.5) / _SAMPLES for i in range(_SAMPLES)]
    deepest = 0.0
    for share in itertools.product(steps, repeat=3):
        x, y, z = (a + (b - a) * s for a, b, s in zip(low, high, share, strict=True))
        if (depth := -other.distance(x, y, z)) > max(deepest, _DEEP):
            deepest = max(deepest, min(depth, -one.distance(x, y, z)))
    return deepest
