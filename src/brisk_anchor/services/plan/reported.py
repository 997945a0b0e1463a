"""The report of a plan's program made features again, and compared with what the control worked out."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import UTC, datetime

from brisk_anchor.core.errors import PlanError
from brisk_anchor.core.features.measuring import Measurement
from brisk_anchor.core.offsets.setup import Setup
from brisk_anchor.core.quantities import along
from brisk_anchor.nc.programs.control_solution import agreements
from brisk_anchor.nc.programs.reports import RunReport, touches_of
from brisk_anchor.services.measure.features_touched import feature_from
from brisk_anchor.services.measure.limits_stated import stated_of
from brisk_anchor.services.rows.working_state import Measured, WorkingState


def take_report(
    working: WorkingState, setup: Setup, measurements: Sequence[Measurement], tools: int, report: RunReport
) -> None:
    """Features of a report, and whether the control found the same; `tools` touched the setter before them.

    Raises:
        BriskAnchorError: it is incomplete, its touches define nothing, or the control's figures are others.
    """
    if not measurements:
        return
    labels = [f"tool {number}" for number in range(tools)]
    labels += [f"{m.name} {n}" for m in measurements for n in range(1, m.touch_count + 1)]
    touches = touches_of(report, measurements[0].stylus, labels)[tools:]
    for index, m in enumerate(measurements, 1):
        own, touches = touches[: m.touch_count], touches[m.touch_count :]
        key = f"{m.name}, number {index}"
        stated = stated_of(setup, m.name, measurement=key, half_turn=m.options.half_turn)
        feature = feature_from(m, own, stated)
        told = report.solved.get(index, {})
        found = agreements(m, own, told, feature, stated, thorough=False)
        for agreement in found:
            if not agreement.holds:
                of = "r" if agreement.is_angle else ""
                words = f"{along(of, agreement.controls)}, not {along(of, agreement.ours)}"
                raise PlanError(f"The control finds {agreement.label} of {m.name} at {words}", "", "")
        working.measured[m.name] = Measured(m, feature, found, datetime.now(UTC), working.clamping)
