"""What the probe can reach: each drawn feature is measured once on the set-up as described, before anybody does."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from brisk_anchor.core.errors import BriskAnchorError, CrashError, MachineError
from brisk_anchor.core.features.measuring import Measurement
from brisk_anchor.core.features.stated import Stated
from brisk_anchor.core.kinds import Vector
from brisk_anchor.core.offsets.checks import look_at_measurement
from brisk_anchor.core.offsets.setup import DrawnFeature
from brisk_anchor.core.quantities import signed_dim
from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.nc.profile.control_profile import shipped_profile
from brisk_anchor.nc.programs.plan import Plan
from brisk_anchor.nc.programs.reports import parse_reports
from brisk_anchor.nc.programs.steps import AlarmNumber
from brisk_anchor.nc.write.writer import write_program
from brisk_anchor.services.machine.runs import Run
from brisk_anchor.services.measure.clearance import wall_ends
from brisk_anchor.services.measure.features_touched import feature_from, touches_reported
from brisk_anchor.services.measure.measurement_request import build_measurement, point_at
from brisk_anchor.standin.scene import Scene

_REHEARSAL = 9000
"""Number of the program of a rehearsal; nobody sees it."""


_ALARMS: dict[int, str] = {
    AlarmNumber.MISSED: "the ball meets nothing where it is searched for",
    AlarmNumber.SIZE: "what the ball meets has another size",
}
"""What alarms of a rehearsal say of the description, in words: nobody sees the lines they stand in."""
_BESIDE = 0.003
"""How far, mm, the metal of a feature may lie from where it is drawn: descriptions are rounded to a micrometre."""


@dataclass(frozen=True, slots=True)
class Reach:
    """Whether the probe can measure a feature as drawn, and if not, why; in words how its metal differs from it."""

    drawn: DrawnFeature
    reason: str = ""
    beside: str = ""
    breaks: bool = False
    """Whether something other than the ball meets metal on the way."""
    runs_out: bool = False
    """Whether a wall may end below before the widest part of the ball meets it."""


def reaches(scene: Scene) -> list[Reach]:
    """Every drawn feature with what keeps the probe from it: figures, travels, or metal in the way."""
    setup = scene.setup
    result = []
    for drawn in setup.features:
        if drawn.of:
            result.append(Reach(drawn))  # it is never touched itself
            continue
        try:
            measurement = build_measurement(setup, point_at(setup, drawn))
            stops = [look.found for look in look_at_measurement(measurement, setup.machine.travel) if look.stops]
        except BriskAnchorError as error:
            stops = [error.what]
        if stops:
            result.append(Reach(drawn, stops[0]))
        else:
            result.append(rehearsed(scene, drawn, measurement, measurement.height_uncertainty, compare=True))
    return result


def contradictions(found: Sequence[Reach]) -> list[str]:
    """Sentences about features whose solid is described elsewhere, or in another size: what is touched is the solid."""
    return [f"{reach.drawn.title}: its solid is described otherwise, {reach.beside}" for reach in found if reach.beside]


def rehearsed(
    scene: Scene, drawn: DrawnFeature, measurement: Measurement, higher: float, *, compare: bool = False
) -> Reach:
    """What comes of it when it is measured on nominal metal; with `compare` also where it was found.

    `higher` is how far, mm, the metal may really lie above that: a wall must not end within so much below a touch. The
    reach does not depend on the control, so the language that can say most of what went wrong is rehearsed.
    """
    setup = scene.setup
    plan = Plan(_REHEARSAL, "reach", setup.machine.name, setup.part, "", setup.machine.home[2], (measurement,))
    profile = shipped_profile("skip-macro")
    machine = scene.as_described().stand_in(seed=None, position=setup.machine.home)
    if below := wall_ends(machine, measurement, drawn.body or scene.file.job.first_part, higher):
        return Reach(drawn, below, runs_out=True)
    run = Run(write_program(plan, profile), profile, machine)
    run.to_end()
    failure = run.failure()
    if failure is None:
        return Reach(drawn, beside=_beside(drawn, measurement, run) if compare else "")
    if isinstance(failure, CrashError):
        return Reach(drawn, f"the {failure.part} meets {failure.solid} at {_place_words(failure.place)}", breaks=True)
    alarm = run.interpreter.alarm
    if alarm is not None and alarm.number in _ALARMS:
        return Reach(drawn, _ALARMS[alarm.number])
    if isinstance(failure, MachineError) or not machine.hits:
        return Reach(drawn, failure.what)
    return Reach(drawn, f"the probe meets {machine.hits[-1].solid} on its way")


def _place_words(place: Vector) -> str:
    return " ".join(f"{axis}{signed_dim(value, 1)}" for axis, value in zip("XYZ", place, strict=True))


def _beside(drawn: DrawnFeature, measurement: Measurement, run: Run) -> str:
    """How what a finished rehearsal found differs from what is drawn, in words; empty where it does not."""
    stylus = measurement.stylus  # a ball that signals before it touches is told as such, and no solid is blamed for it
    seen = replace(stylus, effective_radius=min(stylus.effective_radius, stylus.ball_diameter / 2))
    try:
        touches = touches_reported(replace(measurement, stylus=seen), parse_reports(run.printed))
        feature = feature_from(measurement, touches, Stated())
    except BriskAnchorError:
        return ""  # of touches that define nothing it is told when they are made
    off = {
        axis: place - drawn.machine["xyz".index(axis)]
        for axis, place in zip(feature.axes, feature.coordinates, strict=True)
        if axis in "xyz"
    }
    sizes = {"D": measurement.size, "E": measurement.size_y}
    if not measurement.known_size:
        off |= {letter: size - (sizes[letter] or size) for letter, size in feature.sizes.items()}
    named = {"D": "size", "E": "size along Y"}
    return ", ".join(
        f"{named.get(what, what.upper())} {signed_dim(way, 3)}" for what, way in off.items() if abs(way) > _BESIDE
    )
