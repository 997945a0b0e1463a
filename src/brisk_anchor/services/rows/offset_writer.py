"""Storing an offset: second look, a program that writes the row, reading it back, the book. All of it or nothing."""

from __future__ import annotations

from dataclasses import replace

from brisk_anchor.book.entries import Entry, EntryKind, RowState
from brisk_anchor.core.errors import BriskAnchorError, DatumError, GeometryError
from brisk_anchor.core.offsets.chain import Chain, solve_offset
from brisk_anchor.core.offsets.checks import (
    Finding,
    look_at_centres,
    look_at_control,
    look_at_feature,
    look_at_jump,
    look_at_store,
    look_at_temperature,
    stop_where_found,
)
from brisk_anchor.core.offsets.rules import Fixed, Keep, Rule
from brisk_anchor.core.offsets.tool_setting import look_at_probe
from brisk_anchor.core.quantities import along
from brisk_anchor.core.uncertainty.estimates import Estimate
from brisk_anchor.nc.programs.plan import StorePlan
from brisk_anchor.nc.programs.program import Program, row_word
from brisk_anchor.nc.programs.reports import parse_reports
from brisk_anchor.nc.write.writer import write_program
from brisk_anchor.services.machine.ports import ControlLink, OperatorPanel
from brisk_anchor.services.machine.runs import RunStopped
from brisk_anchor.services.rows.datum_editor import DatumEditor
from brisk_anchor.services.rows.ledger import Ledger
from brisk_anchor.services.rows.program_heads import ProgramSeries
from brisk_anchor.services.rows.row_owner import fixture_note
from brisk_anchor.services.rows.row_programs import WorkedOut
from brisk_anchor.services.rows.row_states import known_of

SAME = 1e-9
"""Figures no further apart than this, mm or degrees, are the same."""


class OffsetWriter:
    """Writes offsets into the control's table and the book."""

    def __init__(
        self, parts: WorkedOut, link: ControlLink, panel: OperatorPanel, ledger: Ledger, datums: DatumEditor
    ) -> None:
        self._working, self._rows, self._solver = parts.working, parts.rows, parts.solver
        self._heads, self._programs = parts.heads, parts.programs
        self._link = link
        self._panel = panel
        self._ledger = ledger
        self._datums = datums

    def look_before_store(self, row: str) -> list[Finding]:
        """Second look before a store.

        Raises:
            DatumError: when the row is not complete. GeometryError: what was measured contradicts itself.
        """
        working = self._working
        plan = working.setup.row(row)
        self.may_change(row)
        held, features = self._link.table_values(row), self._solver.features(strict=True)
        conditions = working.setup.conditions
        chain = solve_offset(row, plan.rules, features, held, self._rows.parents(), plan.turner, conditions)
        used = [working.measured[name] for name in self._rows.needed(plan)]
        reference, name, limit = self._programs.jump_reference(row)
        agreements = [agreement for measured in used for agreement in measured.agreements]
        looks = look_at_control(self._link.condition)
        looks += look_at_store(
            chain,
            reference,
            name,
            limit,
            stale=any(m.clamping != working.clamping for m in used),
            agreements=agreements,
        )
        if any(measured.measurement is not None for measured in used):
            looks += look_at_probe(working.setup.shelf.probe, working.calibration_age)
        for measured in used:
            looks += look_at_feature(measured.feature, *measured.sizes)
        looks += look_at_jump(chain, held, self._ledger.limit(row))
        drawn = {feature.name: feature for feature in working.setup.features}
        bands = [
            (feature.title, feature.tolerance[1] - feature.tolerance[0], feature.size)
            for name in self._rows.needed(plan)
            if (feature := drawn[name]).tolerance and feature.size
        ]
        looks += look_at_centres(plan.rules, crashed=working.crashed)
        return looks + look_at_temperature(chain, bands, conditions)

    def store(self, row: str) -> Chain:
        """Write the worked-out offset into the control's table by a program, then into the book.

        Raises:
            DatumError: incomplete. SecondLookError: a finding stops. RunStopped: the control refused.
            BookWriteError: the book could not be written. The control's table is then put back as it was.
        """
        chain, plan = self.prepared(row)
        self.write(chain, plan)
        if chain.table is not None:
            self._datums.table_turned(row, chain.table)
        return chain

    def prepared(self, row: str) -> tuple[Chain, StorePlan]:
        """What a store of a row writes, after the second look.

        Raises:
            DatumError: incomplete. SecondLookError: a finding stops.
        """
        stop_where_found(self.look_before_store(row))
        chain = self._solver.chain(row)
        if chain is None:
            raise DatumError(f"{row} is not complete", "", "Measure what is missing")
        rules: dict[str, Rule] = {
            axis.axis: Fixed(axis.value, axis.u) if axis.written else Keep() for axis in chain.axes
        }
        return chain, replace(self._programs.store_plan(row, rules), turner=None, table=chain.table)

    def program_of(self, chain: Chain, plan: StorePlan) -> Program:
        """The program that sets a row to figures that were worked out. Raises DatumError: the row is locked."""
        self._not_locked(chain.row)
        number = self._heads.number(ProgramSeries.STORE, chain.row)
        return write_program(self._heads.plan_of(number, f"set {chain.row}", [], plan), self._link.profile)

    def write(self, chain: Chain, plan: StorePlan) -> None:
        """Put a row into the control's table by a program, read it back, and into the book; or leave all as it was.

        Raises:
            RunStopped: the control refused. BookWriteError: the book could not be written.
        """
        row = chain.row
        program = self.program_of(chain, plan)
        before = self._link.table_values(row)
        self._link.hand_over(program)
        run = self._panel.start()
        run.to_end()
        try:
            if failure := run.failure():
                raise failure
            if row_word(row) not in parse_reports(self._link.report()).stored:
                raise RunStopped(f"The program ended without storing {row}", "Nothing is known of the table", "Look")
            self.read_back(row, chain)
            self._ledger.add_all(self.stored(chain, f"set by O{program.number:04d}"))
        except BriskAnchorError:
            self._link.write_row(row, before)  # no value stays in the table that failed a check
            raise
        finally:
            self._link.settle()

    def stored(self, chain: Chain, note: str) -> list[Entry]:
        """What the book says of a row that was stored, and of those that follow it."""
        note += fixture_note(self._working.setup, chain.row)
        return [
            self._ledger.entry(EntryKind.STORED, chain.row, chain, note=note),
            *self.followers(chain.row, chain),
        ]

    def may_change(self, row: str) -> None:
        """Raises DatumError where nothing may change a row: it is locked, or kept for the tool setter."""
        self._not_locked(row)
        setter = self._working.setup.shelf.setter
        if setter is not None and setter.row == row:
            what = f"{row} is kept for {setter.name}"
            raise DatumError(
                what, "Every tool's length depends on it", "Use another offset, or take it on the shelf: ⟨6⟩"
            )

    def _not_locked(self, row: str) -> None:
        if self._ledger.locked(row):
            raise DatumError(
                f"{row} is locked", "Nothing writes it while it is", "Unlock it in the book, if that is meant"
            )

    def followers(self, row: str, chain: Chain) -> list[Entry]:
        """What a change of a row means for the rows derived from it: each is worked out anew, and not written yet.

        A locked one keeps its value, and so does what follows that; one that cannot be worked out is stale.
        """
        entries, moved = [], {row}
        known = {**self._rows.parents(), row: known_of(chain)}
        for child in self._rows.children(row):
            if self._rows.parent_of(child) not in moved or self._ledger.locked(child):
                continue
            moved.add(child)
            new = self._worked_out(child, known)
            if new is not None:
                known[child] = known_of(new)
                if not self.holds(child, new):
                    entries.append(self._ledger.entry(EntryKind.MEASURED, child, new, note=f"follows {row}"))
            elif self._rows.state(child) not in (RowState.EMPTY, RowState.PART, RowState.STALE):
                entries.append(self._ledger.entry(EntryKind.STALE, child, None, note=f"follows {row}"))
        return entries

    def _worked_out(self, row: str, parents: dict[str, dict[str, Estimate]]) -> Chain | None:
        """A derived row by what is known of the others; None where its own features are not measured, or another."""
        setup, held = self._working.setup, self._link.table_values(row)
        features, rules = self._solver.features(), setup.row(row).rules
        try:
            return solve_offset(row, rules, features, held, parents, conditions=setup.conditions)
        except (DatumError, GeometryError):
            return None

    def holds(self, row: str, chain: Chain) -> bool:
        """Whether a row was stored with these very figures already."""
        valued = self._ledger.valued(row)
        if valued is None or not self._rows.state(row).is_settled:
            return False
        return all(abs(valued.values.get(axis, 0.0) - value) <= SAME for axis, value in chain.values.items())

    def read_back(self, row: str, chain: Chain) -> None:
        """Compare the control's table with the chain, whatever the program could check itself. Raises RunStopped."""
        held = self._link.table_values(row)
        for axis in chain.axes:
            if axis.written and abs(held[axis.axis] - axis.value) > self._link.profile.grain:
                name = f"{row} {axis.axis.upper()}"
                read, wanted = along(axis.axis, held[axis.axis]), along(axis.axis, axis.value)
                raise RunStopped(
                    f"{name} reads {read} after the program, not {wanted}",
                    "The control did not take what was written",
                    "Look whether the table is locked, and whether the profile is this control's",
                )
