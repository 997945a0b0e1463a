"""What is odd about a description though it can be opened: a part beyond the table, metal within metal."""

from __future__ import annotations

import itertools
from datetime import date

from brisk_anchor.core.offsets.tool_setting import look_at_probe
from brisk_anchor.core.quantities import dim
from brisk_anchor.standin.scene import Scene
from brisk_anchor.standin.solids import Solid

_SAMPLES = 12
_LATE = 0.002
"""How much larger, mm, an effective radius may be than the ball's: balls are not exact."""
_DEEP = 0.3
"""How deep, mm, one solid must lie in another to be told: seats touch, and clamping is described to a tenth."""


def age_in_days(day: str, today: date) -> int | None:
    """How long ago a day (ISO) was; None where it is not known."""
    return (today - date.fromisoformat(day)).days if day else None


def cautions(scene: Scene, today: date) -> list[str]:
    """Sentences about the set-up as described, the ones about the whole first; empty when nothing is odd."""
    found = _beyond(scene)
    setup = scene.setup
    turns = any(body.on == "rotary table" for body in scene.file.body)
    for axis in scene.file.machine.rotary if turns else ():
        if axis.u_centre is None:
            found.append(f"the centre of {axis.letter} was never measured: no ± of a row that it carries counts it")
        if axis.proved is None:
            found.append(
                f"which way {axis.letter} turns was never proved: turn it a little, and measure the same again"
            )
    if (over := setup.stylus.effective_radius - setup.stylus.ball_diameter / 2) > _LATE:
        found.append(f"the effective radius is {dim(over, 3)} more than the ball's: a probe signals late, never early")
    record = setup.shelf.probe
    for look in look_at_probe(record, age_in_days(record.calibrated, today)):
        found.append(f"{look.found[0].lower()}{look.found[1:]}: calibrate it")
    if setup.shelf.setter and any(plan.row == setup.shelf.setter.row for plan in setup.rows):
        found.append(f"{setup.shelf.setter.row} is kept for {setup.shelf.setter.name}: give the job another offset")
    parts = [solid for solid in scene.nominal if solid.role == "part"]
    fixtures = [solid for solid in scene.nominal if solid.role == "fixture"]
    for part, other in itertools.product(parts, fixtures):
        if (depth := _overlap(part, other)) > _DEEP:
            found.append(f"{part.title} lies in {other.title}, {dim(depth, 1)} deep: look at the seat and the turn")
    return found


def _beyond(scene: Scene) -> list[str]:
    """How far the part or the fixture stands out over the table."""
    x0, y0, x1, y1, _ = scene.setup.machine.table
    points = [p for outline in scene.setup.outlines if outline.role not in ("table", "setter") for p in outline.plan[0]]
    if not points:
        return []
    found = []
    for axis, low, high, i in (("X", x0, x1, 0), ("Y", y0, y1, 1)):
        least, most = min(p[i] for p in points), max(p[i] for p in points)
        if most - least > high - low:
            found.append(f"the set-up is {dim(most - least, 0)} long in {axis}, the table {dim(high - low, 0)}")
        elif least < low - 0.5 or most > high + 0.5:
            out = max(low - least, most - high)
            found.append(f"the set-up stands {dim(out, 0)} out over the table in {axis}")
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
