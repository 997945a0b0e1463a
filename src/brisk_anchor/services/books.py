"""Opening the book a person uses: a file, or the database that is configured; and what to do with a damaged one."""

from __future__ import annotations

import os
from pathlib import Path

from brisk_anchor.book.store import Book
from brisk_anchor.core.errors import BookError, BookVersionError

BOOK_VARIABLE = "BRISK_ANCHOR_BOOK"
"""Any URL SQLAlchemy knows; it takes the place of the file."""


def open_book(path: Path) -> Book:
    """The book at `path`, or the one BRISK_ANCHOR_BOOK names. A damaged file is opened for reading, as far as it goes.

    Raises:
        BookVersionError: it was written by a newer version. BookError: nothing of it can be read.
    """
    if url := os.environ.get(BOOK_VARIABLE):
        return Book.open_url(url)
    try:
        book = Book.open(path)
        try:
            book.check()
        except BookError:
            book.close()
            raise
        return book
    except BookVersionError:
        raise
    except BookError as error:
        found = Book.salvage(path) if path.exists() else None
        newest = last_snapshot(path.parent)
        offer = f"The last snapshot is {newest}: brisk-anchor book import takes it over" if newest else error.remedy
        if found is None:
            raise type(error)(error.what, error.meaning, offer) from error
        found.damage = f"{error.what}. {found.saved} entries could be read, and nothing is written to it. {offer}."
        return found


def last_snapshot(folder: Path) -> Path | None:
    """The newest file of a snapshot beside a book, None for none."""
    files = sorted((folder / "snapshots").glob("*.json"), key=lambda file: file.stat().st_mtime)
    return files[-1] if files else None
