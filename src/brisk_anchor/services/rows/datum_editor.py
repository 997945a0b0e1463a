"""Where the offsets of a set-up come from, as a person changes it: datums, angles, fits, rows that follow others."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from brisk_anchor.core.errors import DatumError
from brisk_anchor.core.offsets.rules import FromFit, FromHeading, FromRow, Rule, Turner
from brisk_anchor.core.offsets.setup import RowPlan
from brisk_anchor.core.quantities import shown_unit, signed_bare, signed_deg
from brisk_anchor.services.measure.datum_rules import (
    fit_rules,
    middle_rule,
    parent_rules,
    rule_at,
    rule_from,
    together,
    turn_rule,
    with_rules,
)
from brisk_anchor.services.rows.row_states import RowStates
from brisk_anchor.services.rows.setup_editor import SetupEditor
from brisk_anchor.services.rows.working_state import WorkingState


class DatumEditor:
    """Changes the rules of rows, in the job's file where it has one; what was stored by them is out of date then."""

    def __init__(self, working: WorkingState, rows: RowStates, editor: SetupEditor) -> None:
        self._working = working
        self._rows = rows
        self._editor = editor

    def take_datum(self, row: str, axis: str, feature: str, *, onto: bool) -> bool:
        """Take an axis of an offset from a drawn feature; what was stored is stale then. Tells whether a file keeps it.

        Raises:
            DatumError: the feature does not locate the axis. JobError, ExportError: the file could not be changed.
        """
        rule = rule_from(self._working.setup, row, axis, feature, self._rows.expected(row)[axis], onto=onto)
        return self._take(row, {axis: rule})

    def take_middle(self, row: str, axis: str, other: str) -> bool:
        """Take an axis of an offset from the middle between the feature it comes from and another; the zero stays.

        Raises:
            DatumError: the feature does not locate the axis, or there is none yet to go with it.
        """
        return self._take(row, {axis: middle_rule(self._working.setup, row, axis, other)})

    def add_rows(self, parent: str, rows: list[tuple[str, str, dict[str, Rule]]]) -> None:
        """Give the job more rows that follow one of its own: name, title, rules. Raises JobError, ExportError."""
        above = self._working.setup.row(parent)
        limit = above.jump_limit
        if self._editor.files is not None and not above.on_bench:
            self._editor.change(self._editor.files.with_rows(rows, limit))
            return
        for row, title, rules in rows:
            self._working.setup = self._working.setup.with_row(RowPlan(row, title, rules, limit, on_bench=True))

    def take_table(self, row: str) -> str:
        """Use the angle of an offset by the machine's table, or by the row again; the table's letter, "" for none.

        Raises:
            DatumError: the row has no measured angle, or the machine no table about Z. JobError, ExportError.
        """
        plan = self._working.setup.row(row)
        axis = next((axis for axis in self._working.setup.machine.rotary if abs(axis.direction[2]) > 0.999999), None)
        if not isinstance(plan.rules.get("r"), FromHeading | FromFit):
            raise DatumError(
                f"{row} has no measured angle", "There is nothing to turn out", "Take one: ⟨setup:r⟩, or ⟨setup:f⟩"
            )
        if axis is None:
            raise DatumError(
                "The machine has no table about Z", "", "Turn the part by hand, or keep the angle in the row"
            )
        sense = axis.sense * (1 if axis.direction[2] > 0 else -1)
        turner = None if plan.turner is not None else Turner(axis.letter, axis.centre[:2], sense, axis.u_centre)
        letter = turner.letter if turner is not None else ""
        if self._editor.files is not None:
            self._editor.files.make(self._editor.files.turned_by(row, letter))
        rows = tuple(replace(p, turner=turner) if p.row == row else p for p in self._working.setup.rows)
        self._working.setup = replace(self._working.setup, rows=rows)
        self._editor.mark_stale(row, f"angle by {letter or 'the row'}")
        return letter

    def table_turned(self, row: str, table: tuple[str, float]) -> None:
        """A table turned the part of a row straight: what was touched before stands elsewhere now."""
        letter, by = table
        self._working.measured.clear()
        self._working.forget_unused()
        for plan in self._working.setup.rows:
            if plan.row != row and self._rows.parent_of(plan.row) != row and self._rows.on_part(plan):
                self._editor.mark_stale_alone(plan.row, f"{letter} turned by {signed_deg(by, 4)}")

    def put_zero(self, row: str, places: Mapping[str, float]) -> bool:
        """Put axes of an offset's zero at places, machine mm by the description; each stays measured where it was.

        Raises:
            DatumError: an axis comes from no feature. JobError, ExportError: the file could not be changed.
        """
        return self._take(row, {axis: rule_at(self._working.setup, row, axis, place) for axis, place in places.items()})

    def take_turn(self, row: str, feature: str | None) -> bool:
        """Take the angle of an offset from a drawn feature, or leave it out (None). Tells whether a file keeps it.

        Raises:
            DatumError: it tells no angle. JobError, ExportError: the file could not be changed.
        """
        return self._take(row, {"r": None if feature is None else turn_rule(self._working.setup, row, feature)})

    def take_fit(self, row: str, feature: str) -> bool:
        """Take X, Y and the angle from a best fit with this feature more, or without it; the zero stays.

        Raises:
            DatumError: it is no point. JobError, ExportError: the file could not be changed.
        """
        return self._take(row, fit_rules(self._working.setup, row, feature))

    def derivation(self, row: str, parent: str) -> str:
        """How a row would lie to the one it is to follow, in words. Raises DatumError."""
        rules = self._derived(row, parent)
        shifts = {axis: rule.shift for axis, rule in rules.items() if isinstance(rule, FromRow) and axis != "r"}
        return (
            "  ".join(f"{axis.upper()} {signed_bare(shift)}" for axis, shift in shifts.items())
            + f" {shown_unit().value} from {parent}"
        )

    def _derived(self, row: str, parent: str) -> dict[str, Rule | None]:
        zeros = []
        for name in (row, parent):
            held = self._rows.expected(name) if any(plan.row == name for plan in self._working.setup.rows) else {}
            zeros.append((held.get("x", 0.0), held.get("y", 0.0), held.get("z", 0.0)))
        return parent_rules(self._working.setup, row, parent, (zeros[0], zeros[1]))

    def take_parent(self, row: str, parent: str) -> bool:
        """Derive a row from another, its zero staying where the description has it. Tells whether a file keeps it.

        Raises:
            DatumError: it cannot follow that. JobError, ExportError: the file could not be changed.
        """
        return self._take(row, self._derived(row, parent))

    def _take(self, row: str, rules: Mapping[str, Rule | None]) -> bool:
        rules = together(self._working.setup, row, rules)
        on_bench = self._working.setup.row(row).on_bench
        if self._editor.files is not None and not on_bench:
            self._editor.files.make(self._editor.files.ruled(row, rules))
        self._working.setup = with_rules(self._working.setup, row, rules)
        self._editor.mark_stale(row, f"datum of {', '.join(rules).upper()} changed")
        return self._editor.files is not None and not on_bench
