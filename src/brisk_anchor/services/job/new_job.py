"""Beginning a job: from the neutral example or another job, its part a plate or read from a drawing."""

from __future__ import annotations

import tempfile
from dataclasses import replace
from pathlib import Path

from brisk_anchor.core.features.measuring import propose_depth
from brisk_anchor.core.quantities import Unit, dim, figures_in
from brisk_anchor.exchange.folder_change import new_files
from brisk_anchor.exchange.toml_files import read_text
from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.services.job.job_editor import Change, JobEditor
from brisk_anchor.services.job.job_text import JOB_NAME, figure, quoted, with_key
from brisk_anchor.services.job.jobs import NEUTRAL_MACHINE, new_job
from brisk_anchor.services.job.part_text import part_text, read_part
from brisk_anchor.standin.solid_file import extent_of


@dataclass(frozen=True, slots=True)
class DrawingSource:
    """A drawing or a mesh to read: `depth` (mm below an edge) is proposed from the ball where it is None."""

    path: Path
    units: str | None = None
    layers: frozenset[str] | None = None
    depth: float | None = None
    thickness: float | None = None


def begin_job(
    folder: Path,
    *,
    like: Path | None = None,
    name: str | None = None,
    plate: str | None = None,
    drawing: DrawingSource | None = None,
    unit: Unit | None = None,
    as_example: bool = False,
) -> tuple[list[Path], str]:
    """Write a job's files; what cannot be made whole is not begun.

    With a plate or a drawing, part, fixture and rows are named for that part; `as_example` keeps the example's names.
    `unit` is that of the plate's figures, and the job is shown in it.

    Returns:
        The files, and what the part is in words, empty for the example's own.

    Raises:
        ExportError: a file is there already, or cannot be written. JobError, DrawingFileError, NumberEntryError: the
            other job, the drawing, the name or the plate is not usable.
    """
    told = ""
    with tempfile.TemporaryDirectory() as place:
        there = Path(place)
        new_job(there, like)
        editor = JobEditor(there)
        own = plate is not None or drawing is not None
        if own and like is None and not as_example:
            stem = drawing.path.stem if drawing is not None else folder.resolve().name
            editor.make(editor.rewritten(_own_names(editor, there, name or _plain(stem)), "names of the new part"))
        elif name is not None:
            part = editor.job.job.part
            texts = {
                file: with_key(read_text(there / file), file, "name", quoted(name), "units")
                for file in (JOB_NAME, part)
            }
            editor.make(editor.rewritten(texts, f"the job is called {name}"))
        if unit is not None:
            text = with_key(read_text(there / JOB_NAME), JOB_NAME, "display", quoted(_FILE_UNITS[unit]), "units")
            editor.make(editor.rewritten({JOB_NAME: text}, f"shown in {unit.value}"))
        if own:
            with figures_in(unit or Unit.MM):
                change = editor.drawn(f"plate {plate}") if drawing is None else _from_drawing(editor, drawing)
            editor.make(replace(change, aside=""))
            told = change.told
            if like is None:
                editor.make(editor.rewritten(_held(editor), "the part in the vice"))
        wanted = {".toml"} if told else {".toml", ".dxf"}  # the example's drawing is of the example's part
        files = {path.name: path.read_bytes() for path in sorted(there.iterdir()) if path.suffix in wanted}
        return new_files(folder, files), told


_FILE_UNITS = {Unit.MM: "mm", Unit.INCH: "inch"}


def _plain(stem: str) -> str:
    """A name from that of a file or folder."""
    return " ".join("".join(c if c.isalnum() or c in "-_." else " " for c in stem).split())[:40] or "part 1"


def _own_names(editor: JobEditor, there: Path, name: str) -> dict[str, str]:
    """The example's files with names that say nothing of the example."""
    job = editor.job.job
    texts = {file: read_text(there / file) for file in (JOB_NAME, job.part, job.fixture, job.machine)}

    def put(file: str, key: str, value: str | None, after: str = "name", table: tuple[str | int, ...] = ()) -> None:
        texts[file] = with_key(texts[file], file, key, None if value is None else quoted(value), after, table=table)

    for key, value in (("title", name), ("company", None), ("name", name)):
        put(JOB_NAME, key, value, "units")
    for number, title in enumerate(("part", "vice")):
        put(JOB_NAME, "title", title, "row", ("offset", number))
    for number, _ in enumerate(job.operation):
        put(JOB_NAME, "comment", None, "name", ("operation", number))
    put(job.part, "title", name, "name")
    put(job.part, "name", name, "units")
    put(job.fixture, "name", "vice", "units")
    put(job.machine, "name", NEUTRAL_MACHINE, "units")
    return texts


_OVER, _CLOSE, _GRIP = 35.0, 0.1, 5.0
"""How far, mm, the clear height lies over the part, the part off the stop, and how much of it the jaws hold."""


def _held(editor: JobEditor) -> dict[str, str]:
    """Files with the new part where the example's vice holds it: against the stop and the fixed jaw, the moving jaw at
    its front where the bed is long enough. Its top is as high as the example's, where parallels do that: a thick one
    lies on the bed, a thin one deep enough for the jaws.
    """
    job = editor.job
    low, high = extent_of(list(job.part.solid))
    names = [solid.name for solid in job.fixture.solid]
    stop, fixed, moving, bed = (
        extent_of([job.fixture.solid[names.index(name)]]) for name in ("stop", "fixed jaw", "moving jaw", "bed")
    )
    height = high[2] - low[2]
    gripped = fixed[1][2] - min(_GRIP, height / 2)
    bottom = max(bed[1][2], min(job.job.seat[2] - height, gripped))
    top = bottom + height
    seat = (stop[1][0] + _CLOSE - low[0], fixed[0][1] - high[1], top - high[2])
    text = with_key(job.texts[JOB_NAME], JOB_NAME, "seat", _figures(*seat), "seat")
    clear = figure(max(job.job.clear_height, top + _OVER))
    texts = {JOB_NAME: with_key(text, JOB_NAME, "clear_height", clear, "clear_height")}
    front, thick = seat[1] + low[1], moving[1][1] - moving[0][1]
    if front >= thick:
        name = job.job.fixture
        texts[name] = job.texts[name]
        for key, corner, y in (("low", moving[0], front - thick), ("high", moving[1], front)):
            table = ("solid", names.index("moving jaw"))
            texts[name] = with_key(texts[name], name, key, _figures(corner[0], y), key, table=table)
    return texts


def _figures(*values: float) -> str:
    return f"[{', '.join(figure(value) for value in values)}]"


def _from_drawing(editor: JobEditor, source: DrawingSource) -> Change:
    read = read_part(source.path, units=source.units, layers=source.layers)
    job = editor.job
    depth = source.depth or propose_depth(job.machine.probe.ball_diameter, job.job.start_uncertainty)
    text = part_text(read, editor.job.part.name, depth=depth, thickness=source.thickness)
    told = f"{read.source}: {text.count('[[feature]]')} features, touched {dim(depth)} down"
    return editor.replaced(text, "; ".join((told, *read.notes)))
