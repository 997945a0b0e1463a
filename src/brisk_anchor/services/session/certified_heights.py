"""A height that is known, as a person states it: as machine Z, over the table, by the tool setter, or with a block."""

from __future__ import annotations

import math
import re

from brisk_anchor.core.errors import PlanError
from brisk_anchor.core.kinds import FURTHEST
from brisk_anchor.core.numbers import parse_length
from brisk_anchor.core.quantities import dim, signed_dim
from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.services.session.session import Session

FORMS = "a machine Z as -480.2 · table 50.003: over the table · setter: its top · block 25: on the setter's place"
_WORDS = re.compile(r"^\s*(?:(table|setter|block)\b)?\s*(.*?)\s*$", re.I)


@dataclass(frozen=True, slots=True)
class KnownHeight:
    """A height: machine Z, mm, the standard uncertainty of what it stands on, and how it was stated."""

    z: float
    u: float
    words: str


def read_height(session: Session, words: str) -> KnownHeight:
    """The machine Z that is meant: "-480.2", "table 50.003", "setter", "block 25".

    The table is where the machine's file has it; the setter's foot is its reference offset, and a block stands there in
    its place.

    Raises:
        PlanError: nothing is stated, or the setter's reference is to be taken. NumberEntryError: a figure is none.
    """
    found = _WORDS.match(words)
    base, figure = (found[1] or "", found[2]) if found is not None else ("", "")
    match base.lower():
        case "table":
            height = parse_length(figure, low=0.0, high=2000.0)
            if session.setup.machine.kind == "horizontal mill":
                raise PlanError(
                    "This table is not touched from the spindle", "Its top looks up along Y", "Give machine Z"
                )
            top = session.setup.machine.table[4]
            return KnownHeight(top + height, 0.0, f"{dim(height)} over the table at {signed_dim(top)}")
        case "setter" | "block" as what:
            return _by_the_setter(session, figure if what == "block" else "")
        case _:
            if not figure:
                raise PlanError("No height is stated", "", FORMS)
            z = parse_length(figure, low=-FURTHEST, high=FURTHEST)
            return KnownHeight(z, 0.0, f"machine Z {signed_dim(z)}")


def u_certified(twice: float, u_base: float = 0.0) -> float:
    """Return a certified figure's standard uncertainty, mm: half of the ± stated for it, and that of its base."""
    return math.hypot(u_base, twice / 2)


def _by_the_setter(session: Session, block: str) -> KnownHeight:
    from brisk_anchor.services.session.tool_shelf import reference

    setter, held = session.setup.shelf.setter, reference(session)
    if setter is None or held is None:
        what = "The reference of the tool setter is to be taken first" if setter else "There is no tool setter"
        raise PlanError(what, "Where its foot stands is not known", "State a machine Z, or take it: ⟨6⟩, ⟨tools:r⟩")
    foot, u_foot = held.values["z"] - session.profile.length_reference, held.u.get("z", 0.0)
    if block:
        height = parse_length(block, low=0.1, high=500.0)
        return KnownHeight(foot + height, u_foot, f"a block of {dim(height)} on the foot of {setter.name}")
    return KnownHeight(foot + setter.height, math.hypot(u_foot, setter.u_height), f"the top of {setter.name}")
