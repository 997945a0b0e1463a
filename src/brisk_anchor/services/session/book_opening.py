"""Opening the book a person uses: a file, or the database that is configured; and what to do with a damaged one."""

from __future__ import annotations

import hashlib
import json
import os
from contextlib import suppress
from pathlib import Path

from brisk_anchor.book.address import BookAddress
from brisk_anchor.book.seals import SealMark
from brisk_anchor.book.store import Book
from brisk_anchor.core.errors import BookDamagedError, BookError, ExportError
from brisk_anchor.exchange.files import write_whole
from brisk_anchor.nc.bounded import read_at_most
from brisk_anchor.services.paths import data_folder

BOOK_VARIABLE = "BRISK_ANCHOR_BOOK"
"""The address of a database; it takes the place of the file."""


def open_book(path: Path) -> Book:
    """The book at `path`, or the one BRISK_ANCHOR_BOOK names. A damaged file is opened for reading, as far as it goes.

    Raises:
        BookVersionError: it was written by a newer version. BookError: nothing of it can be read.
    """
    if (address := _configured()) is not None:
        return Book.open_at(address)
    try:
        book = Book.open(path)
        try:
            book.check()
        except BookError:
            book.close()
            raise
        return book
    except BookDamagedError as error:
        found = Book.salvage(path) if path.exists() else None
        newest = last_snapshot(path.parent)
        offer = f"The last snapshot is {newest}: brisk-anchor book import takes it over" if newest else error.remedy
        if found is None:
            raise type(error)(error.what, error.meaning, offer) from error
        found.damage = f"{error.what}. {found.saved} entries could be read, and nothing is written to it. {offer}."
        return found


def _configured() -> BookAddress | None:
    """The address of the database that is configured, None for none. Raises BookError: it is no such address."""
    if not os.environ.get(BOOK_VARIABLE):
        return None
    try:
        return BookAddress.parse(os.environ[BOOK_VARIABLE])
    except BookError as error:
        raise BookError(f"{BOOK_VARIABLE}: {error.what}", error.meaning, error.remedy) from None


def verify_new(book: Book) -> SealMark:
    """Look through what was added to a book since it was last looked through here.

    Raises:
        BookTamperedError: an entry was changed or taken out. BookError: it cannot be read.
    """
    path = _mark_path(book)
    return _keep_mark(path, book.verify(_read_mark(path)))


def verify_all(book: Book, *, restored: bool = False) -> SealMark:
    """Verify every entry, and that all entries verified earlier are still present.

    `restored`: a backup was restored; later entries may be missing.

    Raises:
        BookTamperedError: an entry was changed or taken out. BookError: it cannot be read.
    """
    path = _mark_path(book)
    found = book.verify()
    if not restored:
        book.verify(_read_mark(path))
    return _keep_mark(path, found)


def _keep_mark(path: Path, found: SealMark) -> SealMark:
    with suppress(ExportError):  # the same entries are looked at again next time
        write_whole(path, json.dumps({"id": found.id, "seal": found.seal}).encode())
    return found


def _mark_path(book: Book) -> Path:
    if book.address.path is not None:
        return book.address.path.with_suffix(".verified.json")
    name = hashlib.sha256(book.address.name.encode()).hexdigest()[:16]
    return data_folder() / f"book-{name}.verified.json"


def _read_mark(path: Path) -> SealMark:
    """How far a book was looked through; from the start where that is not known."""
    try:
        held = json.loads(read_at_most(path, 1000))
        return SealMark(int(held["id"]), str(held["seal"]))
    except (OSError, ValueError, KeyError, TypeError):
        return SealMark()


def last_snapshot(folder: Path) -> Path | None:
    """The newest file of a snapshot beside a book, None for none."""
    files = sorted((folder / "snapshots").glob("*.json"), key=lambda file: file.stat().st_mtime)
    return files[-1] if files else None
