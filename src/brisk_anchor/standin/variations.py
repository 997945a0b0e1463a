"""Real-life parts within what is stated: position, skew, height and sizes drawn for a proof, one set a number."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import replace

import numpy as np

from brisk_anchor.core.geometry.frames import Frame
from brisk_anchor.core.geometry.rotary import carried, table_frame
from brisk_anchor.core.kinds import FeatureKind, Vector
from brisk_anchor.standin.scene import Scene, nominal_frame, real_frame, real_solids
from brisk_anchor.standin.scene_file import BodySection, FeatureSection, RealBodySection, SceneFile
from brisk_anchor.standin.solid_file import RealSolidSection, SolidSection

SIZE_SHARE = 0.8
"""Sizes differ by up to this share of what the size guard allows, so that a sound part is never told wrong."""
GROWTH_SHARE = 0.2
"""And they move a wall by no more than this share of the stated uncertainty; the rest is the part's own place."""
TILT = 0.03
"""How far, degrees, a part may lean in its seat."""


Measured = tuple[str, Vector, tuple[tuple[str, float], ...]]
"""What is measured, where (machine mm of the tip), and where rotary axes stand then."""


def varied(scene: Scene, measured: Iterable[Measured], roll: int, *, beyond: float = 1.0) -> Scene:
    """The scene with other real-life parts in it; `roll` 0 is the scene as it is set up.

    Args:
        measured: what is measured, by name, with the nominal place of each as it is measured.
        beyond: how many times the stated uncertainty they may lie off. Up to 1 every place lies within it.

    Every body that something is measured on is moved and turned, and its sizes are changed; the others stay.
    """
    if not roll:
        return scene
    random = np.random.default_rng([roll, 4711])
    if scene.file.place:
        return _varied_places(scene, random, beyond)
    setup, file = scene.setup, scene.file
    by_name = {section.name: section for section in file.feature}
    places: dict[str, list[tuple[Vector, FeatureSection | None]]] = {}
    stances = {body.name: body.stance for body in file.body}
    for name, place, table in measured:
        section = by_name.get(name)
        own = section.body if section else file.job.first_part
        # A body's errors are those it has as it is placed, with rotary axes at its stance.
        placed = carried(place, setup.machine.rotary, dict(table), stances.get(own, {}))
        places.setdefault(own, []).append((placed, section))
    bodies = []
    for body in file.body:
        if body.name not in places or body.role == "drawn":
            bodies.append(body)
            continue
        sections = [section for _, section in places[body.name] if section is not None]
        solids, grown = _sized(body, sections, random, setup.start_uncertainty)
        limits = (beyond * setup.start_uncertainty - grown, beyond * setup.turn_uncertainty)
        real = _placed(body, [place for place, _ in places[body.name]], limits, random)
        bodies.append(body.model_copy(update={"solid": solids, "real": real}))
    probe = _other_length(file, float(random.normal(0.0, setup.stylus.u_length)))
    other = file.model_copy(update={"body": bodies, "probe": probe})
    return replace(scene, file=other, solids=(scene.solids[0], *real_solids(other)))


def carried_off(off: RealBodySection, own: RealBodySection, at: Vector, body_at: Vector) -> RealBodySection:
    """Where a body really lies that is located on another one which lies `off` itself; both are placed at `at`s, mm."""
    if not any(off.shift) and not any(off.turn):
        return own
    a, b, c = off.turn
    away = np.array(body_at) - np.array(at)
    swung = Frame.from_angles(off.shift, a=a, b=b, c=c).apply(away) - away
    x, y, z = (float(v) for v in np.array(own.shift) + swung)
    u, v, w = (one + other for one, other in zip(own.turn, off.turn, strict=True))
    return RealBodySection(shift=(x, y, z), turn=(u, v, w))


def _varied_places(scene: Scene, random: np.random.Generator, beyond: float) -> Scene:
    """A fixture with many parts: it stands shifted on its table as a whole, by up to half the stated uncertainty; each
    face and each part lies off by its own, and the table turns about a centre that is only as well known as is stated.
    """
    file, axes = scene.file, scene.setup.machine.rotary
    limit = beyond * scene.setup.start_uncertainty / 2
    shift = random.uniform(-limit, limit, 3)
    own: dict[str, RealBodySection] = {}
    placed: dict[str, BodySection] = {}
    for body in file.body:
        if body.within is None and not body.stance:
            continue
        within = body.within or RealBodySection()
        drawn = RealBodySection(
            shift=tuple(float(random.uniform(-v, v)) for v in within.shift),  # type: ignore[arg-type]
            turn=tuple(float(random.uniform(-v, v)) for v in within.turn),  # type: ignore[arg-type]
        )
        if body.lies_on is not None and body.lies_on in own:
            drawn = carried_off(own[body.lies_on], drawn, placed[body.lies_on].at, body.at)
        own[body.name], placed[body.name] = drawn, body
    bodies = []
    for body in file.body:
        moved = table_frame(axes, body.stance).turn(shift) if body.on == "rotary table" else shift
        known = own.get(body.name, RealBodySection())
        x, y, z = (float(a + b) for a, b in zip(known.shift, moved, strict=True))
        real = known.model_copy(update={"shift": (x, y, z)})
        bodies.append(body.model_copy(update={"real": real}) if body.role in ("part", "fixture") else body)
    rotary = []
    for axis in file.machine.rotary:
        off = tuple(float(v) for v in random.normal(0.0, axis.u_centre or 0.0, 3))
        lean = tuple(float(v) for v in random.normal(0.0, axis.u_direction, 3))
        rotary.append(axis.model_copy(update={"real_shift": off, "real_turn": lean}))
    machine = file.machine.model_copy(update={"rotary": rotary})
    probe = _other_length(file, float(random.normal(0.0, scene.setup.stylus.u_length)))
    other = file.model_copy(update={"body": bodies, "probe": probe, "machine": machine})
    return replace(scene, file=other, solids=(scene.solids[0], *real_solids(other)))


def _other_length(file: SceneFile, by: float) -> object:
    real = file.probe.real.model_copy(update={"length": file.probe.real.length + by})
    return file.probe.model_copy(update={"real": real})


def _placed(
    body: BodySection, places: list[Vector], limits: tuple[float, float], random: np.random.Generator
) -> object:
    """Shift and turn that bring every place no further than `limits` (mm, degrees) from where it is described."""
    allowed, turning = limits
    shift = random.uniform(-allowed, allowed, 3)
    tilt = random.uniform(-TILT, TILT, 2)
    skew = float(random.uniform(-turning, turning))
    stands = np.array(places).reshape(-1, 3)
    local = nominal_frame(body).inverse().apply(stands)
    share = 1.0
    for _ in range(30):
        real = body.real.model_copy(
            update={"shift": tuple(float(v) * share for v in shift), "turn": (*map(float, tilt * share), skew * share)}
        )
        moved = real_frame(body.model_copy(update={"real": real})).apply(local) - stands
        worst = float(np.abs(moved).max(initial=0.0))
        if worst <= allowed:
            break
        share *= min(0.98, allowed / worst)
    return real


def _sized(
    body: BodySection, sections: list[FeatureSection], random: np.random.Generator, uncertainty: float
) -> tuple[list[SolidSection], float]:
    """The solids with other sizes of what is measured, and how far, mm, that moves a wall at most."""
    most = GROWTH_SHARE * uncertainty
    solids, grown = [], 0.0
    for solid in body.solid:
        for section in (s for s in sections if s.solid == solid.name):
            limit = min(SIZE_SHARE * (section.size_limit or 0.0), 2 * most)
            change = float(random.uniform(-limit, limit))
            other = _other_size(solid, section, change, float(random.uniform(-most, most)))
            if other is not solid:
                by = most if section.kind in ("surface", "plane") else abs(change) / 2
                solid, grown = other, max(grown, by)
        solids.append(solid)
    return solids, grown


def _near(a: tuple[float, ...], b: tuple[float, ...]) -> bool:
    return math.dist(a[:2], b[:2]) < 1e-6


def _other_size(solid: SolidSection, section: FeatureSection, change: float, rise: float) -> SolidSection:
    """The solid with one feature of another size, or its top at another height."""
    kind, place = FeatureKind(section.kind), section.place
    if kind is FeatureKind.BORE:
        holes = [
            hole.model_copy(update={"real_diameter": hole.diameter + change}) if _near(hole.at, place) else hole
            for hole in solid.holes
        ]
        return solid.model_copy(update={"holes": holes})
    if kind is FeatureKind.BOSS and solid.shape == "round" and solid.centre and _near(solid.centre, place):
        return solid.model_copy(update={"real_diameter": (solid.diameter or 0.0) + change})
    if kind in (FeatureKind.SLOT, FeatureKind.POCKET):
        slots = [
            slot.model_copy(update=_wider(slot.low, slot.high, change))
            if slot.low and slot.high and _near(_middle(slot.low, slot.high), place)
            else slot
            for slot in solid.slots
        ]
        return solid.model_copy(update={"slots": slots})
    if kind in (FeatureKind.WEB, FeatureKind.BLOCK) and solid.low and solid.high:
        if _near(_middle(solid.low, solid.high), place):
            return solid.model_copy(update=_wider(solid.low, solid.high, change))
        return solid
    top = kind in (FeatureKind.SURFACE, FeatureKind.PLANE) and section.walls == ["BELOW"]
    if top and solid.shape not in ("ball", "cone"):
        before = solid.real or RealSolidSection()
        return solid.model_copy(update={"real": before.model_copy(update={"rise": rise})})
    return solid


def _middle(low: tuple[float, float], high: tuple[float, float]) -> tuple[float, float]:
    return (low[0] + high[0]) / 2, (low[1] + high[1]) / 2


def _wider(low: tuple[float, float], high: tuple[float, float], change: float) -> dict[str, tuple[float, float]]:
    return {"real_size": (high[0] - low[0] + change, high[1] - low[1] + change)}
