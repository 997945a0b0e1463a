"""Files of a folder that change together: compared with what was read first, then all or none, over a kill too.

What is to be written stands whole in a journal beside them before the first of them is touched. Where the program was
ended in between, whoever opens the folder next finishes it.
"""

from __future__ import annotations

import hashlib
import os
import sys
import time
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from pathlib import Path
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from brisk_anchor.core.errors import ExportError, Fault, JobError
from brisk_anchor.exchange.files import remove, write_whole
from brisk_anchor.exchange.toml_files import LONGEST, read_text
from brisk_anchor.nc.bounded import is_there, read_at_most

JOURNAL = ".brisk-anchor-change.json"
_MOST = 20
_TURN = 3.0
"""How long, s, another window is waited for that changes the folder just now."""

Name = Annotated[str, Field(max_length=120, pattern=r"^[A-Za-z0-9_][A-Za-z0-9_.\- ]*$")]


class _FileChange(BaseModel):
    model_config = ConfigDict(extra="forbid")
    before: Annotated[str, Field(max_length=64)]
    after: Annotated[str, Field(max_length=LONGEST)]


class _Journal(BaseModel):
    model_config = ConfigDict(extra="forbid")
    form: Literal["brisk-anchor-change-1"] = "brisk-anchor-change-1"
    files: Annotated[dict[Name, _FileChange], Field(max_length=_MOST)]


def _digest(text: str | None) -> str:
    return "" if text is None else hashlib.sha256(text.encode()).hexdigest()


def _text_of(path: Path) -> str | None:
    """What stands there, None where nothing does. Raises JobError."""
    return read_text(path) if os.path.lexists(path) else None


def _put(path: Path, text: str | None) -> None:
    if text is None:
        remove(path)
    else:
        write_whole(path, text.encode())


@contextmanager
def _alone(folder: Path) -> Iterator[None]:
    """Hold the folder, so that two windows do not change it at once; where the system knows no such hold, go on."""
    if sys.platform == "win32":
        yield
        return
    import fcntl

    try:
        handle = os.open(folder, os.O_RDONLY)
    except OSError:
        yield  # what is done with the folder tells why it cannot be
        return
    try:
        end = time.monotonic() + _TURN
        while True:
            try:
                fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
                break
            except BlockingIOError:
                if time.monotonic() > end:
                    raise ExportError(
                        f"Another window has been changing {folder} for {_TURN:.0f} s",
                        "Nothing was written",
                        "Try again",
                    ) from None
                time.sleep(0.02)
            except OSError:
                break  # a share that knows no holds
        yield
    finally:
        os.close(handle)


def look_unchanged(path: Path, known: str | None) -> None:
    """Look that a file still is as it was read; `known` is None where there was none.

    Raises:
        ExportError: another window or an editor changed it since. JobError: it cannot be read.
    """
    if _text_of(path) != known:
        raise ExportError(
            f"{path.name} was changed by another window or an editor since it was read here",
            "Nothing was written",
            "Leave with ⟨q⟩ and open the job again: it is read afresh then",
        )


def change_files(folder: Path, read: Mapping[str, str], texts: Mapping[str, str]) -> None:
    """Write `texts` into a folder, all or none, where every file still is as it was `read`.

    Args:
        folder: where the files are.
        read: the text of each file as this window knows it, by name; more than those that change may be among them.
        texts: what is to stand there, by name; a file that is not there yet is made.

    Raises:
        ExportError: another window or an editor changed one of them since, or they cannot be written. JobError: one
        cannot be read. Nothing is changed then.
    """
    with _alone(folder):
        _finish(folder)
        for name, known in read.items():
            look_unchanged(folder / name, known)
        wanted = {name: text for name, text in texts.items() if read.get(name) != text}
        if len(wanted) < 2:
            for name, text in wanted.items():
                write_whole(folder / name, text.encode())
            return
        before = {name: read[name] if name in read else _text_of(folder / name) for name in wanted}
        changes = {name: _FileChange(before=_digest(before[name]), after=text) for name, text in wanted.items()}
        write_whole(folder / JOURNAL, _Journal(files=changes).model_dump_json(indent=1).encode())
        written: list[str] = []
        try:
            for name, text in wanted.items():
                write_whole(folder / name, text.encode())
                written.append(name)
        except ExportError:
            for name in written:
                _put(folder / name, before[name])
            remove(folder / JOURNAL)
            raise
        remove(folder / JOURNAL)


def new_files(folder: Path, files: Mapping[str, bytes]) -> list[Path]:
    """Write new files into a folder, all or none.

    Drawings come first, for they may be long; the texts that make them a job follow as one change. The same drawing may
    be there already: a kill after it left nothing else behind.

    Raises:
        ExportError: another file of one of the names is there, or they cannot be written. JobError: one cannot be read.
    """
    finish_change(folder)
    texts = {name: data.decode() for name, data in files.items() if name.endswith(".toml")}
    there = [name for name in files if os.path.lexists(folder / name)]
    if taken := [name for name in there if name in texts or not _holds(folder / name, files[name])]:
        raise ExportError(f"{folder / taken[0]} is there already", "Nothing was written", "Choose another folder")
    drawings = [name for name in files if name not in texts and not is_there(folder / name)]
    written: list[str] = []
    try:
        for name in drawings:
            write_whole(folder / name, files[name])
            written.append(name)
        change_files(folder, {}, texts)
    except (ExportError, JobError):
        if not any(is_there(folder / name) for name in (*texts, JOURNAL)):  # else the next start makes it whole
            for name in written:
                remove(folder / name)
        raise
    return [folder / name for name in files]


def _holds(path: Path, data: bytes) -> bool:
    try:
        return read_at_most(path, len(data) + 1) == data
    except OSError:
        return False


def finish_change(folder: Path) -> None:
    """Finish a change of several files that was cut off; nothing where there is none.

    Raises:
        JobError: what is left of it cannot be read, or a file of it was changed since. ExportError: it cannot be
        written.
    """
    if is_there(folder / JOURNAL):
        with _alone(folder):
            _finish(folder)


def _finish(folder: Path) -> None:
    path = folder / JOURNAL
    if not path.exists():
        return
    remedy = f"Look at the files it names; delete {JOURNAL} to leave them as they are"
    try:
        files = _Journal.model_validate_json(read_at_most(path, _MOST * LONGEST)).files
    except (OSError, ValidationError) as error:
        reason = "it tells of a change that was cut off, and cannot be read"
        raise JobError(path.name, (Fault("", reason),), remedy) from error
    now = {name: _text_of(folder / name) for name in files}
    for name, change in files.items():
        if now[name] != change.after and _digest(now[name]) != change.before:
            reason = f"a change of {', '.join(files)} was cut off, and {name} was changed since by something else"
            raise JobError(path.name, (Fault("", reason),), remedy)
    for name, change in files.items():
        if now[name] != change.after:
            write_whole(folder / name, change.after.encode())
    remove(path)
