"""Measuring what a drawing asks for: every feature that its characteristics, and the rows they count from, need."""

from __future__ import annotations

from brisk_anchor.core.offsets.setup import PlaceOnFixture
from brisk_anchor.services.measure.measurement_request import build_measurement, point_at
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


def measure_asked(inspection: Inspection, place: PlaceOnFixture | None = None) -> list[str]:
    """Measure them one after the other, without a screen; returns their names. Raises like measuring does."""
    session = inspection.session
    names = features_needed(inspection, place)
    for name in names:
        request = point_at(session.setup, session.setup.drawn(name))
        session.runner.measure(build_measurement(session.setup, request))
    return names
