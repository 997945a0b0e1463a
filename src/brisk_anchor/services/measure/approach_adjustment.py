"""What is proposed otherwise than usual because of what stands near: a start nearer to the wall, a higher hop."""

from __future__ import annotations

from dataclasses import replace

from brisk_anchor.core.errors import PlanError
from brisk_anchor.core.features.measurement_options import MeasurementOptions
from brisk_anchor.core.features.measuring import Measurement, propose_depth, propose_depth_check
from brisk_anchor.core.features.probe_path import between
from brisk_anchor.core.features.touch_pattern import Wall
from brisk_anchor.core.offsets.setup import DrawnFeature, Setup
from brisk_anchor.services.measure.clearance import NEARBY, Clearances
from brisk_anchor.services.measure.measurement_request import MeasurementRequest, build_measurement

ROOM_BEHIND = 1.0
"""How much more than the stated uncertainty, mm, is wanted between the ball and other metal where it begins."""
_NEARER = (6.0, 5.0, 4.0, 3.0, 2.5)
"""Distances before a wall, mm, that are tried where the usual one leaves no room behind the ball."""


def stand_off(setup: Setup, request: MeasurementRequest, drawn: DrawnFeature, standoff: float) -> MeasurementRequest:
    """The same from another distance before the wall. Raises PlanError where there is none to choose."""
    if drawn.kind.is_paired:
        what = f"{drawn.title} is measured from its middle"
        raise PlanError(what, "How far its walls are is in its size", "Leave standoff out")
    before = request.reach or 0.0
    x, y, z = (
        a + (before - standoff) * sum(wall.direction[i] for wall in request.pattern.marks)
        for i, a in enumerate(request.start)
    )
    return replace(request, start=(x, y, z), reach=standoff)


def room_behind(
    setup: Setup, request: MeasurementRequest, way: MeasurementOptions, usual: Measurement, neighbours: Clearances
) -> Measurement:
    """The measurement from nearer to its wall, where other metal stands too near to where it would usually begin."""
    drawn, kind = request.drawn, usual.kind
    if drawn is None or kind.is_paired or (kind.is_corner and kind.is_outside) or request.pattern.marks == {Wall.BELOW}:
        return usual

    def room(measurement: Measurement) -> float:
        near = neighbours.room(measurement)
        return NEARBY if near is None else min(near.distance, measurement.standoff)

    best = usual
    for standoff in (distance for distance in _NEARER if distance > usual.slack):
        if room(best) >= usual.start_uncertainty + ROOM_BEHIND:
            break
        nearer = build_measurement(setup, stand_off(setup, request, drawn, standoff), way)
        best = nearer if room(nearer) > room(best) + 1e-6 else best
    return best


def deepest(usual: Measurement, neighbours: Clearances) -> Measurement:
    """The measurement with a depth check, where its edge may lie too low and metal below keeps it from going deeper."""
    if usual.deep_enough or usual.depth_check or not usual.depth_known:
        return usual
    ball = usual.stylus.ball_diameter
    checked = replace(usual, options=replace(usual.options, depth_check=propose_depth_check(ball)))
    deeper = propose_depth(ball, usual.height_uncertainty) - usual.depth
    return checked if checked.depth_is_checked and not neighbours.may_go_deeper(usual, deeper) else usual


def over_neighbours(usual: Measurement, neighbours: Clearances) -> Measurement:
    """The measurement with the highest hop there is, where other metal stands nearer beside the usual one."""
    if not usual.hops or usual.hop_height == usual.drop:
        return usual
    near = neighbours.beside(usual, between(usual))
    if near is None:
        return usual
    high = replace(usual, options=replace(usual.options, hop=usual.drop))
    still = neighbours.beside(high, between(high))
    return high if still is None or still.distance > near.distance + 1e-6 else usual
