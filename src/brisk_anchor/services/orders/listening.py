"""Listening to a control on a thread: pieces, lines, runs; told lost and found again; one listener a link."""

from __future__ import annotations

import hashlib
import time
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path
from threading import Event
from typing import TYPE_CHECKING, Any

from brisk_anchor.core.errors import BriskAnchorError, LinkError
from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.link.feed import Feed, Piece
from brisk_anchor.link.files import FolderOfFiles, GrowingFile
from brisk_anchor.link.lines import LineSplitter
from brisk_anchor.link.settings import LinkSettings, feed_of
from brisk_anchor.link.wire import Wire
from brisk_anchor.nc.bounded import read_at_most
from brisk_anchor.nc.programs.heard import Heard, Listener

if TYPE_CHECKING:
    from filelock import BaseFileLock

_WAIT = 0.5
_AGAIN = 1.0
"""How long after it was lost, s, a link is tried again."""
_SETTLED = 5.0
"""A file of its own that holds no whole report for so long, s, will hold none."""
_SPOOL = "wire.spool"
_MOST_SPOOLED = 20_000_000


@dataclass(frozen=True, slots=True)
class LinkState:
    """How a link stands: `heard` a run that goes on now, `lost` why nobody is there, `busy` who else listens."""

    heard: Heard | None = None
    lost: str = ""
    busy: bool = False
    lines: int = 0
    """Lines heard so far, of whomever."""


class HeardSource:
    """The lines and runs of one source of bytes."""

    def __init__(self, name: str) -> None:
        self.splitter = LineSplitter()
        self.listener = Listener(name)
        self.lines = 0

    def add(self, data: bytes, *, ended: bool = False) -> list[Heard]:
        """Take bytes; returns the runs that are over with them."""
        lines = self.splitter.add(data)
        lines += self.splitter.end() if ended else []
        self.lines += len(lines)
        return [h for line in lines for h in self.listener.add(line.number, line.text, noisy=line.noisy)]

    @property
    def between(self) -> bool:
        """Whether no run and no line is under way."""
        return self.listener.present is None and self.splitter.empty


class Ear:
    """Hears one feed: what comes becomes runs. Without a thread, so that it can be driven by hand."""

    def __init__(self, feed: Feed, spool: Path | None = None) -> None:
        """`spool` keeps what a wire said until it is settled: it says nothing twice."""
        self.feed = feed
        self._growing = HeardSource(feed.words)
        self._open: dict[str, tuple[float, HeardSource]] = {}
        """Files of their own that hold no whole report yet, since when."""
        self._spool = spool
        self.lines = 0
        self._spooled: list[Heard] = []
        """Runs that had come whole and were settled by nobody."""
        if spool is not None and spool.exists():
            with suppress(OSError):
                self._spooled = self._growing.add(read_at_most(spool, _MOST_SPOOLED))

    def hear(self, wait: float) -> list[Heard]:
        """Runs that came, after so many seconds at most. Raises LinkError: nobody is there."""
        found, self._spooled = self._spooled, []
        if found:
            return found
        for piece in self.feed.read(wait):
            found += self._whole(piece) if piece.whole else self._more(piece)
        now = time.monotonic()
        for name, (since, source) in list(self._open.items()):
            if now - since > _SETTLED:
                found += source.listener.cut()
                del self._open[name]
        return found

    def _more(self, piece: Piece) -> list[Heard]:
        cut: list[Heard] = []
        if piece.anew:
            cut, self._growing = self._growing.listener.cut(), HeardSource(piece.source)
        source = self._growing
        self._keep(piece.data)
        before = source.lines
        found = source.add(piece.data)
        self.lines += source.lines - before
        return [*cut, *found]

    def _whole(self, piece: Piece) -> list[Heard]:
        source = HeardSource(piece.source)
        found = source.add(piece.data, ended=True)
        self.lines += source.lines
        if source.listener.present is None:
            self._open.pop(piece.source, None)
        else:  # it may still be growing
            self._open[piece.source] = (time.monotonic(), source)
        return found

    def _keep(self, data: bytes) -> None:
        if self._spool is None:
            return
        with suppress(OSError):
            self._spool.parent.mkdir(parents=True, exist_ok=True)
            with self._spool.open("ab") as file:
                file.write(data)

    def settle(self) -> None:
        """What became of all runs that were heard is kept: what the wire said is wanted no more between two of them."""
        if self._spool is not None and self.between:
            with suppress(OSError):
                self._spool.unlink(missing_ok=True)

    @property
    def present(self) -> Heard | None:
        """The run that is being heard."""
        runs = [self._growing.listener.present]
        runs += [source.listener.present for _, source in self._open.values()]
        return next((run for run in runs if run is not None), None)

    @property
    def between(self) -> bool:
        """Whether no run is under way: only then its mark says how far everything was taken."""
        return not self._open and self._growing.between


class Listening:
    """Hears a link on a thread of its caller's. `arrived` is called there with each run, `stands` when it changes.

    `arrived` says whether it saw to the run: one that nobody saw to is heard again at the next start.
    """

    def __init__(
        self,
        settings: LinkSettings,
        wire: Wire | None,
        mark: dict[str, Any],
        folder: Path,
        data: Path,
        arrived: Callable[[Heard], bool],
        marked: Callable[[dict[str, Any]], None],
        stands: Callable[[LinkState], None],
        *,
        fresh: bool = False,
    ) -> None:
        """`folder` is that of the orders, `data` the user's: it holds the lock of each link.

        `fresh`: nothing was ever asked for, so what was printed before is nobody's.
        """
        self._settings, self._wire, self._mark = settings, wire, mark
        self._folder, self._data = folder, data
        self._arrived, self._marked, self._stands = arrived, marked, stands
        self._fresh = fresh and not mark
        self._open: list[Heard] = []
        """Runs that were heard and seen to by nobody."""
        self._stop, self._ended = Event(), Event()
        self._begun = False
        self.state = LinkState()

    def stop(self) -> None:
        """End; waits a moment until nothing is heard any more."""
        self._stop.set()
        if self._begun:
            self._ended.wait(2 * _WAIT)

    def _tell(self, state: LinkState) -> None:
        if state != self.state:
            self.state = state
            self._stands(state)

    def run(self) -> None:
        """Listen until it is stopped."""
        self._begun = True
        try:
            self._listen()
        finally:
            self._ended.set()

    def _listen(self) -> None:
        lock = link_lock(self._settings, self._data)
        while not self._stop.is_set() and not _taken(lock):
            self._tell(LinkState(busy=True))
            self._stop.wait(_AGAIN)
        if self._stop.is_set():
            return
        feed = feed_of(self._settings, self._wire, self._mark)
        if feed is None:
            lock.release()
            return
        self._mark = feed.mark
        if self._fresh and isinstance(feed, GrowingFile | FolderOfFiles):
            with suppress(LinkError):
                feed.skip()
        ear = Ear(feed, self._folder / _SPOOL if self._settings.hears_wire else None)
        try:
            while not self._stop.is_set():
                self._hear(ear)
        finally:
            feed.close()
            lock.release()

    def _hear(self, ear: Ear) -> None:
        try:
            runs = ear.hear(_WAIT)
        except LinkError as error:
            self._tell(LinkState(ear.present, lost=error.one_line(), lines=ear.lines))
            self._stop.wait(_AGAIN)
            return
        self._open += runs
        while self._open and self._arrived(self._open[0]):
            del self._open[0]
        if not self._open:
            ear.settle()
            if ear.between and (mark := ear.feed.mark) != self._mark:
                with suppress(BriskAnchorError):  # it is heard again then, and known to have been taken
                    self._marked(mark)
                self._mark = mark
        self._tell(LinkState(ear.present, lines=ear.lines))


def link_lock(settings: LinkSettings, data: Path) -> BaseFileLock:
    """The lock that whoever listens to a link holds: a second window reads only."""
    from filelock import FileLock

    port = settings.wire.port if settings.wire is not None and settings.hears_wire else ""
    name = f"{settings.report_file or settings.report_folder or port}"
    data.mkdir(parents=True, exist_ok=True)
    return FileLock(data / f"link-{hashlib.sha256(name.encode()).hexdigest()[:12]}.lock", thread_local=False)


def _taken(lock: BaseFileLock) -> bool:
    from filelock import Timeout

    try:
        lock.acquire(timeout=0)
    except (Timeout, OSError):
        return False
    return True
