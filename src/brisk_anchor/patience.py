"""Run work that may block, such as a database query, on a separate thread with a time limit.

Whoever has an event loop sets `PAUSE` round what it calls: the loop goes on meanwhile. Others simply wait. Work that
exceeds its limit is left to itself, and is told so: what it does then may not take effect.
"""

from __future__ import annotations

import queue
import threading
from collections.abc import Callable
from concurrent.futures import Future
from concurrent.futures import TimeoutError as Overdue
from contextvars import ContextVar
from typing import Any, TypeVar

Result = TypeVar("Result")
PAUSE: ContextVar[Callable[[Future[Any], float], None] | None] = ContextVar("pause", default=None)
"""What lets an event loop go on until a future is done or so many seconds have passed."""


class Given:
    """Whether work is still wanted: once it has taken too long, it is not."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._wanted = True

    def up(self) -> None:
        """It took too long."""
        with self._lock:
            self._wanted = False

    @property
    def wanted(self) -> bool:
        """Whether what it does may still take effect."""
        with self._lock:
            return self._wanted


class Helper:
    """One thread that does work in order; where that hangs, another takes its place."""

    def __init__(self, name: str) -> None:
        self._name = name
        self._work: queue.SimpleQueue[tuple[Callable[[], Any], Future[Any]] | None] | None = None
        self._lock = threading.Lock()

    def run(self, work: Callable[[Given], Result], limit: float) -> Result:
        """What the work gives, or raises.

        Raises:
            Overdue: it has taken longer than `limit` seconds.
        """
        future: Future[Result] = Future()
        given = Given()
        with self._lock:
            if self._work is None:
                self._work = queue.SimpleQueue()
                threading.Thread(target=_serve, args=(self._work,), name=self._name, daemon=True).start()
            self._work.put((lambda: work(given), future))
        pause = PAUSE.get()
        try:
            if pause is not None:
                pause(future, limit)
                return future.result(timeout=0)
            return future.result(timeout=limit)
        except Overdue:
            if future.done():
                raise
            given.up()
            with self._lock:
                self._work = None  # its thread may hang for good
            raise Overdue from None

    def close(self) -> None:
        """Let the thread end when it has done what it was given."""
        with self._lock:
            if self._work is not None:
                self._work.put(None)
                self._work = None


def _serve(work: queue.SimpleQueue[tuple[Callable[[], Any], Future[Any]] | None]) -> None:
    while (task := work.get()) is not None:
        job, future = task
        try:
            future.set_result(job())
        except BaseException as error:  # noqa: BLE001 it is raised where the result is waited for
            future.set_exception(error)
        del task, job, future
