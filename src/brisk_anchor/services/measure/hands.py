"""Which measurement by hand a tool can make of what is marked."""

from __future__ import annotations

from brisk_anchor.core.kinds import FeatureKind
from brisk_anchor.core.tools.hand_tools import HandKind, HandTool
from brisk_anchor.services.measure.by_hand import MACHINE, ByHand, BySweep, ByTouch, PositionFrame
from brisk_anchor.services.measure.by_places import ByDial, ByPlaces
from brisk_anchor.services.measure.measurement_request import MeasurementRequest

_PLACES = (FeatureKind.EDGE, FeatureKind.PLANE, FeatureKind.BALL, FeatureKind.TILTED_BORE)


def begin(request: MeasurementRequest, tool: HandTool, frame: PositionFrame = MACHINE) -> ByHand:
    """The measurement by hand that a tool can make. Raises PlanError."""
    pattern = request.pattern
    kind = pattern.read().kind
    if tool.kind is HandKind.INDICATOR:
        return (BySweep if len(pattern.marks) == 4 else ByDial)(request, tool, frame)
    free = kind is not None and kind.may_be_free and len(pattern.directions) < 4
    return (ByPlaces if kind in _PLACES or pattern.twice or free else ByTouch)(request, tool, frame)
