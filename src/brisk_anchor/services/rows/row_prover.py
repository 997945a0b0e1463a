"""Proving a stored row: its full program runs on a twin of the machine, and what it stores there is compared."""

from __future__ import annotations

from collections.abc import Mapping

from brisk_anchor.book.entries import DISAGREES, Entry, EntryKind, RowState
from brisk_anchor.core.errors import PlanError
from brisk_anchor.core.offsets.proof import Proof
from brisk_anchor.nc.programs.program import Program
from brisk_anchor.nc.programs.reports import parse_reports
from brisk_anchor.nc.read.interpreter import Interpreter
from brisk_anchor.nc.read.variables import Memory
from brisk_anchor.services.machine.runs import Run
from brisk_anchor.services.rows.ledger import Ledger
from brisk_anchor.services.rows.row_programs import RowPrograms
from brisk_anchor.services.rows.row_states import RowStates
from brisk_anchor.standin.control import Control

_SINCE = {
    RowState.STALE: "it is out of date",
    RowState.MEASURED: "it was measured or worked out anew since",
    RowState.TYPED: "another value was typed since",
}
_WAITING = {EntryKind.MEASURED: RowState.MEASURED, EntryKind.TYPED: RowState.TYPED}


class RowProver:
    """Runs programs on twins of a stand-in; the machine itself and its tables are not touched."""

    def __init__(self, control: Control, rows: RowStates, programs: RowPrograms, ledger: Ledger) -> None:
        self._control = control
        self._rows = rows
        self._programs = programs
        self._ledger = ledger

    def proving_run(self, program: Program) -> Run:
        """A run of a program on a twin of the machine."""
        machine, profile = self._control.machine, self._control.profile
        twin = machine.twin(seed=len(machine.motions) + 7)
        twin.turned_round = False  # a program finds the spindle as it always stands
        # What outlasts a program on the control is there for this one too: the angles of rows, say.
        memory = Memory(self._control.memory.common)
        return Run(program, profile, twin, Interpreter(program.text, profile, twin, memory))

    def judge(self, row: str, program: Program, run: Run) -> Proof:
        """Compare what a proving run left in the twin's table with the stored value, and enter it in the book.

        Two honest measurements of the same thing differ by no more than 3 standard uncertainties of their difference,
        plus one step of the table: ours and the control's own, which scatters more where its sums do, and knows no
        radius by direction.

        Raises:
            BriskAnchorError: the run did not end well, or nothing was stored that still holds.
        """
        if failure := run.failure():
            raise failure
        self.look(row)
        if self._programs.full_program(row).identity != program.identity:
            raise PlanError(
                f"What sets {row} was changed while its program ran",
                "The run proves nothing of what is stored now",
                "Prove it again",
            )
        touches = len(parse_reports(run.printed).touches)
        return self.compare(row, program, run.table_values(row), touches, run.machine.seconds)

    def compare(
        self, row: str, program: Program, values: Mapping[str, float], touches: int, seconds: float, note: str = ""
    ) -> Proof:
        """Compare what was found with the stored value, as `judge` does, and enter it in the book.

        Args:
            row: the row.
            program: what found it.
            values: its axes, mm, and its angle, degrees.
            touches: how many were made.
            seconds: of machine time; 0 where nobody told.
            note: what the entry says besides.

        Raises:
            PlanError: nothing has been stored yet.
        """
        stored = self._stored(row)
        profile = self._control.profile
        worst = max(abs(values[axis] - value) for axis, value in stored.values.items() if axis != "r")
        own = stored.chain
        axes = [axis for axis in stored.values if axis != "r"] if own else []
        random = [own.run_to_run(axis) for axis in axes] if own else []
        shifted = max((own.shifted(axis) for axis in axes), default=0.0) if own else 0.0
        proof = Proof(
            program.number,
            program.digest,
            tuple(values.items()),
            worst,
            3 * max(random, default=0.0) + shifted + 2 * profile.rounding,
            touches,
            seconds,
            abs(values["r"] - stored.values["r"]) if "r" in stored.values else 0.0,
            self._angle_allowed(stored),
            *self._rows.proved_with,
        )
        words = f"O{program.number:04d} " + ("agrees" if proof.holds else DISAGREES) + note
        self._ledger.add(EntryKind.PROVED, row, stored.chain, proof=proof, note=words)
        return proof

    def _angle_allowed(self, stored: Entry) -> float:
        """How far two honest measurements of a row's angle may differ, degrees."""
        if stored.chain is None or "r" not in stored.values:
            return 0.0
        return 3 * stored.chain.run_to_run("r") + self._control.profile.resolution

    def _stored(self, row: str) -> Entry:
        stored = self._rows.last(row, EntryKind.STORED)
        if stored is None:
            raise PlanError(f"{row} has not been stored yet", "There is nothing to prove", "Store it first")
        return stored

    def look(self, row: str, *, on_the_machine: bool = False) -> None:
        """Raise PlanError where nothing is stored that could be proved.

        A twin knows nothing of a part that was clamped anew. What is touched again `on_the_machine` itself does: there
        a value that is out of date may still turn out to hold, but not one that another waits to replace.
        """
        self._stored(row)
        state = self._ledger.facts(row).state
        newest = self._ledger.valued(row)
        waits = _WAITING.get(newest.kind) if newest is not None else None
        if state.is_settled or (on_the_machine and state is RowState.STALE and waits is None):
            return
        state = waits or state
        raise PlanError(
            f"What was stored of {row} holds no more: {_SINCE.get(state, f'it is {state.value}')}",
            "Only the value of before would be proved",
            "Measure and store it, then prove it",
        )

    def prove(self, row: str) -> Proof:
        """Write the full program, run it on the twin, judge it. Raises like its parts."""
        self.look(row)
        program = self._programs.full_program(row)
        run = self.proving_run(program)
        run.to_end()
        return self.judge(row, program, run)
