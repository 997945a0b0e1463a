"""Measuring what a drawing asks for: every feature that its characteristics, and the rows they count from, need."""

from __future__ import annotations

from collections.abc import Callable

from brisk_anchor.core.errors import PlanError
from brisk_anchor.core.offsets.setup import PlaceOnFixture
from brisk_anchor.services.measure.measurement_request import build_measurement, point_at
from brisk_anchor.services.plan.plan_file import PlanFile, plan_of_features
from brisk_anchor.services.results.inspection import Inspection


def features_needed(inspection: Inspection, place: PlaceOnFixture | None = None) -> list[str]:
    """Names of drawn features, datums first and in their order, each once; built ones by what they are made of."""
    setup = inspection.setup
    datums: list[str] = []
    others: list[str] = []
    for asked in inspection.asked_at(place):
        made = asked.characteristic
        datums += made.datums
        if made.row and made.what.counts_from_row:
            datums += setup.row(made.row).features
        others += made.names
    drawn = {feature.name for feature in setup.features}
    return [name for name in setup.touched([*datums, *others]) if name in drawn]


def inspection_plan(inspection: Inspection, place: PlaceOnFixture | None = None) -> PlanFile:
    """A plan that measures them by one program."""
    return plan_of_features("inspect", None, features_needed(inspection, place))


def measure_asked(
    inspection: Inspection, place: PlaceOnFixture | None = None, *, halted: Callable[[], bool] = lambda: False
) -> list[str]:
    """Measure them one after the other, without a screen, until `halted`; returns their names.

    Raises:
        PlanError: it was ended on the way. BriskAnchorError: like measuring does.
    """
    session = inspection.session
    names = features_needed(inspection, place)
    for done, name in enumerate(names):
        if halted():
            raise PlanError(f"Ended after {done} of {len(names)} features", "What was measured until then is kept", "")
        request = point_at(session.setup, session.setup.drawn(name))
        session.runner.measure(build_measurement(session.setup, request))
    return names
