"""What to correct by what was measured: the wear of a tool, or a work offset. It helps, or it is not made.

One sum serves every surface: what stands proud of the target on the tool's side has to be cut off, so the tool's wear
goes down by it. Of a bore that is half of what its diameter lacks, of a boss half of what it has too much, of a floor
or a wall how far it stands out. A radius table takes it as it is, a diameter table twice.

Parts that were cut under one value say one thing together: their median. The next correction waits for a part that was
cut after it. A deviation that its own ± or the dead band explains is left alone: to correct that is to add scatter.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from statistics import median
from typing import Literal

from brisk_anchor.core.errors import InspectionError
from brisk_anchor.core.inspection.many_parts import Drift, Leaving, leaving
from brisk_anchor.core.inspection.verdict import Limits
from brisk_anchor.core.quantities import dim, signed_dim
from brisk_anchor.lazy_dataclass import dataclass

Table = Literal["radius", "diameter"]
Target = Literal["radius wear", "length wear", "row"]


@dataclass(frozen=True, slots=True)
class CorrectionRule:
    """How a deviation is answered: by a `share` of it, none within `dead_band` (mm), none beyond `limit` (mm).

    If no dead band is stated, it is 0.7 of how far parts scatter: scatter alone then grows by less than 5 %, and
    more than 95 % of a drift is taken out. `parts` is how many parts cut under one value are waited for.
    """

    share: float = 0.5
    dead_band: float | None = None
    limit: float = 0.1
    parts: int = 1

    def within(self, scatter: float | None) -> float:
        """The dead band, mm; `scatter` is the standard deviation of parts, mm, None where it is not known yet."""
        return self.dead_band if self.dead_band is not None else 0.7 * (scatter or 0.0)

    def __post_init__(self) -> None:
        if not 0 < self.share <= 1 or not 0 <= (self.dead_band or 0.0) < self.limit or self.parts < 1:
            raise InspectionError(
                "This rule of correction makes no sense",
                "A share lies above 0 and up to 1, the limit above the dead band",
                "As share 0.5, dead band 0.004, limit 0.1",
            )


@dataclass(frozen=True, slots=True)
class Way:
    """What cut a surface, and how it is answered.

    `tool` with its wear of length or radius, in a table of radii or diameters; or `row` with its `axis`. An operation
    that is `compensated` is cut with cutter compensation, or by the length that a tool call adds; where it is not, no
    wear changes it. `head` is a boring head, which a person opens.
    """

    target: Target
    tool: int = 0
    table: Table = "radius"
    row: str = ""
    axis: str = ""
    compensated: bool = True
    head: bool = False
    blank: bool = False
    """Of a row: the deviation is one of the blank it was set from, not of what was cut from the row."""

    @property
    def per_side(self) -> float:
        """By how much its figure changes for 1 mm on one side: 2 in a table of diameters."""
        return 2.0 if self.target == "radius wear" and self.table == "diameter" else 1.0


@dataclass(frozen=True, slots=True)
class CutPart:
    """One inspected part: how far it lies from target (mm as the characteristic has it), its ±, metal left."""

    deviation: float
    expanded: float
    metal: float | None
    value_then: float
    """What the corrected figure was when it was cut."""


@dataclass(frozen=True, slots=True)
class Correction:
    """A change of a figure, with the sum that leads to it; `change` 0 and `why` where none is made.

    `card` says what a person does by hand where no figure changes anything.
    """

    way: Way
    old: float
    change: float
    steps: tuple[str, ...]
    why: str = ""
    card: str = ""

    @property
    def new(self) -> float:
        """The figure after it, mm or degrees as the figure is."""
        return self.old + self.change


@dataclass(frozen=True, slots=True)
class Due:
    """The next correction that a drift asks for: in how many parts it leaves what is not answered, and the change."""

    leaves: Leaving
    change: float


def due(
    drift: Drift, last: CutPart, target: float, way: Way, rule: CorrectionRule, dead: float, *, diameter: bool
) -> Due | None:
    """When a drift leaves the dead band, and what is answered then; None: it does not drift, or has left it.

    Args:
        drift: of the figures since the last change.
        last: the newest part: on which side of the target it has metal left.
        target: what is aimed at.
        way: what cut it.
        rule: how it is answered.
        dead: how far off nothing is answered, mm.
        diameter: whether figures are diameters.
    """
    leaves = leaving(drift, Limits(target - dead, target + dead, target)) if dead > 0 else None
    if leaves is None or abs(drift.now - target) > dead:
        return None
    off = math.copysign(dead, drift.slope)
    if way.target == "row":
        return Due(leaves, rule.share * row_change(off, way))
    if not last.metal or not last.deviation or way.head or not way.compensated:
        return None
    outward = math.copysign(1.0, last.metal) * math.copysign(1.0, last.deviation)
    return Due(leaves, rule.share * wear_change(outward * off / (2 if diameter else 1), way))


_FAR = 5.0
"""So many standard deviations off, a single part is an upset and no drift: a chip in the way, a loose insert."""
_CONFIRMED = 3
_BEFORE = 3
"""So many parts before are looked back to."""


def wear_change(metal: float, way: Way) -> float:
    """How much a wear changes so that metal, mm on one side, is cut off the next part."""
    return -metal * way.per_side


def row_change(deviation: float, way: Way) -> float:
    """How much a row changes, mm: with a blank that was found off, against a feature that was cut off its place."""
    return deviation if way.blank else -deviation


def propose(
    parts: Sequence[CutPart],
    old: float,
    way: Way,
    rule: CorrectionRule,
    *,
    diameter: bool,
    scatter: float | None = None,
) -> Correction:
    """The correction that the parts since the last change ask for.

    Args:
        parts: oldest first; only those that were cut under the present value count.
        old: the present figure.
        way: what cut it.
        rule: how it is answered.
        diameter: whether deviations are diameters; metal is counted on one side.
        scatter: the standard deviation of parts, mm, where it is known.

    Raises:
        InspectionError: the sign cannot be known: on which side the tool stood is not said.
    """
    counted = [part for part in parts if abs(part.value_then - old) < 5e-7]
    if len(counted) < rule.parts:
        waits = "a part that was cut after the last change" if not counted else f"{rule.parts - len(counted)} more"
        return Correction(way, old, 0.0, (), f"waits for {waits}")
    if scatter and len(counted) < _CONFIRMED and _jump(parts, old) > _FAR * scatter / (2 if diameter else 1):
        why = f"it jumps by more than {_FAR:g} times the usual scatter: {_CONFIRMED} parts in a row are waited for"
        return Correction(way, old, 0.0, (), why)
    deviation = median(part.deviation for part in counted)
    spread = median(part.expanded for part in counted)
    told = (
        f"median of {len(counted)} parts {signed_dim(deviation, 4)}" if len(counted) > 1 else signed_dim(deviation, 4)
    )
    if abs(deviation) < spread:
        return Correction(way, old, 0.0, (told,), f"its ± of {dim(spread, 4)} is larger: nothing to answer")
    if abs(deviation) <= (dead := rule.within(scatter)):
        return Correction(way, old, 0.0, (told,), f"within the dead band of {dim(dead, 4)}")
    if way.target == "row":
        whole = row_change(deviation, way)
    else:
        sides = [part.metal for part in counted if part.metal is not None]
        if len(sides) != len(counted):
            raise InspectionError(
                "On which side of this surface the tool stood is not known",
                "So it is not known which way to correct",
                "Say what cuts it: inside or outside, floor or wall",
            )
        whole = wear_change(median(sides), way)
        if way.head:
            opened = 2 * median(sides) * rule.share
            word = "open" if opened > 0 else "close"
            card = f"{word} the head by ⌀ {dim(abs(opened), 3)}"
            return Correction(way, old, 0.0, (told,), "no wear moves a boring head", card)
        if not way.compensated:
            much = "too little" if median(sides) > 0 else "too much"
            card = f"T{way.tool} cuts {dim(abs(median(sides)), 4)} {much} a side"
            return Correction(way, old, 0.0, (told,), "cut without compensation: wear does nothing to it", card)
    change = rule.share * whole
    steps = [told]
    if way.target == "radius wear":
        per_side = "/2 a side" if diameter else ""
        steps.append(f"{per_side} as a {way.table}: {signed_dim(whole, 4)}".strip())
    if rule.share < 1:
        steps.append(f"{rule.share:g} of it: {signed_dim(change, 4)}")
    if abs(whole) > rule.limit * way.per_side:
        why = f"{dim(abs(whole), 4)} is beyond the limit of {dim(rule.limit, 3)}: look at the tool"
        return Correction(way, old, 0.0, tuple(steps), why)
    steps.append(f"{signed_dim(old, 4)} {signed_dim(change, 4)} = {signed_dim(old + change, 4)}")
    return Correction(way, old, change, tuple(steps))


def _jump(parts: Sequence[CutPart], now: float) -> float:
    """How far the newest part lies from the ones before, on one side, all as if cut under the present figure, mm."""
    stood = [part.metal + now - part.value_then for part in parts[-_BEFORE - 1 :] if part.metal is not None]
    return abs(stood[-1] - median(stood[:-1])) if len(stood) > 2 else 0.0


def expected_growth(share: float) -> float:
    """By how much scatter alone grows where each deviation is answered by a share, without a dead band: √(2/(2 − λ)).

    A part's deviation is e − w, and w ← w + λ(e − w): w is the mean of what was, of variance λ/(2 − λ).
    """
    return math.sqrt(2 / (2 - share))


def remaining_lag(drift: float, share: float) -> float:
    """How far behind a steady drift, mm a part, the answer stays: d/λ."""
    return drift / share
