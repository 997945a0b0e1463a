"""Outlines of everything on a lathe in half-section: rings of corners (Z, radius), mm. Picture and stand-in share them.

Tools count from their tip, everything else in machine Z of a tip. Radii are radii here, as the section is.
"""

from __future__ import annotations

import math

from brisk_anchor.core.turning.setup import LatheSetup, Pair
from brisk_anchor.core.turning.tools import ToolKind, TurningTool
from brisk_anchor.lazy_dataclass import dataclass

Ring = tuple[tuple[float, float], ...]
"""Corners (Z, radius) of a closed outline; the last joins the first."""

DISC = 80.0
"""Radius of the turret's disc without its tools, mm."""
_TURRET_DEEP, _CHUCK_DEEP, _QUILL_LONG = 120.0, 60.0, 150.0
_RELIEF = 1.0 / 12.0
"""How much an edge leans away from what it has cut."""
_INSERT, _SHANK, _HALF_SHANK = 12.0, 25.0, 12.5


def box(z: tuple[float, float], radius: tuple[float, float]) -> Ring:
    """A rectangle."""
    return ((z[0], radius[0]), (z[1], radius[0]), (z[1], radius[1]), (z[0], radius[1]))


def cutting_edge(tool: TurningTool) -> Ring:
    """What of a tool may meet turning metal, from its tip: convex."""
    lean = _INSERT * _RELIEF
    match tool.kind:
        case ToolKind.OUTSIDE:
            return ((0.0, 0.0), (_INSERT, lean), (_INSERT + lean, _INSERT + lean), (lean, _INSERT))
        case ToolKind.BORING:
            deep = min(_INSERT, tool.size * 0.6)
            return ((0.0, 0.0), (deep, -deep * _RELIEF), (deep, -deep), (deep * _RELIEF, -deep))
        case ToolKind.DRILL:
            point, half = tool.size * 0.3, tool.size / 2
            return ((0.0, 0.0), (point, half), (tool.sticks_out, half), (tool.sticks_out, -half), (point, -half))
    low = 0.0 if tool.edge == "chuck" else -tool.width
    lean = min(0.1, tool.width * 0.05)
    return (
        (low, 0.0),
        (low + tool.width, 0.0),
        (low + tool.width - lean, tool.sticks_out),
        (low + lean, tool.sticks_out),
    )


def tool_body(tool: TurningTool, reach: Pair) -> tuple[Ring, ...]:
    """What of a tool may meet nothing, from its tip: convex rings.

    `reach` is how far the turret's centre stands from the tip (a radius), and the turret's face, mm.
    """
    outer, face = max(reach[0] - DISC, _INSERT + 1), max(reach[1], _SHANK + 2)
    match tool.kind:
        case ToolKind.OUTSIDE:
            return (box((2.0, face), (_INSERT - 1, outer)),)
        case ToolKind.BORING:
            return (box((3.0, face), (-tool.size - 0.5, -1.5)),)
        case ToolKind.DRILL:
            return (box((tool.sticks_out, max(face, tool.sticks_out + 5)), (-_HALF_SHANK, _HALF_SHANK)),)
    low = 0.0 if tool.edge == "chuck" else -tool.width
    return (box((low - 1.0, low + tool.width + _SHANK), (tool.sticks_out, max(outer, tool.sticks_out + 5))),)


@dataclass(frozen=True, slots=True)
class TurretAround:
    """The turret with its other tools as they stand while one is at the work: names and rings from that one's tip."""

    name: str
    ring: Ring


def turret_around(
    setup: LatheSetup, active: TurningTool, reaches: dict[int, Pair], tip_radius: float
) -> list[TurretAround]:
    """The turret and the other tools in it, from the tip of the one at the work.

    Its neighbours stand aside of the section by the turret's turn; each is drawn where it comes nearest to the axis of
    the spindle: `√((c − r cos φ)² + (r sin φ)²)`, with the turret's centre c from the axis and a tool that reaches r.

    Args:
        setup: the set-up; its turret has so many stations.
        active: the tool at the work.
        reaches: by offset number how far the turret's centre (a radius) and its face stand from the tip, mm.
        tip_radius: where the tip stands from the axis now, mm.
    """
    across, along = reaches[active.offset]
    centre = tip_radius + across
    found = [
        TurretAround("turret", box((along, along + _TURRET_DEEP), (across - DISC, across + DISC))),
    ]
    for tool in setup.tools:
        if tool.station == active.station:
            continue
        turn = math.radians((tool.station - active.station) * 360.0 / setup.lathe.stations)
        reach, long = reaches[tool.offset]
        near = math.hypot(centre - reach * math.cos(turn), reach * math.sin(turn)) - _HALF_SHANK
        side = 1.0 if centre >= reach * math.cos(turn) else -1.0
        low = side * max(near, 0.0) - tip_radius
        tip = along - long
        found.append(TurretAround(f"T{tool.station} beside it", box((tip, along), (low, low + _SHANK))))
    return found


def swept_by_index(setup: LatheSetup, reaches: dict[int, Pair], centre: float, face: float) -> Ring:
    """What the tools of the turret pass through when it turns: from the nearest to the axis outwards, machine Z."""
    longest = max(reaches[tool.offset][0] for tool in setup.tools)
    deepest = max(reaches[tool.offset][1] for tool in setup.tools)
    return box((face - deepest, face + _TURRET_DEEP), (centre - longest, centre + longest))


def stock_ring(setup: LatheSetup, jaws: float) -> Ring:
    """The stock before anything is cut, half of its section, in machine Z; `jaws` is where their face stands."""
    front = jaws + setup.holding.stands_out + setup.stock.front
    back = jaws + setup.holding.stands_out - setup.part.length - setup.stock.back
    return box((back, front), (setup.stock.bore / 2, setup.stock.diameter / 2))


def part_ring(setup: LatheSetup, zero: float) -> Ring:
    """The finished part, half of its section; `zero` is where its finished front face stands, machine Z."""
    return tuple((zero + z, diameter / 2) for z, diameter in setup.part.section()[:-1])


def holding_rings(setup: LatheSetup, chuck_face: float) -> list[TurretAround]:
    """Chuck, jaws and tailstock, half of their section, in machine Z; `chuck_face` is where that stands."""
    held, stock = setup.holding, setup.stock
    outside, jaws = held.jaw_outside / 2, chuck_face + held.jaw_face
    found = [
        TurretAround("the chuck", box((chuck_face - _CHUCK_DEEP, chuck_face), (0.0, outside + 10))),
        TurretAround("the jaws", box((chuck_face, jaws), (min(stock.diameter / 2, outside - 1), outside))),
    ]
    if held.tailstock:
        front, half = jaws + held.stands_out + stock.front, held.tailstock / 2
        point = ((front, 0.0), (front + half, half), (front + half, 0.0))
        found.append(TurretAround("the centre", point))
        found.append(TurretAround("the tailstock", box((front + half, front + half + _QUILL_LONG), (0.0, half))))
    return found
