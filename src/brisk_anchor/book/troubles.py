"""What keeps a book from being opened, read or written, in words: the disk, rights, a lock, the server, or damage.

Only damage is called damage, and nothing here tells anybody to move a book away: a full disk or a wrong password goes
by, a book that was put aside for it does not come back.
"""

from __future__ import annotations

import errno
import sqlite3

from brisk_anchor.book.address import BookAddress
from brisk_anchor.core.errors import BookDamagedError, BookError, BookSilentError, BookWriteError

_UNTOUCHED = "Nothing in the book was changed"
_ROOM = "Make room on the disk, then try again"
_DISK: dict[str, tuple[str, str]] = {
    "FULL": ("The disk is full", _ROOM),
    "READONLY": ("It, or its folder, may only be read", "Give it the right to be written, or use it elsewhere"),
    "PERM": ("You may not use this file", "Ask for the right to read and write it"),
    "AUTH": ("You may not use this file", "Ask for the right to read and write it"),
    "CANTOPEN": ("The file or its folder cannot be reached", "Look whether the disk or the share is there"),
    "IOERR": ("The disk answers with an error", "Look at the disk, and copy the book to another one"),
    "NOLFS": ("This disk takes no files so large", "Put the book on another disk"),
}
"""By the family of SQLite's error what it means and what to do."""
_ERRNO = {
    errno.ENOSPC: "FULL",
    errno.EDQUOT: "FULL",
    errno.EROFS: "READONLY",
    errno.EACCES: "PERM",
    errno.EPERM: "PERM",
    errno.ENOENT: "CANTOPEN",
    errno.ENOTDIR: "CANTOPEN",
    errno.EEXIST: "CANTOPEN",
    errno.EISDIR: "CANTOPEN",
    errno.EIO: "IOERR",
}
_SERVER = (
    (
        "password authentication failed",
        "The password, or the user, is another there",
        "Correct the address of the book",
    ),
    ("no password supplied", "The server asks for a password", "State it in the address of the book"),
    ("does not exist", "The server has no such database or user", "Correct the address, or have it made there"),
    ("too many", "The server takes no more connections", "Wait, then try again"),
    ("could not translate host name", "There is no server of that name", "Correct the address of the book"),
    ("Name or service not known", "There is no server of that name", "Correct the address of the book"),
    ("refused", "No database server answers there", "Look whether the server runs, and its port"),
    ("No space left", "The server's disk is full", "Make room there, then try again"),
    ("permission denied", "The user may not use this book there", "Ask for the right to read and write it"),
    ("read-only", "The server may only be read now", "Look at the server"),
)
"""Words of a server's answer, what it means and what to do."""


def reason_of(error: BaseException) -> str:
    """The first line of what a database or the system said, without what was asked of it, and without its numbers."""
    origin = getattr(error, "orig", None) or error
    told = str((isinstance(origin, OSError) and origin.strerror) or origin).strip()
    return told.splitlines()[0] if told else type(error).__name__


def family_of(error: BaseException) -> str:
    """The family of a trouble with a file: "FULL", "READONLY", "BUSY", "CORRUPT" and so on; "" for another."""
    origin = getattr(error, "orig", None) or error
    if isinstance(origin, OSError):
        return _ERRNO.get(origin.errno or 0, "IOERR")
    name = str(getattr(origin, "sqlite_errorname", "") or "")
    family = name.removeprefix("SQLITE_").partition("_")[0]
    if not family and isinstance(origin, sqlite3.Error):
        told, known = str(origin), (("full", "FULL"), ("readonly", "READONLY"), ("locked", "BUSY"))
        family = next((key for words, key in known if words in told), "")  # raised by the driver, without a code
    return family


def silent(name: str, limit: float) -> BookSilentError:
    """A book that has not answered for a time, s."""
    what = f"The book {name} has not answered for {limit:.0f} s"
    return BookSilentError(what, "What it holds now is not known", "Look whether the server or the disk answers")


def cannot_open(address: BookAddress, error: BaseException) -> BookError:
    """The error for a book that cannot be opened."""
    return _trouble(address.name, "opened", error, is_server=address.is_server)


def cannot_read(name: str, error: BaseException, *, is_server: bool) -> BookError:
    """The error for a book that cannot be read."""
    return _trouble(name, "read", error, is_server=is_server)


def _trouble(name: str, doing: str, error: BaseException, *, is_server: bool) -> BookError:
    reason, family = reason_of(error), family_of(error)
    what = f"The book {name} cannot be {doing}: {reason}"
    if is_server:
        told = next((rest for words, *rest in _SERVER if words in reason), None)
        meaning, remedy = told or ("The server does not do what is asked", "Look at the server, and at the address")
        return BookError(what, f"{meaning}; {_UNTOUCHED.lower()}", remedy)
    if family in ("BUSY", "LOCKED", "PROTOCOL"):
        return BookError(what, f"Another process holds it; {_UNTOUCHED.lower()}", "Wait, then try again")
    if family in _DISK:
        meaning, remedy = _DISK[family]
        return BookError(what, f"{meaning}; {_UNTOUCHED.lower()}", remedy)
    return BookDamagedError(
        what, f"It is damaged, or no book; {_UNTOUCHED.lower()}", "Leave it where it is, and put back a copy beside it"
    )


def cannot_write(error: BaseException) -> BookWriteError:
    """The error for a store that did not happen."""
    reason, family = reason_of(error), family_of(error)
    if not family:
        family = "FULL" if "No space" in reason else ""
    meaning = "Nothing was stored; all earlier entries are as they were"
    told, remedy = _DISK.get(family, ("", "Check the disk and its rights, and store again"))
    return BookWriteError(f"The book could not be written: {reason}", f"{told}. {meaning}" if told else meaning, remedy)
