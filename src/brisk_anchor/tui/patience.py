"""Keeps the screen alive while something that may hang, the book, is waited for.

What a key does is ordinary code. It runs as a greenlet: where it waits for the book longer than a moment, it is set
aside, keys and drawing go on, and it is taken up again when the answer is there or the time is over.
"""

from __future__ import annotations

import asyncio
from collections.abc import Callable, Coroutine
from concurrent.futures import Future
from contextlib import suppress
from contextvars import copy_context
from typing import ParamSpec, TypeVar

from greenlet import getcurrent, greenlet

from brisk_anchor.patience import PAUSE

P = ParamSpec("P")
R = TypeVar("R")
MOMENT = 0.03
"""How long, s, an answer is waited for before the screen goes on: less than anybody sees."""
TOLD_AFTER = 1.0
"""How long, s, before it is told that something is waited for."""


class Patience:
    """Runs what keys do; at most one of them waits at a time."""

    def __init__(
        self,
        told: Callable[[], None],
        start: Callable[[Coroutine[object, object, None]], object],
        over: Callable[[], None],
    ) -> None:
        """`told` is called when the book has not answered for a while, `over` when it has answered.

        `start` runs the rest of what was set aside.
        """
        self._told = told
        self._start = start
        self._over = over
        self.waits = False
        """Whether something is set aside until the book answers."""
        self.silent = False
        """Whether nobody was told so yet: what is typed meanwhile waits its turn."""

    def told_waiting(self) -> bool:
        """Whether something is set aside; that is told then."""
        if self.waits:
            self.silent = False
            self._told()
        return self.waits

    def run(self, method: Callable[P, R], *args: P.args, **kwargs: P.kwargs) -> R | None:
        """Call a method; returns what it gives, None where it is set aside."""
        if getcurrent().parent is not None or self.waits:
            return method(*args, **kwargs)  # it is called by something that runs so already
        context = copy_context()
        context.run(PAUSE.set, _pause)
        worker = greenlet(method)
        worker.gr_context = context
        given = worker.switch(*args, **kwargs)
        if worker.dead:
            result: R = given
            return result
        future, limit = given
        self.waits = self.silent = True
        self._start(self._go_on(worker, future, limit))
        return None

    async def _go_on(self, worker: greenlet, future: Future[object], limit: float) -> None:
        try:
            outcome = await self._outcome(worker, future, limit)
            if asyncio.iscoroutine(outcome):
                await outcome
        finally:
            self.silent = self.silent and self.waits  # something may be waited for again by now
            self._over()

    async def _outcome(self, worker: greenlet, future: Future[object], limit: float) -> object:
        try:
            while True:
                waited = asyncio.wrap_future(future)
                done, _ = await asyncio.wait({waited}, timeout=min(TOLD_AFTER, limit))
                if not done:
                    self.told_waiting()
                    await asyncio.wait({waited}, timeout=max(0.0, limit - TOLD_AFTER))
                with suppress(Exception):
                    _ = waited.exception() if waited.done() else None  # it is raised where the answer is used
                outcome = worker.switch()
                if worker.dead:
                    return outcome
                future, limit = outcome
        finally:
            self.waits = False


def _pause(future: Future[object], limit: float) -> None:
    """Wait a moment; where that is not enough, let the screen go on meanwhile.

    What a widget does was begun in the context of a key, and may come here without being set aside: it waits in full.
    """
    parent = getcurrent().parent
    with suppress(Exception):
        future.result(timeout=limit if parent is None else MOMENT)
    if not future.done() and parent is not None:
        parent.switch((future, limit))
