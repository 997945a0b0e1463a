"""Making the set-up sheet of a row and putting it in files."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from pathlib import Path

from brisk_anchor.book.entries import EntryKind, local_time
from brisk_anchor.core.errors import PlanError
from brisk_anchor.core.quantities import deg, dim, in_shown, shown_unit, signed_deg, signed_dim, um
from brisk_anchor.drawings.charts import Panel, chart
from brisk_anchor.drawings.places import DrawnFace, DrawnPlace, places_page
from brisk_anchor.drawings.sheet import SheetContent, sheet
from brisk_anchor.exchange.files import write_each
from brisk_anchor.services.session.places_map import places_map
from brisk_anchor.services.session.repeatability import Repeated
from brisk_anchor.services.session.session import Session


def write_sheets(session: Session, row: str, folder: Path, paper: str = "a4") -> list[Path]:
    """Write the set-up sheet of a row as SVG and PDF, on "a4" or "letter".

    Raises:
        PlanError: when nothing has been stored in the row. ExportError: when a file cannot be written.
    """
    entry = session.rows.last(row, EntryKind.STORED)
    if entry is None or entry.chain is None:
        raise PlanError(
            f"{row} has not been stored yet", "A sheet of figures that may change misleads", "Store it first"
        )
    proved = session.rows.last(row, EntryKind.PROVED)
    proof = proved.proof if proved and proved.at > entry.at else None
    content = SheetContent(
        setup=session.setup,
        chain=entry.chain,
        title=session.setup.title,
        stamp=local_time(entry.at).strftime("%Y-%m-%d %H:%M"),
        state=session.rows.state(row).value,
        proof=proof,
        lengths=_lengths(session),
        lists=_lists(session, row),
    )
    name = f"setup-{session.setup.job.lower()}-{row.lower()}"
    written = write_each(folder, name, sheet(content, paper))
    return written + write_places(session, folder, paper)


def write_places(session: Session, folder: Path, paper: str = "a4") -> list[Path]:
    """Write the map of the fixture's places as SVG and PDF; nothing where it holds one part. Raises ExportError."""
    faces = []
    for face in places_map(session, session.link.angles):
        shown = []
        for known in face.places:
            users = [o.name for o in session.setup.card.operations if o.offset in known.place.rows]
            used = ", ".join(name for name in users if name.endswith(f" {known.place.name}")) or ", ".join(users[:2])
            looked = "looked at" if known.looked_at else "not looked at"
            lines = ("empty",) if known.place.empty else (known.row, f"{known.state}, {looked}", used)
            sound = known.place.empty or known.state in ("stored", "proved")
            shown.append(
                DrawnPlace(known.place.name, known.place.column, known.place.row, lines, sound, known.place.empty)
            )
        faces.append(DrawnFace(f"face {face.face}   {face.angle}".strip(), tuple(shown)))
    if not faces:
        return []
    setup = session.setup
    stamp = datetime.now().astimezone().strftime("%Y-%m-%d %H:%M")
    about = f"{setup.machine.name}  ·  {setup.fixture}  ·  {setup.part}  ·  as the spindle sees each face  ·  {stamp}"
    name = f"places-{setup.job.lower()}"
    return write_each(folder, name, places_page(setup.title, about, faces, paper))


def write_repeat_chart(session: Session, title: str, found: Sequence[Repeated], folder: Path) -> list[Path]:
    """Write the chart of a repeatability run as SVG and PDF. Raises ExportError."""
    runs = tuple(float(number + 1) for number in range(len(found[0].values)))
    panels = [
        Panel(
            f"{figure.label}, {shown_unit().word}",
            runs,
            tuple(in_shown(value) for value in figure.values),
            in_shown(figure.mean),
            in_shown(2 * figure.stated),
            note=f"spread {um(figure.spread)}, range {um(figure.range)}, "
            f"the strip is the ± stated of one, {um(2 * figure.stated)}",
        )
        for figure in found
    ]
    stamp = datetime.now().astimezone().strftime("%Y-%m-%d %H:%M")
    heading = f"{title}, measured {len(runs)} times"
    about = f"{session.setup.machine.name}  ·  {session.setup.part}  ·  {stamp}"
    name = f"repeat-{session.setup.job.lower()}"
    return write_each(folder, name, chart(heading, about, "run", panels))


def _lists(session: Session, row: str) -> tuple[tuple[str, tuple[str, ...]], ...]:
    """Offsets with their names, what to have ready, clamping, what to check."""
    setup = session.setup
    card, stylus = setup.card, setup.stylus
    offsets = []
    for plan in setup.rows:
        used = ", ".join(o.name for o in card.operations if o.offset == plan.row)
        mark, users = "▸ " if plan.row == row else "", f", for {used}" if used else ""
        offsets.append(f"{mark}{plan.row}  {plan.title}: {session.rows.state(plan.row).value}{users}")
    offsets += [f"{o.name}: {o.comment}, with {o.offset}" for o in card.operations if o.comment]
    tools = [
        f"T{stylus.tool_number}  {stylus.name}, ball ⌀{dim(stylus.ball_diameter)}, length {dim(stylus.length, 4)}",
        *(
            f"T{t.number}  {t.name}, ⌀{dim(t.diameter)}, length "
            + ("to be measured" if t.length is None else f"{dim(t.length, 3)}")
            for t in setup.shelf.cutters
        ),
    ]
    plan = setup.row(row)
    named = {drawn.name: drawn for drawn in setup.features}
    checks = [
        f"part within {dim(setup.start_uncertainty)} and {deg(setup.turn_uncertainty)} of where it is drawn"
        + (f", turned {signed_deg(setup.turn)}" if setup.turn else ""),
        f"nothing over machine Z {signed_dim(setup.clear_height)} (tip) but the tool",
        f"measured after every clamping; jumps over {dim(plan.jump_limit)} stop",
    ]
    for name in session.rows.needed(plan):
        drawn = named[name]
        if drawn.size and drawn.tolerance:
            low, high = drawn.tolerance
            balloon = f"{drawn.balloon}  " if drawn.balloon else ""
            checks.append(f"{balloon}{drawn.title}: {dim(drawn.size + low)} to {dim(drawn.size + high)}")
    notes = list(card.notes) or ["clean the seats; push the part against its stops; tighten"]
    return (
        ("Offsets", tuple(offsets)),
        ("Have ready", tuple(tools)),
        ("Clamping", tuple(notes)),
        ("Check", tuple(checks)),
    )


def _lengths(session: Session) -> str:
    """How tool lengths go with the Z of an offset on this control."""
    match session.profile.tool_lengths.convention:
        case "master":
            master = session.profile.length_reference
            told = f"Tool lengths are differences from the master of {dim(master)}"
            return f"{told}, whose length is part of the offset's Z."
        case "part":
            return "Every tool is touched off on the part; Z of the offset is left as it stands."
    return "Tool lengths from the gauge line: spindle Z = offset Z + program Z + tool length."
