"""Keys, words, clicks, wheel and sizes at random in every kind of job, as hands do that know nothing of the program.

`python -m benchmarks wander [--steps N] [--seed S] [--job NAME]`; exits 1 where the program ended by itself. Of each
walk it tells how often the screen was held for more than 0.4 s, the longest of them, and after which steps.
"""

from __future__ import annotations

import asyncio
import os
import random
import shutil
import sys
import tempfile
import time
import traceback
from collections import deque
from collections.abc import Callable, Iterable
from contextlib import suppress
from importlib import resources
from pathlib import Path
from typing import Any

from textual import events
from textual.keys import _character_to_key
from textual.pilot import OutOfBounds, Pilot
from textual.widgets import Input

from brisk_anchor.core.errors import BriskAnchorError
from brisk_anchor.services.demo.demo_job import demo_shop, open_block, open_demo
from brisk_anchor.services.demo.demo_month import open_month
from brisk_anchor.services.job.jobs import new_job
from brisk_anchor.services.served.serving import ServedMachine
from brisk_anchor.services.session.job_opening import open_job
from brisk_anchor.services.turning.turning_session import TurningSession
from brisk_anchor.tui import actions
from brisk_anchor.tui.app import BriskAnchorApp
from brisk_anchor.tui.keymap import Keyed
from brisk_anchor.tui.turning import keys
from brisk_anchor.tui.turning.app import TurningApp

HELD = 0.4
"""What a person notices, s."""
JOBS = ("demo", "block", "month", "new", "alone", "linked", "batch", "bc-27", "tombstone", "trunnion", "sleeve")
"""What is walked through: demos, a new job as it is begun, a machine's file alone, a linked one, and every example."""
SIZES = ((160, 44), (100, 30), (120, 35), (200, 60), (80, 24), (40, 10))
MOVES = (
    *("escape", "enter", "tab", "shift+tab", "up", "down", "left", "right", "pageup", "pagedown", "home", "end"),
    *("backspace", "delete", "slash"),
)
WORDS = (
    *("0", "1", "-0.01", "12.5", "1e9", "38,1", "0.5in", "3 deg", "1+2*3", "=-2", "+5", "1/0", "((", "1 1/2in", ".5"),
    *("G54", "G55", "G54.1 P3", "T5", "seat", "bore", "top", "V-3", "", "  ", "a" * 200, "9" * 40, "nan", "é漢"),
    *("<b>", "[bold]x[/]", "\x1b[31mred", "(x)", "%", "M30", "#", "G68 R90", "part 14", "1 2 3", "yes", "y", "*"),
    *("out.svg", "sub/out.pdf", "table.csv", "set.tap", "../x", "a:b", "/", "~", "mm", "inch", "90", "-180", "none"),
)
_NAMES = {_character_to_key(character): character for character in map(chr, range(32, 127))}


def _opened(name: str, folder: Path) -> tuple[Any, list[str], ServedMachine | None]:
    """The application for a job, its keys but those that leave it, and the linked machine that is at work."""
    job, data, table = folder / name, folder / "data", actions.ACTIONS
    if name == "sleeve":
        _example(name, job)
        turning: Any = TurningApp(lambda: TurningSession.open(job / "turning.toml", data), job)
        return turning, _keys(keys.ACTIONS), None
    served = None
    opened: dict[str, Callable[[], Any]] = {
        "demo": lambda: open_demo(folder, fresh=False),
        "block": lambda: open_block(folder, fresh=False),
        "month": lambda: open_month(folder),
        "alone": lambda: open_job(job / "machine.toml", data, roll=1),
    }
    if name == "new":
        new_job(job)
    elif name == "alone":
        _example("bc-27", job)
    elif name == "linked":
        demo_shop(job)
        served = ServedMachine(job, data, speed=1e6)
        served.do("home")
    elif name not in opened:
        _example(name, job)
    make = opened.get(name, lambda: open_job(job, data, roll=1))
    return BriskAnchorApp(make, job if job.is_dir() else folder, speed=3000.0), _keys(table), served


def _example(name: str, job: Path) -> None:
    with resources.as_file(resources.files("brisk_anchor.services.examples") / name) as example:
        shutil.copytree(example, job)


def _keys(table: Iterable[Keyed]) -> list[str]:
    names = [key for action in table for key in action.keys.split(",")]
    return [key for key in dict.fromkeys(names) if key not in ("q", "ctrl+q", "ctrl+z")]


class Walk:
    """One walk through a job."""

    def __init__(self, name: str, seed: int, folder: Path) -> None:
        self.name = name
        self.chance = random.Random(f"{name} {seed}")
        self.app, self.keys, self.served = _opened(name, folder)
        self.done: deque[str] = deque(maxlen=60)
        self.held: list[tuple[float, list[str]]] = []

    async def go(self, steps: int) -> None:
        """Walk; raises whatever ends the application."""
        async with self.app.run_test(size=(160, 44)) as pilot:
            while not self.app.is_open:
                await asyncio.sleep(0.02)
            watch = asyncio.create_task(self._watch())
            for step in range(steps):
                if not self.app.is_running:
                    break
                await self._step(pilot)
                await asyncio.sleep(self.chance.choice((0.005, 0.005, 0.1)))
                if self.served is not None and step % 5 == 0:
                    self._operator(self.served)
                if step % 50 == 49:
                    await asyncio.wait_for(pilot.pause(), 30)
            watch.cancel()
        if self.served is not None:
            self.served.close()

    def _operator(self, served: ServedMachine) -> None:
        """Whoever stands at the linked control."""
        with suppress(BriskAnchorError):
            served.do(self.chance.choice(("load", "start", "start", "hold", "reset", "home")))
        served.pass_time(0.1)

    async def _watch(self) -> None:
        last = time.perf_counter()
        while True:
            await asyncio.sleep(0.01)
            now = time.perf_counter()
            if now - last > HELD:
                self.held.append((now - last, list(self.done)[-3:]))
            last = now

    def _press(self, key: str) -> None:
        self.done.append(key)
        self.app.post_message(events.Key(key, _NAMES.get(key)))

    async def _step(self, pilot: Pilot[Any]) -> None:
        chance, part = self.chance, self.chance.random()
        lines = [line for line in self.app.screen.query(Input) if line.display and line.has_focus]
        if lines and part < 0.5:
            words = chance.choice(WORDS)
            self.done.append(repr(words))
            lines[0].value = words
            self._press(chance.choice(("enter", "enter", "enter", "tab", "escape", "down")))
        elif part < 0.72:
            self._press(chance.choice(self.keys))
        elif part < 0.92:
            self._press(chance.choice(MOVES))
        elif part < 0.985:
            await self._mouse(pilot)
        else:
            size = chance.choice(SIZES)
            self.done.append(f"size {size}")
            await pilot.resize_terminal(*size)

    async def _mouse(self, pilot: Pilot[Any]) -> None:
        chance, size = self.chance, self.app.size
        x, y = chance.randrange(size.width), chance.randrange(size.height)
        what = chance.choice(("click", "click", "twice", "right", "hover", "up", "down"))
        self.done.append(f"{what} {x} {y}")
        with suppress(asyncio.TimeoutError, OutOfBounds):
            if what == "hover":
                await pilot.hover(offset=(x, y))
            elif what in ("up", "down"):
                kind = events.MouseScrollUp if what == "up" else events.MouseScrollDown
                self.app.screen._forward_event(
                    kind(self.app.screen, x, y, 0, 0, 0, False, False, False, screen_x=x, screen_y=y)
                )
            else:
                await pilot.click(offset=(x, y), times=1 + (what == "twice"), button=3 if what == "right" else 1)


def _value(name: str, usual: int) -> int:
    return int(sys.argv[sys.argv.index(name) + 1]) if name in sys.argv else usual


def main() -> None:
    """Walk through every job; each with data of its own."""
    steps, seed, fallen = _value("--steps", 300), _value("--seed", 1), 0
    only = sys.argv[sys.argv.index("--job") + 1] if "--job" in sys.argv else ""
    if only not in ("", *JOBS):
        sys.exit(f"there is no job {only}: {', '.join(JOBS)}")
    for name in (job for job in JOBS if only in ("", job)):
        with tempfile.TemporaryDirectory() as folder:
            os.environ["BRISK_ANCHOR_HOME"] = str(Path(folder) / "home")
            walk = Walk(name, seed, Path(folder))
            began = time.perf_counter()
            try:
                asyncio.run(walk.go(steps))
                ended = "whole"
            except Exception:  # noqa: BLE001  whatever ends it is what is looked for
                traceback.print_exc()
                ended, fallen = f"FELL after {list(walk.done)}", fallen + 1
        longest = max(walk.held, default=(0.0, []))
        print(
            f"{name:10} {steps} steps in {time.perf_counter() - began:.0f} s: {ended}; held {len(walk.held)} times, "
            f"longest {longest[0]:.2f} s after {longest[1]}",
            flush=True,
        )
    sys.exit(1 if fallen else 0)
