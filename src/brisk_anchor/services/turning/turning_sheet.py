"""The set-up sheet of a lathe: what it shows of a session, and the files it is put in."""

from __future__ import annotations

import textwrap
from datetime import datetime
from pathlib import Path

from brisk_anchor.book.entries import RowState
from brisk_anchor.core.errors import PlanError
from brisk_anchor.drawings.turning import TurningSheet, turning_sheet
from brisk_anchor.exchange.files import write_each
from brisk_anchor.services.paths import file_stem
from brisk_anchor.services.turning.half_section import section_of_setup
from brisk_anchor.services.turning.turning_session import TurningSession
from brisk_anchor.services.turning.turning_words import facts_of_setup, tool_lines, work_lines


def write_turning_sheet(session: TurningSession, folder: Path, paper: str = "a4") -> list[Path]:
    """Write the set-up sheet as SVG and PDF.

    Raises:
        PlanError: no zero is stored yet. ExportError: a file cannot be written.
    """
    if session.state(session.row) not in (RowState.STORED, RowState.PROVED):
        raise PlanError(
            f"{session.row} has not been stored yet", "A sheet of figures that may change misleads", "Store it first"
        )
    setup, section = session.job.setup, section_of_setup(session)
    stamp = datetime.now().astimezone().strftime("%Y-%m-%d %H:%M")
    low_z, high_z, _, high_r = section.window
    content = TurningSheet(
        title=f"{setup.job}  {setup.title}",
        about=f"{setup.lathe.name}  ·  O{setup.program}  ·  X figures are diameters  ·  {stamp}",
        outlines=tuple((outline.role, outline.ring) for outline in section.outlines),
        zero=section.zero or 0.0,
        zero_label=session.row,
        window=(low_z, high_z, high_r),
        below=section.below,
        zeros=tuple((w.row, w.title, w.state, w.x, w.z, w.spread) for w in work_lines(session)),
        tools=tuple(
            (
                tool.name,
                textwrap.shorten(", ".join(filter(None, (tool.title, tool.about_edge))), 76, placeholder=" …"),
                tool.picture(setup.lathe.turret),
                g.x,
                g.z,
                w.x,
                w.z,
            )
            for tool, g, w in tool_lines(session)
        ),
        notes=tuple(facts_of_setup(session)),
    )
    name = file_stem(f"turning-{setup.job}-{session.row}")
    return write_each(folder, name, turning_sheet(content, paper))
