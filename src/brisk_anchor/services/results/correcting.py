"""Writing a correction to the control: by a program of our own, guarded and read back, and entered in the book."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, datetime

from brisk_anchor.core.errors import InspectionError
from brisk_anchor.core.inspection.correction import Correction
from brisk_anchor.core.quantities import signed_dim
from brisk_anchor.nc.programs.judging import Inspecting, WearChange
from brisk_anchor.nc.programs.program import Program
from brisk_anchor.nc.write.writer import write_program
from brisk_anchor.services.job.characteristics import Asked, by_of
from brisk_anchor.services.offsets.offset_book import edit, write_rows
from brisk_anchor.services.results.inspection import Inspection
from brisk_anchor.services.rows.working_state import FigureChange

_SAME = 2e-4
_SERIES = 7
"""Of programs that correct: between those that mark tools and those of extended rows."""


def correction_program(inspection: Inspection, correction: Correction) -> Program:
    """The program that makes a correction: it stops where the table holds something else than it was worked out from.

    Raises:
        InspectionError: nothing is corrected. PlanError: the control has no such table for a program.
    """
    session, way = inspection.session, correction.way
    if not correction.change:
        raise InspectionError(correction.why or "There is nothing to correct", correction.card, "")
    change = WearChange(way.tool, way.target, correction.old, correction.new)
    number = session.heads.first_number + 40 + _SERIES
    plan = session.heads.plan_of(number, f"{by_of(way)} corrected", [], None)
    return write_program(replace(plan, inspecting=Inspecting(wear=(change,))), session.profile)


def write_correction(inspection: Inspection, asked: Asked, correction: Correction) -> str:
    """Run that program, look whether the table holds the new figure, and enter it with the newest part; in words.

    Raises:
        InspectionError: the table does not hold it. MachineError: the machine stopped. SecondLookError, BookWriteError.
    """
    session, way = inspection.session, correction.way
    if session.real is not None:
        what = "This machine is worked at its own control"
        raise InspectionError(what, "Nothing was changed", f"brisk-anchor order correct {asked.balloon}, or view 8")
    if way.target == "row":
        reason = f"by {asked.balloon}: {'; '.join(correction.steps)}"
        edit(session, way.row, {way.axis: correction.new}, reason[:120])
        write_rows(session, [way.row])
    else:
        program = correction_program(inspection, correction)
        run = session.runner.start(program)
        run.to_end()
        session.link.settle()
        if (failure := run.failure()) is not None:
            raise failure
    held = inspection.figure_now(way)
    if abs(held - correction.new) > _SAME:
        raise InspectionError(
            f"{by_of(way)} reads {signed_dim(held, 4)} and not {signed_dim(correction.new, 4)}",
            "The control did not take it",
            "Look at its tool table",
        )
    made = inspection.corrected(asked, correction)
    session.working.figures_changed.append(FigureChange(datetime.now(UTC), made.by, made.old, made.new, made.why))
    inspection.note_corrected(made)
    return f"{by_of(way)} is {signed_dim(held, 4)}: {'; '.join(correction.steps)}"
