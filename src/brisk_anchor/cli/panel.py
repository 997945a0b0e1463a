"""The panel of a served machine in a terminal: what a person types is done, and what happens is told."""

from __future__ import annotations

import sys
import time
from queue import Empty, Queue
from threading import Thread
from typing import TYPE_CHECKING

from brisk_anchor.core.errors import BriskAnchorError

if TYPE_CHECKING:
    from brisk_anchor.services.served.serving import ServedMachine

_TICK = 1 / 50
_SHOWN = 0.25
"""How often, s, the line with the position is written anew on a terminal."""


class _Screen:
    """Lines that stay; on a terminal one below them that is written anew, above the one where a person types."""

    def __init__(self) -> None:
        self.live = sys.stdout.isatty()
        self._line = ""

    def say(self, words: str) -> None:
        """A line that stays."""
        plain = "".join(c if c.isprintable() else " " for c in words)
        if self.live:
            sys.stdout.write(f"\x1b[1A\r\x1b[2K{plain}\n\x1b[2K{self._line}\n\x1b[2K")
        else:
            sys.stdout.write(f"{plain}\n")
        sys.stdout.flush()

    def show(self, words: str) -> None:
        """What stands in the line below, where the terminal has one."""
        if self.live and words != self._line:
            sys.stdout.write(f"\x1b7\x1b[1A\r\x1b[2K{words}\x1b8")
            sys.stdout.flush()
            self._line = words


def run_panel(machine: ServedMachine) -> None:
    """Work a machine until somebody switches it off, or nobody types any more."""
    from brisk_anchor.services.served.serving import WORDS

    screen = _Screen()
    machine.told = screen.say
    lines: Queue[str | None] = Queue()

    def read() -> None:
        for line in sys.stdin:
            lines.put(line)
        lines.put(None)

    if screen.live:
        sys.stdout.write("\n")
    screen.say(f"{machine.name}, a stand-in behind its link: {machine.settings.words}")
    for word, what in WORDS.items():
        screen.say(f"  {word:<12}{what}")
    Thread(target=read, name="panel", daemon=True).start()
    passed, shown, typed = time.monotonic(), 0.0, True
    while True:
        try:
            line = lines.get(timeout=_TICK) if typed else None
        except Empty:
            line = ""
        if line is None and typed:
            typed = machine.auto  # nobody types any more: only what runs by itself goes on
            if not typed:
                return
            typed = False
        if line is None:
            time.sleep(_TICK)
        if line and line.strip() == "quit":
            return
        if line and line.strip():
            try:
                screen.say(f"› {machine.do(line)}")
            except BriskAnchorError as error:
                screen.say(f"✘ {error.one_line()}")
        now = time.monotonic()
        machine.pass_time(now - passed)
        passed = now
        if now - shown > _SHOWN:
            screen.show(machine.where)
            shown = now
