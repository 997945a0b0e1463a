"""Plans that go from face to face: which parts are touched, how the table turns, and what it sweeps."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from brisk_anchor.core.errors import Fault, PlanError, PlanFileError
from brisk_anchor.core.features.measuring import Measurement
from brisk_anchor.core.features.probe_path import leaving
from brisk_anchor.core.geometry.rotary import RotaryAxis, table_frame
from brisk_anchor.core.kinds import Vector
from brisk_anchor.core.offsets.checks import Finding
from brisk_anchor.core.offsets.rules import FromFeature, FromRow, FromTable, parent_in
from brisk_anchor.core.offsets.setup import PlaceOnFixture, Setup
from brisk_anchor.core.quantities import dim, num, shown_unit
from brisk_anchor.nc.programs.plan import PlaceCheck
from brisk_anchor.services.plan.plan_file import MeasureSection, PlanFile
from brisk_anchor.standin.scene import Scene

Table = tuple[tuple[str, float], ...]
LEAST_ROOM = 5.0
"""How much room, mm, the tool has beside what a turning table sweeps, over what the part may lie off."""
_CHECK = 0.5
"""How far, mm, a part may be met from where the row of its place has it, where nobody says."""


# -- how the table turns ---------------------------------------------------------------------------------------


def turned_angles(axes: tuple[RotaryAxis, ...], way: str, tables: Sequence[Table]) -> list[Table]:
    """Angles of tables without limits, each by whole turns as `way` has the table go there from the one before.

    "shortest", "clockwise" and "counter-clockwise" (as the angle counts down, or up), or "unwind": never further than
    half a turn from 0, so that it winds back. One with limits goes as it can.
    """
    endless = {axis.letter for axis in axes if axis.low is None and axis.high is None}
    stands = {axis.letter: 0.0 for axis in axes}
    found: list[Table] = []
    for table in tables:
        here = {letter: _turned(stands[letter], angle, way) if letter in endless else angle for letter, angle in table}
        stands |= here
        found.append(tuple(here.items()))
    return found


def _turned(now: float, angle: float, way: str) -> float:
    by = math.fmod(angle - now, 360)
    match way:
        case "clockwise":
            by = by if by <= 0 else by - 360
        case "counter-clockwise":
            by = by if by >= 0 else by + 360
        case "unwind":
            return angle - 360 * math.ceil(angle / 360 - 0.5)
        case _:
            by -= 360 * math.ceil(by / 360 - 0.5)
    return round(now + by, 9)


def look_at_turns(setup: Setup, scene: Scene, measurements: Sequence[Measurement]) -> list[Finding]:
    """Whether the tool is clear of everything that the table sweeps when it turns between two measurements.

    The tool stands at home along Z then, where the last measurement was left across it. What is carried sweeps a ring
    about the axis: as far out as its furthest corner, as long as it is along the axis. Of an axis that carries another
    one it is a ball, as the inner one may stand anywhere.
    """
    looks: dict[str, Finding] = {}
    axes = setup.machine.rotary
    before: Table = ()
    x, y, _ = setup.machine.home
    for m in measurements:
        if m.options.table != before:
            for number, axis in enumerate(axes):
                if dict(m.options.table).get(axis.letter, 0.0) == dict(before).get(axis.letter, 0.0):
                    continue
                room = _room(setup, scene, number, before, (x, y))
                if room < LEAST_ROOM:
                    words = (
                        f"When {axis.letter} turns, what stands on the table comes within {dim(room, 1)} of the tool"
                    )
                    if room < 0:
                        words = (
                            f"When {axis.letter} turns, what stands on the table meets the tool, {dim(-room, 1)} deep"
                        )
                    looks[axis.letter] = Finding.stopping(
                        words,
                        f"It stands at home in Z, at X {num(x, 1)} Y {num(y, 1)}; the parts may lie off",
                        "Take a shorter probe, or a place to turn at that is further off",
                    )
        before = m.options.table
        x, y = leaving(m)
    return list(looks.values())


def _room(setup: Setup, scene: Scene, number: int, before: Table, at: tuple[float, float]) -> float:
    """How far the probe at home stays from what an axis sweeps, mm; below 0 it meets that."""
    axes, stylus = setup.machine.rotary, setup.stylus
    angles = dict(before)
    outer = table_frame(axes[:number], angles)
    centre = np.array(outer.point(axes[number].centre))
    along = outer.turn(axes[number].direction)
    carried = [solid for solid in scene.nominal if solid.carried]
    if not carried:
        return math.inf
    stands = table_frame(axes, angles)
    corners = np.array([stands.point(corner) for solid in carried for corner in _corners(*solid.bounds())])
    away = corners - centre
    level = away @ along
    far = np.linalg.norm(away - level[:, None] * along, axis=1)
    low, high, radius = float(level.min()), float(level.max()), float(far.max())
    if number + 1 < len(axes):  # whatever it carries may stand anywhere round its own axis
        middle = np.array(stands.point(axes[-1].centre))
        ball = float(np.linalg.norm(corners - middle, axis=1).max())
        arm = middle - centre
        radius = float(np.linalg.norm(arm - (arm @ along) * along)) + ball
        low, high = float(arm @ along) - ball, float(arm @ along) + ball
    margin = setup.start_uncertainty
    home = setup.machine.home[2]
    tip = home - stylus.length
    rooms = []
    for bottom, top, r in (
        (tip, tip + stylus.stem_length, stylus.ball_diameter / 2),
        (tip + stylus.stem_length, tip + stylus.stem_length + stylus.body_length, stylus.body_diameter / 2),
        (home, home + 100.0, _NOSE),
    ):
        for z in np.linspace(bottom, top, 12):
            place = np.array((*at, float(z))) - centre
            up = float(place @ along)
            across = float(np.linalg.norm(place - up * along))
            beside = max(low - up, up - high, 0.0)
            rooms.append(math.hypot(max(0.0, across - radius), beside) - r if beside else across - radius - r)
    return min(rooms) - margin


_NOSE = 60.0
"""Radius of the spindle's nose, mm, as far as nobody describes it."""


def _corners(low: Vector, high: Vector) -> list[Vector]:
    return [(x, y, z) for x in (low[0], high[0]) for y in (low[1], high[1]) for z in (low[2], high[2])]


# -- which parts are touched -----------------------------------------------------------------------------------


def _stem(setup: Setup, feature: str, place: PlaceOnFixture) -> str:
    """The name that a feature at a place has on the part's drawing."""
    return feature.removesuffix(f" {place.name}")


def place_check(setup: Setup, section: MeasureSection) -> PlaceCheck | None:
    """The look whether a measured part lies where the row of its place has it; None where none is asked for.

    Raises:
        PlanFileError: it is at no place, or the row takes nothing from such a feature.
    """
    if section.check is None:
        return None
    name = section.known_as
    place = setup.place_of(name)
    if place is None:
        raise PlanFileError(name, (Fault("check", f"{name} is at no place of the fixture"),))
    stem = _stem(setup, name, place)
    for row in place.rows:
        head = row
        rules = setup.row(row).rules
        while (parent := next((p for rule in rules.values() if (p := parent_in(rule))), "")) and parent != head:
            head, rules = parent, setup.row(parent).rules
        if any(not isinstance(rule, FromRow | FromTable) for rule in setup.row(row).rules.values()):
            continue  # it is set from its own part: there is nothing to compare it with
        lies = []
        for axis, rule in rules.items():
            if isinstance(rule, FromFeature) and not rule.other:
                base = setup.place_of(rule.feature)
                if base is not None and _stem(setup, rule.feature, base) == stem:
                    lies.append((axis, rule.drawing - rule.allowance - rule.master))
        if lies:
            return PlaceCheck(name, place.name, row, tuple(lies), section.check, section.on_fail)
    words = f"no row of place {place.name} follows one that takes anything from a “{stem}”"
    raise PlanFileError(name, (Fault("check", words),))


def rules_at_place(setup: Setup, row: str) -> dict[str, FromFeature]:
    """How a row that follows would be set from its own part: the rules it follows, with the features at its place."""
    place = next((place for place in setup.places if row in place.rows and not place.empty), None)
    if place is None:
        return {}
    rules, seen = setup.row(row).rules, {row}
    while (parent := next((p for rule in rules.values() if (p := parent_in(rule))), "")) and parent not in seen:
        seen.add(parent)
        rules = setup.row(parent).rules
    found = {}
    for axis, rule in rules.items():
        base = setup.place_of(rule.feature) if isinstance(rule, FromFeature) and not rule.other else None
        if isinstance(rule, FromFeature) and base is not None:
            found[axis] = replace(rule, feature=f"{_stem(setup, rule.feature, base)} {place.name}")
    return found


def plan_of_places(setup: Setup, which: str, *, by: str = "part", seat: str = "", check: float = _CHECK) -> PlanFile:
    """A plan that sets every row of a job with many places.

    Args:
        setup: the job.
        which: the parts that are touched beside those that rows are set from: "base" (none), "face" (the first of each
            face), "all", or names of places with commas between.
        by: "part" measures all of one part before the next, "feature" one feature on every part.
        seat: a feature that is touched on every part, so that each is looked at.
        check: how far a part may be met from where the row of its place has it, mm.

    Raises:
        PlanError: there are no places, or one of those named is none or empty.
    """
    held = [place for place in setup.places if not place.empty]
    if not held:
        raise PlanError("The fixture has no places", "There is one part on it", "plan new --row makes its plan")
    rows = list(dict.fromkeys(row for place in held for row in place.rows))
    needed = setup.touched(name for row in rows for name in setup.row(row).features)
    stems = list(dict.fromkeys(_stem(setup, n, p) for n in needed if (p := setup.place_of(n)) is not None))
    touched = [place for place in _chosen(held, which) if not any(setup.place_of(n) == place for n in needed)]
    drawn = {feature.name for feature in setup.features}
    sections = [MeasureSection(feature=name) for name in needed]
    extra = [(stem, place) for place in touched for stem in stems]
    if seat:
        if not any(f"{seat} {place.name}" in drawn for place in held):
            raise PlanError(f"Nothing called “{seat[:24]}” is drawn on the part", "", "Name one of its features")
        known = {*extra, *((_stem(setup, n, p), p) for n in needed if (p := setup.place_of(n)) is not None)}
        extra += [(seat, place) for place in held if (seat, place) not in known]
    follows = {
        place.name for place in held if any(parent_in(r) for row in place.rows for r in setup.row(row).rules.values())
    }
    for stem, place in extra:
        sections.append(
            MeasureSection(
                feature=f"{stem} {place.name}", check=check if place.name in follows and stem in stems else None
            )
        )
    if by == "feature":
        order = {stem: n for n, stem in enumerate([*stems, seat])}
        sections.sort(key=lambda s: order.get(_stem_of(setup, s.known_as), len(order)))
    return PlanFile(
        form="brisk-anchor-plan-1",
        units=shown_unit().word,
        name=f"{setup.part} at {len(held)} places"[:60],
        offset=rows[0],
        also=rows[1:],
        order="shortest" if by == "part" else "as listed",
        measure=sections,
    )


def _stem_of(setup: Setup, name: str) -> str:
    place = setup.place_of(name)
    return _stem(setup, name, place) if place is not None else name


def _chosen(held: Sequence[PlaceOnFixture], which: str) -> list[PlaceOnFixture]:
    match which:
        case "base":
            return []
        case "all":
            return list(held)
        case "face":
            first = {place.face: place for place in reversed(held)}
            return [first[face] for face in sorted(first)]
    names = [name.strip() for name in which.split(",") if name.strip()]
    by_name = {place.name: place for place in held}
    if unknown := [name for name in names if name not in by_name]:
        there = f"{held[0].name} to {held[-1].name}"
        raise PlanError(f"No part lies at place {unknown[0][:12]}", f"There are {there}", "base, face, all, or names")
    return [by_name[name] for name in names]


def not_looked_at(setup: Setup, measured: Sequence[str]) -> list[PlaceOnFixture]:
    """Places with a part of which nothing was touched."""
    touched = {place.name for name in measured if (place := setup.place_of(name)) is not None}
    return [place for place in setup.places if not place.empty and place.name not in touched]
