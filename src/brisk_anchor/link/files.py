"""Listening to files: one that grows, or a folder in which new ones end up. Watched, or looked at every so often.

What a share on a network does is not told to a watcher: there `every` says how often, in seconds, it is looked at.
"""

from __future__ import annotations

import hashlib
import os
from collections.abc import Iterator
from fnmatch import fnmatchcase
from pathlib import Path
from threading import Event
from typing import Any

from brisk_anchor.core.errors import LinkError
from brisk_anchor.link.feed import MOST, Piece

_HEAD = 16_384
"""Bytes at the beginning by which a file is known again."""
_MOST_FILES = 2000
_UNWATCHED = 0.5
"""How often, s, a folder is looked at that the system does not watch, as where it watches too many."""
_DEBOUNCE, _STEP = 20, 10
"""Milliseconds that a watcher waits for more."""


class Watcher:
    """Waits until something happens in a folder, or some time has passed."""

    def __init__(self, folder: Path, every: float | None) -> None:
        """`every`: look so often, s, and watch nothing."""
        self._folder, self._every = folder, every
        self._stop = Event()
        self._changes: Iterator[object] | None = None

    def wait(self, seconds: float) -> None:
        """Wait so long at most. Raises LinkError: the folder is gone."""
        if self._every is not None:
            self._stop.wait(min(seconds, self._every))
            return
        try:
            if self._changes is None:
                self._changes = self._watched(seconds)
            next(self._changes)
        except (OSError, RuntimeError, StopIteration):
            self._changes = None
            if not self._stop.is_set() and not self._folder.is_dir():
                raise LinkError(f"{self._folder} is gone", "Nothing can be heard from there", "Look at it") from None
            self._stop.wait(min(seconds, _UNWATCHED))  # no more can be watched: it is looked at

    def _watched(self, seconds: float) -> Iterator[object]:
        from watchfiles import watch

        return watch(
            self._folder,
            debounce=_DEBOUNCE,
            step=_STEP,
            rust_timeout=max(50, int(seconds * 1000)),
            yield_on_timeout=True,
            stop_event=self._stop,
            recursive=False,
            raise_interrupt=False,
        )

    def close(self) -> None:
        """Wait no more."""
        self._stop.set()
        self._changes = None


class GrowingFile:
    """A file to which a control adds what it prints. It may be emptied, or put aside and begun anew."""

    def __init__(self, path: Path, every: float | None = None, mark: dict[str, Any] | None = None) -> None:
        self.path = path
        self._watcher = Watcher(path.parent, every)
        known = mark or {}
        self._at = known["at"] if isinstance(known.get("at"), int) and known["at"] >= 0 else 0
        self._head = known["head"] if isinstance(known.get("head"), str) else ""
        self._began = False

    @property
    def words(self) -> str:
        """The file."""
        return str(self.path)

    @property
    def mark(self) -> dict[str, Any]:
        """How far it was read, and what it begins with."""
        return {"at": self._at, "head": self._head}

    def read(self, wait: float) -> list[Piece]:
        """What was added. Raises LinkError: the folder is gone, or the file cannot be read."""
        found = self._new()
        if not found and wait > 0:
            self._watcher.wait(wait)
            found = self._new()
        return found

    def _new(self) -> list[Piece]:
        try:
            if self.path.exists() and not self.path.is_file():  # before it is opened: a pipe would be waited for
                raise LinkError(f"{self.path} is no file", "", "Name the file the control prints to")
            with self.path.open("rb") as file:
                size = os.fstat(file.fileno()).st_size
                head = file.read(min(_HEAD, size))
                anew = self._at > 0 and not self._same(head, size)
                if anew:
                    self._at = 0
                self._head = hashlib.sha256(head).hexdigest() + f":{len(head)}"
                file.seek(self._at)
                data = file.read(MOST)
        except FileNotFoundError:
            if not self.path.parent.is_dir():
                raise LinkError(f"{self.path.parent} is gone", "Nothing is heard from there", "Look at it") from None
            return []
        except OSError as error:
            raise LinkError(f"{self.path} cannot be read", str(error.strerror or error), "Look at it") from None
        self._at += len(data)
        return [Piece(self.path.name, data, anew=anew)] if data or anew else []

    def skip(self) -> None:
        """Pass over what is there. Raises LinkError."""
        while self._new():
            pass

    def _same(self, head: bytes, size: int) -> bool:
        """Whether the file begins as it did when it was read last, and is no shorter."""
        digest, _, length = self._head.partition(":")
        known = int(length) if length.isdigit() else 0
        return size >= self._at and len(head) >= known and hashlib.sha256(head[:known]).hexdigest() == digest

    def close(self) -> None:
        """Listen no more."""
        self._watcher.close()


class FolderOfFiles:
    """A folder in which each run writes a new file. A file that has grown is read again from its beginning."""

    def __init__(
        self, folder: Path, names: str = "*", every: float | None = None, mark: dict[str, Any] | None = None
    ) -> None:
        """`names` as "*.txt": which files count."""
        self.folder, self._names = folder, names
        self._watcher = Watcher(folder, every)
        seen = (mark or {}).get("seen")
        self._seen: dict[str, list[int]] = dict(seen) if isinstance(seen, dict) else {}

    @property
    def words(self) -> str:
        """The folder and its files."""
        return str(self.folder / self._names)

    @property
    def mark(self) -> dict[str, Any]:
        """Which files were read, with size and time as they were then."""
        return {"seen": dict(self._seen)}

    def read(self, wait: float) -> list[Piece]:
        """Files that are new or have changed, oldest first. Raises LinkError: the folder is gone."""
        found = self._new()
        if not found and wait > 0:
            self._watcher.wait(wait)
            found = self._new()
        return found

    def _new(self) -> list[Piece]:
        there: dict[str, list[int]] = {}
        try:
            for entry in os.scandir(self.folder):
                if entry.is_file() and not entry.name.startswith(".") and fnmatchcase(entry.name, self._names):
                    status = entry.stat()
                    there[entry.name] = [status.st_size, status.st_mtime_ns]
        except FileNotFoundError:
            raise LinkError(f"{self.folder} is gone", "Nothing is heard from there", "Look at it") from None
        except OSError as error:
            raise LinkError(f"{self.folder} cannot be read", str(error.strerror or error), "Look at it") from None
        changed = sorted(
            (name for name, status in there.items() if self._seen.get(name) != status), key=lambda name: there[name][1]
        )
        pieces = []
        for name in changed[-_MOST_FILES:]:
            try:
                with (self.folder / name).open("rb") as file:
                    data = file.read(MOST)
            except OSError:
                continue  # it is being put there: the next look finds it
            self._seen[name] = there[name]
            pieces.append(Piece(name, data, whole=True))
        self._seen = {name: status for name, status in self._seen.items() if name in there}
        return pieces

    def skip(self) -> None:
        """Pass over what is there. Raises LinkError."""
        self._new()

    def close(self) -> None:
        """Listen no more."""
        self._watcher.close()
