"""What the probe can reach: each drawn feature is measured once on the set-up as described, before anybody does."""

from __future__ import annotations

from dataclasses import dataclass

from brisk_anchor.core.errors import BriskAnchorError, MachineError
from brisk_anchor.core.features.measuring import Measurement
from brisk_anchor.core.offsets.checks import look_at_measurement
from brisk_anchor.core.offsets.setup import DrawnFeature
from brisk_anchor.nc.profile.control_profile import shipped_profile
from brisk_anchor.nc.programs.plan import Plan
from brisk_anchor.nc.write.writer import write_program
from brisk_anchor.services.machine.runs import Run
from brisk_anchor.services.measure.measurement_request import build_measurement, point_at
from brisk_anchor.standin.scene import Scene

_REHEARSAL = 9000
"""Number of the program of a rehearsal; nobody sees it."""


@dataclass(frozen=True, slots=True)
class Reach:
    """Whether the probe can measure a feature as drawn, and if not, why."""

    drawn: DrawnFeature
    reason: str = ""


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
        result.append(Reach(drawn, stops[0] if stops else _met(scene, measurement)))
    return result


def _met(scene: Scene, measurement: Measurement) -> str:
    """What goes wrong when it is measured on nominal metal, empty when nothing does.

    The reach does not depend on the control, so the language that can say most of what went wrong is rehearsed.
    """
    setup = scene.setup
    plan = Plan(_REHEARSAL, "reach", setup.machine.name, setup.part, "", setup.machine.home[2], (measurement,))
    profile = shipped_profile("skip-macro")
    machine = scene.as_described().stand_in(seed=None, position=setup.machine.home)
    run = Run(write_program(plan, profile), profile, machine)
    run.to_end()
    failure = run.failure()
    if failure is None:
        return ""
    if isinstance(failure, MachineError) or not machine.hits:
        return failure.what
    return f"the probe meets {machine.hits[-1].solid} on its way"
