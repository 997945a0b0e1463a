"""Opening a person's own job: its files, the user's book, and the machine as it was left."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from brisk_anchor.services.job.job_editor import JobEditor
from brisk_anchor.services.session.book_opening import open_book
from brisk_anchor.services.session.session import Session
from brisk_anchor.standin.scene import build_scene

if TYPE_CHECKING:
    from brisk_anchor.book.store import Book


def open_job(folder: Path, data: Path, *, roll: int) -> Session:
    """Open a job's folder with the user's book and the machine as it was left, both in `data`.

    Raises:
        BriskAnchorError: the files have faults, or book or machine cannot be opened.
    """
    editor = JobEditor(folder)
    job = editor.job
    machine = "".join(c if c.isalnum() else "-" for c in job.machine.name.lower())
    scene = build_scene(job.scene(roll))

    def make(book: Book) -> Session:
        file = data / f"machine-{machine}.json"
        return Session(scene, book, job.profile, machine_file=file, description=editor, rolled=roll)

    return Session.with_book(open_book(data / "book.sqlite"), make)
