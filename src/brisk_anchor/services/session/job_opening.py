"""Opening a person's own job: its files, the user's book, and the machine as it was left."""

from __future__ import annotations

import logging
from pathlib import Path
from typing import TYPE_CHECKING

from brisk_anchor.core.errors import BookWriteError
from brisk_anchor.core.quantities import show_as_described
from brisk_anchor.services.job.job_editor import JobEditor
from brisk_anchor.services.job.jobs import load_machine, machine_file_of
from brisk_anchor.services.paths import file_stem
from brisk_anchor.services.session.book_opening import open_book
from brisk_anchor.services.session.session import Session
from brisk_anchor.standin.scene import build_scene

if TYPE_CHECKING:
    from brisk_anchor.book.store import Book

_LOG = logging.getLogger(__name__)


def _look_at_reference(session: Session) -> None:
    """The master's length may have been changed in an editor."""
    from brisk_anchor.services.session.tool_shelf import reference_due

    try:
        reference_due(session)
    except BookWriteError as error:  # a book that is only read is opened all the same
        _LOG.warning("the tool setter's reference is out of date, and that cannot be noted: %s", error.one_line())


def open_job(folder: Path, data: Path, *, roll: int) -> Session:
    """Open a job's folder, or a machine's file alone, with the user's book and the machine as it was left, in `data`.

    Raises:
        BriskAnchorError: the files have faults, or book or machine cannot be opened.
    """
    editor = None
    if (path := machine_file_of(folder)) is not None:
        alone = load_machine(path)
        name, profile, scene = alone.machine.name, alone.profile, build_scene(alone.scene())
        unit, described, base = alone.unit, alone.machine, path.parent
    else:
        editor = JobEditor(folder)
        job = editor.job
        name, profile, scene = job.machine.name, job.profile, build_scene(job.scene(roll))
        unit, described, base = job.unit, job.machine, folder
    linked = described.link.settings(base.absolute()) if described.link is not None else None
    if linked is not None and editor is not None:
        roll, scene = 0, build_scene(editor.job.scene(0))  # what really lies there, nobody knows
    machine = file_stem(name)

    def make(book: Book) -> Session:
        file = data / f"machine-{machine}.json"
        session = Session(scene, book, profile, machine_file=file, description=editor, rolled=roll, linked=linked)
        if session.setup.shelf.setter is not None:
            _look_at_reference(session)
        return session

    show_as_described(unit)
    return Session.with_book(open_book(data / "book.sqlite"), make)
