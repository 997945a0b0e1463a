"""What the half-section shows: outlines with their role, the zero, the tip. Plain figures; the screen draws them.

Places are (Z, radius), machine Z of a tip; a front turret stands on the other side, and is drawn below the axis.
"""

from __future__ import annotations

from brisk_anchor.core.turning.setup import geometry_row
from brisk_anchor.core.turning.shapes import (
    Ring,
    cutting_edge,
    holding_rings,
    part_ring,
    stock_ring,
    tool_body,
    turret_around,
)
from brisk_anchor.core.turning.tools import ToolKind, TurningTool
from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.services.turning.turning_session import TurningSession


@dataclass(frozen=True, slots=True)
class SectionOutline:
    """One outline: its role ("chuck", "stock", "part", "edge", "tool", "turret", "before") and its corners."""

    role: str
    ring: Ring


@dataclass(frozen=True, slots=True)
class HalfSection:
    """A picture: what it shows, the window (Z low and high, radius low and high), marks, and the side of the turret."""

    outlines: tuple[SectionOutline, ...]
    window: tuple[float, float, float, float]
    zero: float | None
    zero_label: str
    tip: tuple[float, float] | None
    below: bool
    targets: tuple[tuple[float | None, float | None], ...] = ()
    """The target in hand: Z of the machine and radius."""
    axis: bool = True
    """Whether the spindle's axis is drawn."""


def half_section(session: TurningSession, *, whole: bool = False) -> HalfSection:
    """The half-section as it is now; `whole` shows the turret and the way home as well."""
    setup, machine = session.job.setup, session.machine
    outlines: list[SectionOutline] = []
    chuck = setup.lathe.chuck_face + machine.reality.chuck_shift if setup.lathe.connected else setup.lathe.chuck_face
    for solid in holding_rings(setup, chuck):
        outlines.append(SectionOutline("chuck" if "jaw" not in solid.name else "jaws", solid.ring))
    jaws = chuck + setup.holding.jaw_face
    zero = _zero_tip(session)
    drawn = zero + setup.zero_from_face if zero is not None else jaws + setup.holding.stands_out
    rings = machine.metal_rings() if setup.lathe.connected else [stock_ring(setup, jaws)]
    outlines += [SectionOutline("stock", ring) for ring in rings]
    outlines.append(SectionOutline("part", part_ring(setup, drawn)))
    tip = None
    front = jaws + setup.holding.stands_out + setup.stock.front
    tool = machine.tool
    if tool is not None and setup.lathe.connected:
        x, z = machine.tip()
        tip = (z, x / 2)
        reaches = machine.reaches()
        for ring in tool_body(tool, reaches[tool.offset]):
            outlines.append(SectionOutline("tool", _placed(ring, tip)))
        outlines.append(SectionOutline("edge", _placed(cutting_edge(tool), tip)))
        for other in turret_around(setup, tool, reaches, x / 2):
            role = "turret" if other.name == "turret" else "neighbour"
            outlines.append(SectionOutline(role, _placed(other.ring, tip)))
    most = setup.stock.diameter / 2
    window = (jaws - 12.0, front + 45.0, -0.35 * most, max(setup.holding.jaw_outside / 2, most * 2.2) + 4.0)
    if whole and tip is not None:
        window = (chuck - 20.0, max(front + 60.0, tip[0] + 130.0), -most, max(window[3], tip[1] + 90.0))
    return HalfSection(
        tuple(outlines), window, zero, session.row, tip, setup.lathe.turret == "front", _target(session, zero)
    )


def _zero_tip(session: TurningSession) -> float | None:
    """Where the zero in force stands, machine Z of a tip; None where nobody set it, or no tool's reach is known."""
    desk, machine, row = session.desk, session.machine, session.row
    if not desk.is_known(row, "z"):
        return None
    tool = machine.tool
    if tool is None:
        return None
    # The picture shows things where they are; a zero counts by the tool's figures in the table, whatever they are.
    program_z = machine.place[1] - desk.shift(row, tool.offset)[1]
    if not session.job.setup.lathe.connected:
        return session.job.setup.drawn_zero
    if not desk.is_known(geometry_row(tool.offset), "z") and tool.offset != machine.setup.tools[0].offset:
        return None
    return machine.tip()[1] - program_z


def _target(session: TurningSession, zero: float | None) -> tuple[tuple[float | None, float | None], ...]:
    target = session.targets.target
    if target is None or zero is None:
        return ()
    z = None if target.z is None else zero + target.z
    return ((z, None if target.x is None else target.x / 2),)


def _placed(ring: Ring, tip: tuple[float, float]) -> Ring:
    return tuple((z + tip[0], radius + tip[1]) for z, radius in ring)


def section_of_tool(session: TurningSession, tool: TurningTool) -> HalfSection:
    """A tool alone, its tip at the middle: as it stands to the part."""
    if session.job.setup.lathe.connected:
        reach = session.machine.reaches()[tool.offset]
    else:
        reach = (120.0, max(45.0, tool.sticks_out + 20))  # how far the turret stands from it, nobody says
    outlines = [SectionOutline("tool", ring) for ring in tool_body(tool, reach)]
    outlines.append(SectionOutline("edge", cutting_edge(tool)))
    wide = 60.0 if tool.kind in (ToolKind.BORING, ToolKind.DRILL) else 38.0
    window = (-0.3 * wide, wide, -tool.size - 6.0, 36.0) if tool.size else (-0.3 * wide, wide, -6.0, 36.0)
    below = session.job.setup.lathe.turret == "front"
    return HalfSection(tuple(outlines), window, None, "", (0.0, 0.0), below, axis=False)


def section_of_setup(session: TurningSession) -> HalfSection:
    """The set-up as it is described, no tool in it: for the view that describes it."""
    setup = session.job.setup
    chuck = setup.lathe.chuck_face
    outlines = [SectionOutline("chuck" if "jaw" not in s.name else "jaws", s.ring) for s in holding_rings(setup, chuck)]
    outlines.append(SectionOutline("stock", stock_ring(setup, setup.jaws)))
    outlines.append(SectionOutline("part", part_ring(setup, setup.drawn_zero)))
    most = setup.stock.diameter / 2
    window = (setup.jaws - 34.0, setup.drawn_zero + 14.0, -0.3 * most, max(setup.holding.jaw_outside / 2, most) + 6.0)
    zero = setup.drawn_zero - setup.zero_from_face
    return HalfSection(tuple(outlines), window, zero, setup.row, None, setup.lathe.turret == "front")
