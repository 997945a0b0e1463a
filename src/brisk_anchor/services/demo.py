"""Opening the demo: its scene, and a book of its own."""

from __future__ import annotations

from datetime import datetime
from pathlib import Path

from brisk_anchor.book.store import Book
from brisk_anchor.core.errors import BookError
from brisk_anchor.services.example import DEMO_SCENE
from brisk_anchor.services.workshop import Workshop


def open_demo(folder: Path, *, fresh: bool) -> Workshop:
    """Open the demo job with the book in `folder`; `fresh` puts the old book aside first.

    Raises:
        BriskAnchorError: the book or the scene cannot be opened.
    """
    path = folder / "book.sqlite"
    if fresh and path.exists():
        aside = folder / f"book-{datetime.now():%Y%m%d-%H%M%S}.sqlite"
        try:
            Book.open(path).close()
            path.rename(aside)
        except OSError as error:
            raise BookError(
                f"The old demo book could not be put aside: {error.strerror}", "", "Check the disk"
            ) from error
    return Workshop.open(DEMO_SCENE, Book.open(path))
