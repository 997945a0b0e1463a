"""Making the set-up sheet of a row and putting it in files."""

from __future__ import annotations

from pathlib import Path

from brisk_anchor.book.store import EntryKind
from brisk_anchor.core.errors import PlanError
from brisk_anchor.drawings.sheet import SheetContent, sheet
from brisk_anchor.exchange.files import write_whole
from brisk_anchor.services.workshop import Workshop


def write_sheets(workshop: Workshop, row: str, folder: Path) -> list[Path]:
    """Write the set-up sheet of a row as SVG and PDF.

    Raises:
        PlanError: when nothing has been stored in the row. ExportError: when a file cannot be written.
    """
    entry = workshop.last(row, EntryKind.STORED)
    if entry is None or entry.chain is None:
        raise PlanError(
            f"{row} has not been stored yet", "A sheet of figures that may change misleads", "Store it first"
        )
    proved = workshop.last(row, EntryKind.PROVED)
    proof = proved.proof if proved and proved.at > entry.at else None
    content = SheetContent(
        setup=workshop.setup,
        chain=entry.chain,
        title=workshop.setup.title,
        stamp=entry.at.astimezone().strftime("%Y-%m-%d %H:%M"),
        state=workshop.state(row).value,
        proof=proof,
        lengths=_lengths(workshop),
    )
    name = f"setup-{workshop.setup.job.lower()}-{row.lower()}"
    return [write_whole(folder / f"{name}.{kind}", sheet(content, kind)) for kind in ("svg", "pdf")]


def _lengths(workshop: Workshop) -> str:
    """How tool lengths go with the Z of an offset on this control."""
    match workshop.profile.tool_lengths.convention:
        case "master":
            master = workshop.profile.length_reference
            return (
                f"Tool lengths are differences from the master of {master:g}, whose length is part of the offset's Z."
            )
        case "part":
            return "Every tool is touched off on the part; Z of the offset is left as it stands."
    return "Tool lengths from the gauge line: spindle Z = offset Z + program Z + tool length."
