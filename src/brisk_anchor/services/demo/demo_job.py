"""Opening the demo: its scene, and a book of its own."""

from __future__ import annotations

from datetime import datetime
from importlib import resources
from pathlib import Path

from brisk_anchor.book.store import Book
from brisk_anchor.core.errors import BookError
from brisk_anchor.exchange.files import write_whole
from brisk_anchor.nc.profile.control_profile import Profile
from brisk_anchor.services.demo.example import DEMO_SCENE
from brisk_anchor.services.session.book_opening import open_book
from brisk_anchor.services.session.session import Session

DEMO_DRAWING, DEMO_THICKNESS = "bc-27.dxf", 35.0
"""The drawing of BC-27 that ships, and how thick its plate is, mm."""


DEMO_JOBS = ("lever", "cap", "block", "tombstone", "trunnion", "batch", "shop", "sleeve")
"""The jobs of the demo: GL-114, BC-27 read from its drawing, a block that nobody drew, GL-114 twelve times on the four
faces of a tombstone, NB-40 with its bore on a sloping face, BC-27 in a batch that is inspected, the same on a machine
that stands elsewhere, behind files, and RS-09 on the lathe.
"""
OF_FILES = ("tombstone", "trunnion", "batch")
"""Those that are each a folder of files of its own."""
BLOCK_SCENE = "heron-block"


def open_demo(folder: Path, *, fresh: bool, profile: Profile | None = None) -> Session:
    """Open the demo job with the book and the machine in `folder`; `fresh` puts the old ones aside first.

    Raises:
        BriskAnchorError: the book or the scene cannot be opened.
    """
    session = _open_scene(DEMO_SCENE, folder, fresh=fresh, profile=profile)
    demo_plan(folder, "gl-114")
    demo_cutting(folder)
    return session


def open_block(folder: Path, *, fresh: bool, profile: Profile | None = None) -> Session:
    """Open the demo's block that has no drawing; `folder` keeps its book and its machine. Raises BriskAnchorError."""
    return _open_scene(BLOCK_SCENE, folder, fresh=fresh, profile=profile)


def _open_scene(scene: str, folder: Path, *, fresh: bool, profile: Profile | None) -> Session:
    path, machine = folder / "book.sqlite", folder / "machine.json"
    if fresh:
        now = f"{datetime.now():%Y%m%d-%H%M%S}"
        try:
            if path.exists():
                Book.open(path).close()
                path.rename(folder / f"book-{now}.sqlite")
            if machine.exists():
                machine.rename(folder / f"machine-{now}.json")
        except OSError as error:
            raise BookError(
                f"The old demo book could not be put aside: {error.strerror}", "", "Check the disk"
            ) from error
    return Session.with_book(
        open_book(path), lambda book: Session.open(scene, book, profile=profile, machine_file=machine)
    )


LINK = """
[link]                         # a control at the other end: see docs/formats.md
programs = "files"
program_folder = "control/programs"
reports = "files"
report_file = "control/printed.txt"
"""


def demo_shop(folder: Path) -> Path:
    """The files of the job whose machine stands elsewhere; written where there are none yet. Raises ExportError."""
    if not (folder / "machine.toml").exists():
        source = resources.files("brisk_anchor.services") / "examples" / "batch" / "machine.toml"
        text = source.read_text(encoding="utf-8").replace('connection = "stand-in"\n', "")
        at = text.index("\n[probe]")
        write_whole(folder / "machine.toml", (text[:at] + LINK + text[at:]).encode())
    (folder / "control" / "programs").mkdir(parents=True, exist_ok=True)
    return demo_files(folder, "batch")


def demo_plan(folder: Path, name: str) -> Path:
    """The plan of a demo part in a folder; written where there is none yet. Raises ExportError."""
    path = folder / f"{name}.plan.toml"
    if not path.exists():
        text = (resources.files("brisk_anchor.services") / "examples" / "plans" / path.name).read_bytes()
        write_whole(path, text)
    return path


def demo_cutting(folder: Path) -> Path:
    """A cutting program of the demo in a folder; written where there is none yet. Raises ExportError."""
    path = folder / "gl-114-boss.nc"
    if not path.exists():
        write_whole(path, (resources.files("brisk_anchor.services") / "examples" / "plans" / path.name).read_bytes())
    return path


def demo_files(folder: Path, name: str) -> Path:
    """The folder of one of the demo's jobs of files, with its plan; what is not there yet is written.

    Raises:
        BriskAnchorError: it cannot be written.
    """
    source = resources.files("brisk_anchor.services") / "examples" / name
    for entry in source.iterdir():
        if entry.name.endswith(".toml") and not (folder / entry.name).exists():
            write_whole(folder / entry.name, entry.read_bytes())
    return folder


def demo_job(folder: Path) -> Path:
    """The folder of the demo's second part, BC-27, read from the drawing that ships; made when it is not there yet.

    Raises:
        BriskAnchorError: it cannot be written.
    """
    job = folder / "bc-27"
    if not (job / "job.toml").exists():
        from brisk_anchor.services.job.new_job import DrawingSource, begin_job

        drawing = resources.files("brisk_anchor.services") / "examples" / "bc-27" / DEMO_DRAWING
        with resources.as_file(drawing) as path:
            begin_job(job, drawing=DrawingSource(path, thickness=DEMO_THICKNESS), as_example=True)
    demo_plan(job, "bc-27")
    return job
