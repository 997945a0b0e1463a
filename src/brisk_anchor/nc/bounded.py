"""Reading files from outside: never more of one than its reader could use, and nothing that is no plain file."""

from __future__ import annotations

import errno
import json
import os
import re
import stat
import tomllib
from pathlib import Path
from typing import Any, BinaryIO, Protocol, Self, TypeVar

UNREAD = b"\x00\x11\x12\x13\x14\x1a\x7f"
"""Leaders of a tape, flow control and the end mark of old files: no control reads them as text."""

_WITH_ITS_END = re.compile(r"[^\r\n]*(?:\r\n|\r|\n)|[^\r\n]+")


def lines_of(text: str, *, ends: bool = False) -> list[str]:
    """The lines of a text as a control and an editor count them; with `ends` each keeps its own.

    Python's own `splitlines` also breaks a line at form feeds and at U+0085, which is “…” in Windows' Western text:
    what stands behind it in a comment would become code.
    """
    if ends:
        return _WITH_ITS_END.findall(text)
    lines = text.replace("\r\n", "\n").replace("\r", "\n").split("\n")
    return lines if lines[-1] else lines[:-1]


def no_code_in(text: str) -> str:
    """The first character of a code that is none of NC code, "" for none: Python has a capital S for ſ."""
    return next((character for character in text if not character.isascii()), "")


def ended_as(before: str, text: str) -> str:
    """A text with the ends of lines of the one it takes the place of: an editor of Windows shows no others."""
    return text.replace("\r\n", "\n").replace("\n", "\r\n") if "\r\n" in before else text


class FromJson(Protocol):
    """What Pydantic's models have to be made by."""

    @classmethod
    def model_validate_json(cls, json_data: str, *, strict: bool | None = None) -> Self:
        """An instance. Raises ValidationError."""


Model = TypeVar("Model", bound=FromJson)


def strictly(model: type[Model], tables: object) -> Model:
    """The model that the tables of a file describe. Else Pydantic takes "2.5" and true for figures.

    A figure in quotes would stay as it is, in a file whose others are turned from inches into millimetres.

    Raises:
        ValidationError: they describe none.
    """
    # By way of JSON: there an array is what a tuple is written as, also where nothing else is taken for another.
    return model.model_validate_json(json.dumps(tables, default=str), strict=True)


def typed_path(words: str) -> Path:
    """A path as a person types it: `~` is that person's own folder, where there is one of that name."""
    path = Path(words)
    try:
        return path.expanduser()
    except RuntimeError:  # nobody of that name: no such file is found then
        return path


# A path that the system refuses to look at, or takes for no name, is none that is there: `Path` raises there.


def is_file(path: Path) -> bool:
    """Whether a plain file is there, as far as the system lets one look."""
    return os.path.isfile(path)


def is_folder(path: Path) -> bool:
    """Whether a folder is there, as far as the system lets one look."""
    return os.path.isdir(path)


def is_there(path: Path) -> bool:
    """Whether anything is there, as far as the system lets one look."""
    return os.path.exists(path)


def open_plain(path: Path) -> BinaryIO:
    """A plain file open for reading bytes.

    A pipe that nobody writes to, or a device, would keep its reader for ever.

    Raises:
        OSError: it cannot be read, or is no plain file.
    """
    handle = os.open(path, os.O_RDONLY | getattr(os, "O_NONBLOCK", 0) | getattr(os, "O_BINARY", 0))
    kind = os.fstat(handle).st_mode
    if not stat.S_ISREG(kind):
        os.close(handle)
        code = errno.EISDIR if stat.S_ISDIR(kind) else errno.EINVAL
        raise OSError(code, os.strerror(code) if code == errno.EISDIR else "it is no plain file", str(path))
    return os.fdopen(handle, "rb")


def read_at_most(path: Path, most: int) -> bytes:
    """The file's bytes up to `most` and one more, by which a longer one is known; even where a file has no end.

    Raises:
        OSError: it cannot be read, or is no plain file.
    """
    with open_plain(path) as stream:
        return stream.read(most + 1)


def why_unread(error: OSError | UnicodeDecodeError) -> str:
    """Why a file could not be read as text, without the numbers and names of the system's own message."""
    return str(error.strerror or "it cannot be read") if isinstance(error, OSError) else "it is no text in UTF-8"


def toml_sections(text: str) -> dict[str, Any]:
    """The sections of a TOML text, whatever is in it.

    Raises:
        tomllib.TOMLDecodeError: it is none, nests deeper than anybody writes, or has figures longer than anybody types.
    """
    try:
        return tomllib.loads(text)
    except tomllib.TOMLDecodeError:
        raise
    except RecursionError:
        raise tomllib.TOMLDecodeError("its arrays or sections are nested too deep") from None
    except ValueError as error:
        raise tomllib.TOMLDecodeError(f"a figure in it cannot be read: {str(error)[:80]}") from None
