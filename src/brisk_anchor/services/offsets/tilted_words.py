"""A row that was set with the table turned, in the words of a control that has tilted planes."""

from __future__ import annotations

from brisk_anchor.core.errors import PlanError
from brisk_anchor.core.kinds import Vector
from brisk_anchor.core.offsets.rules import FromTable
from brisk_anchor.core.offsets.setup import Setup
from brisk_anchor.core.offsets.tilted_plane import TiltedZero, tilted_zero
from brisk_anchor.core.quantities import signed_deg, signed_dim
from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.services.session.session import Session


@dataclass(frozen=True, slots=True)
class TiltedWords:
    """A row as a tilted plane on another: its figures, and the block that calls it ("" where the control has none).

    The block's lengths are in the unit of the profile, whose name and code are `unit`: ("mm", "G21").
    """

    row: str
    base: str
    plane: TiltedZero
    stance: dict[str, float]
    block: str
    unit: tuple[str, str] = ("mm", "G21")


def stance_of(setup: Setup, row: str) -> dict[str, float]:
    """Where the table stands for a row: where what it comes from was measured, turned on where it follows another."""
    rules = setup.row(row).rules
    for rule in rules.values():
        if isinstance(rule, FromTable):
            stands = stance_of(setup, rule.row)
            stands[rule.letter] = stands.get(rule.letter, 0.0) + rule.angle
            return _turned(stands)
    drawn = {feature.name: dict(feature.table) for feature in setup.features}
    names = setup.touched(setup.row(row).features)
    stances = [drawn[name] for name in names if name in drawn]
    return _turned(stances[0]) if stances else {}


def _turned(stance: dict[str, float]) -> dict[str, float]:
    return {letter: angle for letter, angle in stance.items() if angle}


def tilted_words(session: Session, row: str, base: str) -> TiltedWords:
    """A row as a tilted plane on another, by what the control's table holds.

    Raises:
        PlanError: one of them holds nothing, or the table stands alike for both.
    """
    link, profile, setup = session.link, session.profile, session.setup
    known = {plan.row for plan in setup.rows}
    for name in (row, base):
        if name not in known:
            raise PlanError(f"The job has no {name}", "", f"It has {', '.join(sorted(known))}")
        if not any(link.offset(name)):
            raise PlanError(f"{name} holds nothing on this control", "A plane needs both zeros", "Write it first")
    stance, stands = stance_of(setup, row), stance_of(setup, base)
    if link.turn_of(row):
        raise PlanError(f"{row} is turned", "Its angle would have to go into the plane's own", "Turn the plane instead")
    form = profile.tilted
    plane = tilted_zero(
        setup.machine.rotary,
        (_place(session, row), stance),
        (_place(session, base), stands, link.turn_of(base)),
        form.order if form is not None else "zxz",
    )
    if not any(abs(angle) > 1e-9 for angle in plane.angles):
        raise PlanError(f"{row} lies level with {base}", "It is no tilted plane", "Use the row itself")
    if form is None or form.zero is None:
        return TiltedWords(row, base, plane, stance, "")
    decimals = profile.word_decimals
    zero = (value / profile.unit for value in plane.zero)
    rounded = (round(value, decimals) + 0.0 for value in (*zero, *plane.angles))
    words = (f"{value:.{decimals}f}".rstrip("0") for value in rounded)
    block = form.zero.format(**dict(zip("xyzijk", words, strict=True)))
    return TiltedWords(row, base, plane, stance, block, ("mm", "G21") if profile.unit == 1.0 else ("inches", "G20"))


def _place(session: Session, row: str) -> Vector:
    """A row's zero, machine mm of the tip. Raises PlanError: its Z holds a length that is not on the job."""
    if session.profile.tool_lengths.convention == "part":
        raise PlanError("Every tool is touched on the part here", "No Z stands in a row, so no plane has one", "")
    x, y, z = session.link.offset(row)
    master = session.profile.length_reference if session.profile.tool_lengths.convention == "master" else 0.0
    return x, y, z - master


def as_tilted_plane(session: Session, row: str) -> list[str]:
    """Lines that say how a program reaches a row's plane from the first row of the job that lies otherwise.

    None where the row is set with the table as it stands for every other, or where the control holds no zeros yet.
    """
    stance = stance_of(session.setup, row) if row in {plan.row for plan in session.setup.rows} else {}
    others = [plan.row for plan in session.setup.rows if stance_of(session.setup, plan.row) != stance]
    if not any(stance.values()) or not others:
        return []
    try:
        found = tilted_words(session, row, others[0])
    except PlanError:
        return []
    return [f"{row} as a tilted plane from {found.base}", *lines_of(found)]


def lines_of(found: TiltedWords) -> list[str]:
    """Its zero, its angles, and the block that calls it."""
    zero = "  ".join(f"{axis} {signed_dim(value, 4)}" for axis, value in zip("XYZ", found.plane.zero, strict=True))
    angles = "  ".join(f"{axis} {signed_deg(value, 4)}" for axis, value in zip("IJK", found.plane.angles, strict=True))
    if not found.block:
        return [zero, angles, "this control has no words for it: use the row at its angle"]
    unit, code = found.unit
    return [zero, angles, found.block, f"the block's lengths are {unit}: it stands after {code}"]
