"""From what is asked for to a measurement, its second look and the program that makes it."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import replace
from typing import TYPE_CHECKING

from brisk_anchor.core.features.measurement_options import AS_USUAL, MeasurementOptions
from brisk_anchor.core.features.measuring import Measurement
from brisk_anchor.core.offsets.checks import (
    EDGE_TOUCHED,
    LESS_DEEP,
    Finding,
    look_at_measurement,
    look_at_one_touch,
    look_at_start,
    stop_where_found,
)
from brisk_anchor.core.offsets.setup import DrawnFeature, Setup, stands_so
from brisk_anchor.core.offsets.tool_setting import look_at_probe
from brisk_anchor.nc.profile.control_profile import Profile
from brisk_anchor.nc.programs.program import Program
from brisk_anchor.nc.write.writer import write_program
from brisk_anchor.services.measure.face_check import look_at_faces
from brisk_anchor.services.measure.found_features import KnownTop, next_name, top_under, with_proposals
from brisk_anchor.services.measure.measured_tops import from_top, tops_of
from brisk_anchor.services.measure.measurement_request import (
    MeasurementRequest,
    build_measurement,
    point_at,
    recognise,
)
from brisk_anchor.services.measure.reach import Reach, rehearsed
from brisk_anchor.services.rows.program_heads import ProgramHeads
from brisk_anchor.services.rows.working_state import WorkingState

if TYPE_CHECKING:
    from brisk_anchor.standin.scene import Scene

_REHEARSALS = 64
"""How many rehearsals on nominal metal are kept."""


class MeasurementPlanner:
    """Makes measurements ready. It reads and never changes anything."""

    def __init__(
        self, working: WorkingState, profile: Profile, heads: ProgramHeads, angles: Callable[[], Mapping[str, float]]
    ) -> None:
        """`angles` tells where rotary axes stand now, degrees."""
        self._working = working
        self._profile = profile
        self._heads = heads
        self._angles = angles
        self._rehearsed: dict[tuple[Measurement, float], Reach] = {}
        self._rehearsed_on: Scene | None = None

    def look(self, measurement: Measurement) -> list[Finding]:
        """Second look before a measurement; a probe that is to be calibrated may measure, and says so."""
        working, setup = self._working, self._working.setup
        probe = [replace(look, stops=False) for look in look_at_probe(setup.shelf.probe, working.calibration_age)]
        drawn = next((feature for feature in setup.features if feature.name == measurement.name), None)
        centred = look_at_start(measurement, drawn.machine) if drawn else []
        beside = look_at_faces(working.scene, measurement)
        turned = [] if self._is_drawn(measurement.name) else look_at_one_touch(measurement)
        return look_at_measurement(measurement, setup.machine.travel) + beside + centred + turned + probe

    def look_before_moving(self, measurement: Measurement) -> list[Finding]:
        """The second look before the machine moves: also whether the probe has room on the set-up as described."""
        looks = self.look(measurement)
        return looks if any(look.stops for look in looks) else looks + self._look_at_metal(measurement)

    def _look_at_metal(self, measurement: Measurement) -> list[Finding]:
        """What a rehearsal on nominal metal meets; what was marked by hand lies where the tip is, wherever drawn."""
        working = self._working
        drawn = next((drawn for drawn in working.setup.features if drawn.name == measurement.name), None)
        if drawn is None or drawn.found:
            return []
        if self._rehearsed_on is not working.scene or len(self._rehearsed) > _REHEARSALS:
            self._rehearsed, self._rehearsed_on = {}, working.scene
        plain = _as_described(measurement, working.scene.setup.stylus.length)
        higher = measurement.height_uncertainty
        if (plain, higher) not in self._rehearsed:
            self._rehearsed[plain, higher] = rehearsed(working.scene, drawn, plain, higher)
        reach = self._rehearsed[plain, higher]
        if not reach.reason:
            return []
        found, title = f"By the description {reach.reason}", measurement.title or measurement.name
        if reach.breaks:
            do = "Touch it elsewhere or less deep, or correct the description"
            return [Finding.stopping(found, f"{title} cannot be measured so without breaking something", do)]
        if reach.runs_out:
            return [Finding.stopping(found, EDGE_TOUCHED, LESS_DEEP)]
        return [Finding.warning(found, f"The program of {title} would stop there", "Look at the set-up before it runs")]

    def pointed_at(self, drawn: DrawnFeature) -> MeasurementRequest:
        """What asks for a feature: as the drawing has it, or as it was asked for when it was found."""
        known = self._working.requests.get(drawn.name)
        return point_at(self._working.setup, drawn) if known is None else replace(known, drawn=drawn)

    def asked_again(self, request: MeasurementRequest, made_in: Setup) -> MeasurementRequest | None:
        """A request for a feature that was made in another set-up; None where there is none of that name any more.

        What was typed of it stays as long as the drawing asks for the same as before. Where the part lies elsewhere, or
        another stylus measures, the old figures are another place's: it is asked for as it is drawn now.
        """
        assert request.drawn is not None
        setup, name = self._working.setup, request.drawn.name
        drawn = next((drawn for drawn in setup.features if drawn.name == name), None)
        if drawn is None:
            return None
        same = drawn.found or point_at(setup, drawn) == replace(point_at(made_in, request.drawn), drawn=drawn)
        return replace(request, drawn=drawn) if same else self.pointed_at(drawn)

    def asked(self, request: MeasurementRequest) -> MeasurementRequest:
        """What is asked for, whole: the drawn feature that hand-marked walls must mean, else a name and proposals."""
        working = self._working
        setup = working.setup
        if request.drawn is None:  # what lies there with the table as it stands, not what another angle brings there
            here = tuple(f for f in setup.features if stands_so(f.table, self._angles()))
            request = recognise(replace(setup, features=here), request)
        kind = request.pattern.read().kind
        if request.is_drawn or kind is None:
            return request
        if request.drawn is None:
            request = replace(request, called=next_name(kind, (feature.name for feature in setup.features)))
        return with_proposals(setup, request, self._top_of(request))

    def _top_of(self, request: MeasurementRequest) -> KnownTop | None:
        """The top that what is asked for has, as far as it was measured since the last clamping."""
        x, y, z = request.start
        tip = (x, y, z - self._working.setup.stylus.length)
        return top_under(self._working.tops(self._angles()), tip)

    def measurement_of(self, request: MeasurementRequest) -> Measurement:
        """The measurement that is asked for, its depth counted from its own top where that was measured already.

        Raises:
            PlanError: marks that are no feature, or a figure that is missing or makes no sense.
        """
        setup = self._working.setup
        request = self.asked(request)
        # What stands on no drawing is measured as the table stands, and is known to have been.
        marked = request.drawn is None and setup.machine.connected
        options = MeasurementOptions(table=tuple(self._angles().items())) if marked else AS_USUAL
        measurement = build_measurement(setup, request, options)
        if not request.is_drawn:
            under = self._top_of(request)
            if under is None or not measurement.touches_walls or not measurement.depth:
                return measurement
            return from_top(measurement, under.name, under.place[2], under.place[2])
        counted = self.from_measured_top(measurement)
        top, drawn = counted.top, request.drawn
        if top is None or top.found is None or drawn is None or measurement.starts_over:
            return counted
        if math.isclose(request.start[2], point_at(setup, drawn).start[2], abs_tol=1e-6):
            return counted
        # The tip was brought here by hand: it stays where it is, and how deep that is follows from the top.
        depth = top.found - (request.start[2] - measurement.stylus.length)
        return replace(measurement, depth=depth, top=replace(top, nominal=top.found))

    def from_measured_top(self, measurement: Measurement) -> Measurement:
        """The measurement with its depths counted from its own top, where that was measured since the last clamping."""
        if not measurement.touches_walls:
            return measurement
        for face in tops_of(self._working.setup, measurement.name):
            if not self._working.holds(face.name):
                continue
            known = self._working.measured[face.name]
            table = known.measurement.options.table if known.measurement is not None else ()
            if "z" in known.feature.axes and table == measurement.options.table:
                z = known.feature.coordinates[known.feature.axes.index("z")]
                return from_top(measurement, face.name, face.machine[2], z)
        return measurement

    def measuring_program(self, measurement: Measurement) -> Program:
        """The program that makes one measurement and stores nothing.

        Raises:
            SecondLookError: a finding stops. PlanError: it cannot be written.
        """
        stop_where_found(self.look_before_moving(measurement))
        title = f"measure {measurement.title or measurement.name}"
        plan = self._heads.plan_of(self._heads.first_number, title, [measurement], None)
        if not self._is_drawn(measurement.name):
            plan = replace(plan, back_to=measurement.start)  # the tip was brought there by eye, for more than one touch
        return write_program(plan, self._profile)

    def _is_drawn(self, name: str) -> bool:
        return any(drawn.name == name and not drawn.found for drawn in self._working.setup.features)


def _as_described(measurement: Measurement, length: float) -> Measurement:
    """The same, touched at the same places of the nominal set-up with a probe as long as it is described there, mm.

    A top that was measured is not where the nominal one is, and a probe that was measured is not as long.
    """
    (x, y, z), longer = measurement.start, length - measurement.stylus.length
    stylus, raised = replace(measurement.stylus, length=length), measurement.clear_z + longer
    return replace(measurement, top=None, stylus=stylus, start=(x, y, z + longer), clear_z=raised)
