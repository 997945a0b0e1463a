"""How the rows of the offset table stand: from the book, and from what was measured since."""

from __future__ import annotations

import math

from brisk_anchor import __version__
from brisk_anchor.book.entries import Entry, EntryKind, RowState
from brisk_anchor.core.features.touches import AXES
from brisk_anchor.core.kinds import Vector
from brisk_anchor.core.offsets.chain import Chain
from brisk_anchor.core.offsets.rotated_offsets import derived_estimates
from brisk_anchor.core.offsets.row_rotation import turned
from brisk_anchor.core.offsets.rules import Fixed, FromFeature, FromFit, parent_in
from brisk_anchor.core.offsets.setup import RowPlan
from brisk_anchor.core.quantities import dim, signed_deg
from brisk_anchor.core.uncertainty.estimates import Estimate
from brisk_anchor.services.machine.ports import ControlLink
from brisk_anchor.services.rows.hashes import job_hash, profile_hash
from brisk_anchor.services.rows.ledger import Ledger
from brisk_anchor.services.rows.working_state import WorkingState
from brisk_anchor.standin.scene import Scene

DIFFERS = 1e-4
"""Figures that lie no further apart than this, mm or degrees, or than the control's resolution, are the same."""


def known_of(chain: Chain) -> dict[str, Estimate]:
    """What a row's chain says of it, by axis, for the rows that are derived from it."""
    return {axis.axis: axis.estimate for axis in chain.axes}


class RowStates:
    """What each row is, needs and should be. It reads and never changes anything."""

    def __init__(self, working: WorkingState, link: ControlLink, ledger: Ledger) -> None:
        self._working = working
        self._link = link
        self._ledger = ledger
        self._proved_with: tuple[Scene, tuple[str, str, str]] | None = None

    def history(self, row: str) -> list[Entry]:
        """Entries of a row, oldest first."""
        return self._ledger.history(row)

    def last(self, row: str, kind: EntryKind) -> Entry | None:
        """The newest entry of a kind that is of this job and still holds."""
        return self._ledger.last(row, kind, own=True)

    def place_in(self, row: str, spindle: Vector, length: float) -> Vector:
        """What the control shows in a row for a machine position of the spindle, with a tool of that length, mm."""
        x, y, z = (a - b for a, b in zip(spindle, self._link.offset(row), strict=True))
        x, y = turned(x, y, -self._link.turn_of(row))
        return x, y, z - length

    @property
    def proved_with(self) -> tuple[str, str, str]:
        """What a proof of a row depends on now: hashes of job and profile, and our version."""
        scene = self._working.scene
        if self._proved_with is None or self._proved_with[0] is not scene:
            self._proved_with = (scene, (job_hash(scene), profile_hash(self._link.profile), __version__))
        return self._proved_with[1]

    def _booked(self, row: str) -> RowState:
        """How a row stands by the book; a proof with another job, profile or version than now is none."""
        booked = self._ledger.facts(row).state
        if booked is RowState.PROVED:
            proof = next(e.proof for e in reversed(self._ledger.own(row)) if e.kind is EntryKind.PROVED)
            if proof is not None and not proof.is_of(*self.proved_with):
                return RowState.STORED
        return booked

    def state(self, row: str) -> RowState:
        """How a row stands: from the book, and from what this job has measured since."""
        booked, working = self._booked(row), self._working
        if booked is RowState.MEASURED and self.parent_of(row) is not None:
            return RowState.NOT_WRITTEN
        names = next((self.needed(plan) for plan in working.setup.rows if plan.row == row), [])
        known = [name for name in names if working.holds(name)]
        if booked is RowState.EMPTY and known and len(known) < len(names):
            return RowState.PART
        if booked in (RowState.STORED, RowState.PROVED, RowState.STALE) and 0 < len(known) < len(names):
            newest = self.history(row)[-1].at
            if any(working.measured[name].at > newest for name in known):
                return RowState.PART
        return RowState.DIFFERS if booked.is_settled and self.away_from_control(row) else booked

    def away_from_control(self, row: str) -> dict[str, float]:
        """What the control holds less what the book has, by axis, where these differ: mm, and degrees for `r`."""
        valued = self._ledger.valued(row)
        if valued is None or not self._link.knows(row):
            return {}
        limit = max(DIFFERS, 2 * self._link.profile.rounding)
        known = {"r": 0.0} | valued.values  # a row without an angle is one that is not turned
        away = {axis: value - known[axis] for axis, value in self._link.table_values(row).items() if axis in known}
        return {axis: value for axis, value in away.items() if abs(value) > limit}

    def away_from_parent(self, row: str) -> dict[str, float]:
        """What a row has less what the row it follows makes of it, by axis, where these differ: mm and degrees."""
        valued, parent = self._ledger.valued(row), self.parent_of(row)
        if valued is None or parent is None or parent not in self.parents():
            return {}
        rules = self._working.setup.row(row).rules
        followed = [axis for axis, rule in rules.items() if parent_in(rule) == parent]
        away = {axis: valued.values.get(axis, 0.0) - self._expected_from(row, parent, axis) for axis in followed}
        return {axis: value for axis, value in away.items() if abs(value) > DIFFERS}

    def off_parent_words(self, row: str) -> str:
        """How far a row keeps away from where the row it follows puts it: "0.312 mm from where G54 puts it"."""
        away, parent = self.away_from_parent(row), self.parent_of(row)
        if not away or self.state(row) not in (RowState.STORED, RowState.PROVED, RowState.DIFFERS, RowState.TYPED):
            return ""
        by = math.sqrt(sum(value**2 for axis, value in away.items() if axis in AXES))
        words = [dim(by, 3)] if by > DIFFERS else []
        words += [signed_deg(away["r"], 3)] if "r" in away else []
        return f"{' and '.join(words)} from where {parent} puts it"

    def expected(self, row: str) -> dict[str, float]:
        """Where the offset should lie when the set-up is as drawn, machine mm; an angle, degrees."""
        setup = self._working.setup
        table = self._link.offset(row)
        result = {}
        for axis, rule in setup.row(row).rules.items():
            if parent := parent_in(rule):
                result[axis] = self._expected_from(row, parent, axis)
            elif axis == "r":
                result[axis] = rule.value if isinstance(rule, Fixed) else 0.0
            elif isinstance(rule, FromFeature | FromFit):
                result[axis] = setup.nominal(rule, axis)
            else:
                result[axis] = rule.value if isinstance(rule, Fixed) else table[AXES.index(axis)]
        for i, axis in enumerate(AXES):
            result.setdefault(axis, table[i])  # nothing says where it should lie: it lies where it lies
        return result

    def _expected_from(self, row: str, parent: str, axis: str) -> float:
        """Where a derived axis should lie: by what its parent holds, or should hold while that is not stored."""
        known = self.parents().get(parent)
        if known is None:
            known = {name: Estimate(value) for name, value in self.expected(parent).items()}
        return derived_estimates(row, self._working.setup.row(row).rules, {parent: known})[axis].value

    def parents(self) -> dict[str, dict[str, Estimate]]:
        """What is stored and holds of the rows that others are derived from, by row and axis."""
        plans = self._working.setup.rows
        names = {name for plan in plans for rule in plan.rules.values() if (name := parent_in(rule))}
        found = {}
        for name in names:
            entry = self.last(name, EntryKind.STORED)
            if entry is not None and self._booked(name).is_settled:
                found[name] = known_of(entry.chain) if entry.chain else {}
        return found

    def children(self, row: str) -> list[str]:
        """Rows that are derived from a row, directly or through others, each after the one it follows."""
        found: list[str] = []
        for plan in self._working.setup.rows:
            if any(parent_in(rule) == row for rule in plan.rules.values()):
                found += [plan.row, *self.children(plan.row)]
        return found

    def parent_of(self, row: str) -> str | None:
        """The row it is derived from."""
        rules = self._working.setup.row(row).rules.values()
        return next((name for rule in rules if (name := parent_in(rule))), None)

    def needed(self, plan: RowPlan) -> list[str]:
        """Names of the features that are touched for a row."""
        return self._working.setup.touched(plan.features)

    def missing(self, row: str) -> list[str]:
        """Names of the features a row still needs in this clamping; of a derived one, those of a parent not stored."""
        parent = self.parent_of(row)
        above = self.missing(parent) if parent is not None and parent not in self.parents() else []
        return above + [name for name in self.needed(self._working.setup.row(row)) if not self._working.holds(name)]

    def on_part(self, plan: RowPlan) -> bool:
        """Whether a row comes from a feature of the part, not of its fixture."""
        setup = self._working.setup
        bodies = {drawn.name: drawn.body for drawn in setup.features}
        if plan.on_bench and not plan.rules:
            return True  # set at the machine before this start: what it was set from is not known any more
        return any(bodies[name] in (*setup.parts, setup.part) for name in self.needed(plan))
