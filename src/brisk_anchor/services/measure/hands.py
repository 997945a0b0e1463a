"""Which measurement by hand a tool can make of what is marked."""

from __future__ import annotations

from brisk_anchor.core.kinds import FeatureKind
from brisk_anchor.core.tools.hand_tools import HandKind, HandTool
from brisk_anchor.services.measure.by_hand import MACHINE, ByHand, BySweep, ByTouch, PositionFrame
from brisk_anchor.services.measure.by_places import ByDial, ByPlaces
from brisk_anchor.services.measure.measurement_request import MeasurementRequest

_PLACES = (FeatureKind.EDGE, FeatureKind.PLANE, FeatureKind.BALL, FeatureKind.TILTED_BORE)


def begin(asking: MeasurementRequest, tool: HandTool, frame: PositionFrame = MACHINE) -> ByHand:
    """The measurement by hand that a tool can make. Raises PlanError."""
    rose = asking.rose
    kind = rose.read().kind
    if tool.kind is HandKind.INDICATOR:
        return (BySweep if len(rose.marks) == 4 else ByDial)(asking, tool, frame)
    free = kind in (FeatureKind.BORE, FeatureKind.BOSS) and len(rose.directions) < 4
    return (ByPlaces if kind in _PLACES or rose.twice or free else ByTouch)(asking, tool, frame)
