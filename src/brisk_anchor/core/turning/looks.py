"""Second look on a lathe: what people get wrong while they find a zero by cutting, before it is stored."""

from __future__ import annotations

from brisk_anchor.core.offsets.checks import Finding
from brisk_anchor.core.quantities import dim, signed_dim
from brisk_anchor.core.turning.setup import LatheSetup
from brisk_anchor.core.turning.sums import meant_other
from brisk_anchor.core.turning.tools import Gauge, TurningTool
from brisk_anchor.core.turning.zero import SMALL, Destination, Method, Proposal
from brisk_anchor.lazy_dataclass import dataclass

_FAR = 20.0
"""How far, mm, a zero may lie from where the drawing has it before that is told, and a value jump before it stops."""
_COARSE = 0.1
"""A ± of more than this, mm, is told before it becomes a zero."""


@dataclass(frozen=True, slots=True)
class LatheCondition:
    """How the lathe stands, as far as it tells: None where it does not. `active` is the offset number in force."""

    homed: bool | None = None
    spindle_turns: bool | None = None
    station: int | None = None
    active: int | None = None
    alarm: str = ""


def look_at_lathe(condition: LatheCondition, tool: TurningTool, method: Method) -> list[Finding]:
    """Home, alarm, the tool that is meant, and whether the spindle does what the step needs."""
    looks = []
    if condition.alarm:
        looks.append(
            Finding.stopping(f"An alarm stands: {condition.alarm}", "Nothing is sure till it is gone", "Reset")
        )
    if condition.homed is False:
        looks.append(
            Finding.stopping("The axes are not homed", "Machine positions count from anywhere", "Home first: ⟨bench:h⟩")
        )
    if condition.station is not None and condition.station != tool.station:
        looks.append(
            Finding.stopping(
                f"T{condition.station} stands at the work, not {tool.name}",
                "The value would go to the wrong tool",
                "Turn the turret, or choose the tool that cut",
            )
        )
    elif condition.active is not None and condition.active != tool.offset:
        looks.append(
            Finding.stopping(
                f"Offset {condition.active} is active, not {tool.offset} of {tool.name}",
                "What is shown counts with another tool's figures",
                f"Call {tool.name} with its own offset",
            )
        )
    if condition.spindle_turns is False and method.cuts and not method.measures:
        looks.append(
            Finding.stopping(
                "The spindle stands", "A tip would press a mark into the part", "Start the spindle: ⟨bench:m⟩"
            )
        )
    if condition.spindle_turns and not method.cuts:
        looks.append(
            Finding.stopping(
                "The spindle turns", "A feeler is drawn in, fingers with it", "Stop the spindle: ⟨bench:m⟩"
            )
        )
    if condition.spindle_turns and method.measures:
        looks.append(
            Finding.stopping(
                "The spindle turns", "A gauge is held against turning metal", "Stop the spindle: ⟨bench:m⟩"
            )
        )
    return looks


def look_at_gauge(gauge: Gauge, what: str, value: float, expected: float | None) -> list[Finding]:
    """Whether the gauge measures that, and whether the figure looks like a radius, or like another part."""
    looks = []
    if what not in gauge.kind.measures:
        looks.append(Finding.stopping(f"{gauge.name} measures no {what}", "", "Choose another gauge: ⟨bench:G⟩"))
    elif not gauge.low <= value <= gauge.high:
        looks.append(
            Finding.warning(
                f"{gauge.name} goes from {dim(gauge.low)} to {dim(gauge.high)}, {dim(value, 3)} was typed",
                "It was read off another gauge, or wrongly",
                "Choose the gauge that was used: ⟨bench:G⟩",
            )
        )
    return [*looks, *look_for_radius(value, expected)]


def look_for_radius(value: float, expected: float | None) -> list[Finding]:
    """Whether a figure is about half or twice what is expected."""
    if not expected or not meant_other(value, expected):
        return []
    return [
        Finding.stopping(
            f"{dim(value, 3)} is about half or twice {dim(expected, 3)}, which is expected",
            "A radius was typed where a diameter is meant, or the other way round",
            "Type the diameter",
        )
    ]


def look_at_wear(tool: TurningTool, wanted: float, actual: float, spread: float) -> list[Finding]:
    """Before a wear is changed: a radius for a diameter, more than wear can be, less than the gauge (its ±) knows."""
    if looks := look_for_radius(actual, wanted):
        return looks
    due = wanted - actual
    if abs(due) > SMALL:
        return [
            Finding.stopping(
                f"The wear of {tool.name} would change by {signed_dim(due, 3)}",
                "That is no wear: another tool, another diameter, or a wrong zero",
                "Measure again, or find the geometry anew",
            )
        ]
    if abs(due) <= spread:
        told = f"{signed_dim(due, 3)} lies within what the gauge knows, ±{dim(spread, 3)}"
        return [Finding.warning(told, "Following it only adds scatter", "Leave it")]
    return []


def look_at_proposal(
    proposal: Proposal, setup: LatheSetup, present: float | None, *, live: bool, place: float, reach_known: bool
) -> list[Finding]:
    """Before a value is stored.

    Args:
        proposal: what would be stored.
        setup: the set-up as it is described.
        present: what the table holds now; None where nobody set it, so that there is nothing to compare with.
        live: whether the readout tells where the axes are, so that a movement since the cut is seen.
        place: program position of what was cut or touched, mm.
        reach_known: whether the tool's geometry was measured; without it a zero counts from the turret somewhere.
    """
    looks, value = [], proposal.value
    if not live:
        looks.append(
            Finding.warning(
                "The position was typed", f"Nobody can tell whether {proposal.axis.upper()} moved since the cut", ""
            )
        )
    if present is not None and abs(value - present) > _FAR:
        looks.append(
            Finding.stopping(
                f"{proposal.row} {proposal.axis.upper()} would jump by {signed_dim(value - present, 3)}",
                "Nearly always the wrong tool, the wrong row, or a radius",
                "Look again. Where it is meant: ⟨bench:k⟩ for a part clamped anew, ⟨turret:N⟩ in the "
                "turret (⟨6⟩) for another insert",
            )
        )
    elif reach_known and present is None and proposal.destination is Destination.WORK and proposal.axis == "z":
        off = value + setup.zero_from_face - setup.drawn_zero
        if abs(off) > _FAR:
            looks.append(
                Finding.warning(
                    f"The zero lies {signed_dim(off, 1)} from where the set-up has it",
                    "Wrong face measured from, wrong tool, or the part sticks out otherwise",
                    "Compare with the picture",
                )
            )
    if proposal.destination is Destination.WORK and proposal.axis == "x":
        looks.append(
            Finding.warning(
                f"X zero is the spindle axis, and would move by {signed_dim(value - setup.lathe.axis_x, 3)}",
                "Every diameter of every tool moves with it",
                "Put it into the geometry, ⟨bench:o⟩, unless the axis itself was measured",
            )
        )
    if proposal.axis == "z" and place < -1e-6 + setup.zero_from_face - setup.part.length * 0.5:
        looks.append(
            Finding.warning(
                f"What was cut lies {dim(abs(place), 3)} behind the finished face",
                "Half of the part or more would be gone",
                "Look which face was measured from: ⟨bench:F⟩",
            )
        )
    before = place - setup.zero_from_face - setup.stock.front
    if proposal.axis == "z" and before > _FAR:
        looks.append(
            Finding.stopping(
                f"What was touched would lie {dim(before, 3)} before the stock",
                "The zero is another since the face was measured, or it was measured from another face",
                "Measure the face anew: ⟨bench:f⟩. Where the stock is longer, state it: ⟨5⟩",
            )
        )
    result = proposal.total.result
    if result.effects and result.expanded > _COARSE:
        looks.append(
            Finding.warning(
                f"It is known to ±{dim(result.expanded, 2)}",
                "That is what the gauge allows",
                "Measure again with a finer one before a size depends on it",
            )
        )
    if proposal.destination is Destination.WORK and proposal.axis == "z":
        looks += look_at_jaws(setup)
    if setup.slender:
        looks.append(
            Finding.warning(
                "What stands out of the jaws is slender",
                "It bends away from the tool: a diameter is larger at its end",
                "Support it, or measure where it counts",
            )
        )
    return looks


def look_at_jaws(setup: LatheSetup, longer: float = 0.0) -> list[Finding]:
    """Whether a target would bring a tool into the jaws, of a part that is so much longer on the same stop, mm."""
    jaws = setup.jaws_in_program - longer
    looks = []
    for target in setup.targets:
        if target.z is None:
            continue
        margin = target.z - jaws
        tells = f"{target.name} at Z {dim(target.z, 3)} lies {dim(abs(margin), 3)}"
        if margin <= 0:
            looks.append(
                Finding.stopping(
                    f"{tells} behind the jaws' face", "The tool would run into the jaws", "Let more stand out"
                )
            )
        elif margin < 2.0:
            looks.append(Finding.warning(f"{tells} before the jaws", "There is hardly room", "Look before you start"))
    return looks


def stops(findings: list[Finding]) -> list[Finding]:
    """Those that must not be stored past."""
    return [finding for finding in findings if finding.stops]
