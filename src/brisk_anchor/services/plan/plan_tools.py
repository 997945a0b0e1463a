"""Tools that a plan looks at on the setter: whether each is still as long as it was measured."""

from __future__ import annotations

from brisk_anchor.core.errors import PlanError
from brisk_anchor.core.offsets.checks import Finding
from brisk_anchor.core.quantities import dim
from brisk_anchor.core.tools.shelf import Health
from brisk_anchor.nc.programs.plan import LengthCheck
from brisk_anchor.services.plan.plan_file import ToolCheckSection
from brisk_anchor.services.session.session import Session
from brisk_anchor.services.session.tool_shelf import reference


def tool_check(session: Session, section: ToolCheckSection, *, call: bool) -> LengthCheck:
    """The look at a tool on the setter.

    Raises:
        PlanError: there is no setter that stands somewhere, its reference is to be taken, or the tool's length is not
            known.
    """
    setter, shelf = session.setup.shelf.setter, session.setup.shelf
    if setter is None or setter.at is None:
        raise PlanError("The machine has no tool setter whose place is known", "No tool can be looked at", "State it")
    held = reference(session)
    if held is None:
        what = f"The reference of {setter.name} is to be taken first"
        raise PlanError(what, f"Where its top is stands in {setter.row}", "Take it on the shelf: ⟨6⟩, ⟨tools:r⟩")
    known = {cutter.number: cutter for cutter in shelf.cutters}
    cutter = known.get(section.tool)
    if cutter is None or cutter.length is None:
        why = "it is not on the shelf" if cutter is None else "its length is not known"
        raise PlanError(
            f"T{section.tool} cannot be looked at: {why}", "", "Measure its length on the shelf first: ⟨6⟩, ⟨tools:l⟩"
        )
    base = session.profile.length_reference
    return LengthCheck(
        number=cutter.number,
        name=cutter.name,
        at=setter.at,
        top=held.values["z"] + setter.height - base,
        length=cutter.length,
        reference=base,
        tolerance=section.tolerance,
        search=section.search,
        on_fail=section.on_fail,
        call=call,
    )


def look_at_tool(session: Session, section: ToolCheckSection) -> list[Finding]:
    """What the second look finds of a tool that is to be looked at."""
    cutter = session.setup.shelf.cutter(section.tool)
    looks = []
    if cutter.health is not Health.WHOLE:
        looks.append(
            Finding.stopping(
                f"T{cutter.number} is {cutter.health.value}: its length does not hold",
                "Whether it is whole is told by its length",
                "Measure it on the shelf first: ⟨6⟩, ⟨tools:l⟩",
            )
        )
    if section.tolerance < 4 * cutter.u_length:
        looks.append(
            Finding.warning(
                f"T{cutter.number} is held to ±{dim(section.tolerance)}, and known to ±{dim(2 * cutter.u_length)}",
                "A whole tool may be told broken",
                "Allow more",
            )
        )
    return looks
