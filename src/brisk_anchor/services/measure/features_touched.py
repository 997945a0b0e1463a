"""Features from the touches that were made for them, as a report tells these."""

from __future__ import annotations

from collections.abc import Sequence

from brisk_anchor.core.features.feature import Feature
from brisk_anchor.core.features.measuring import Measurement
from brisk_anchor.core.features.solving import solve
from brisk_anchor.core.features.stated import Stated
from brisk_anchor.core.features.touches import Touch, without_run_out
from brisk_anchor.core.uncertainty.coverage import u_within
from brisk_anchor.nc.programs.reports import RunReport, touches_of


def touches_reported(measurement: Measurement, report: RunReport) -> list[Touch]:
    """All touches of a measurement from the report of its program. Raises ReportError: some are missing."""
    labels = [f"{measurement.name} {number}" for number in range(1, measurement.touch_count + 1)]
    return touches_of(report, measurement.stylus, labels, measurement.options.touch_feed)


def touches_from(measurement: Measurement, made: Sequence[Touch]) -> tuple[Touch, ...]:
    """Of the touches that were made, those the feature is worked out from."""
    counted = measurement.counted(made)
    return tuple(without_run_out(counted, measurement.repeats) if measurement.options.half_turn else counted)


def feature_of_touches(measurement: Measurement, touches: tuple[Touch, ...], stated: Stated) -> Feature:
    """The feature of a measurement from the touches that count. Raises GeometryError: they define nothing."""
    if not measurement.known_size:
        return solve(measurement.name, measurement.kind, touches, stated=stated)
    off = u_within(measurement.size_limit)
    return solve(measurement.name, measurement.kind, touches, diameter=measurement.size, u_diameter=off, stated=stated)


def feature_from(measurement: Measurement, made: Sequence[Touch], stated: Stated) -> Feature:
    """The feature of a measurement from the touches it made. Raises GeometryError: they define nothing."""
    return feature_of_touches(measurement, touches_from(measurement, made), stated)
