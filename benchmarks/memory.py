"""How much memory the application takes as it is worked with: measure, store, look round, again and again."""

from __future__ import annotations

import asyncio
import gc
import os
import sys
import tempfile
import time
from pathlib import Path

SECONDS = 300.0
EVERY = 60.0
ROUND = ("f", "enter", "f", "enter", "s", "enter", "p", "2", "3", "4", "5", "6", "7", "1", "o", "escape", "k")


def _megabytes() -> float:
    pages = int(Path("/proc/self/statm").read_text().split()[1])
    return pages * os.sysconf("SC_PAGE_SIZE") / 1e6


async def _work(seconds: float) -> None:
    from brisk_anchor.services.demo.demo_job import open_demo
    from brisk_anchor.tui.app import BriskAnchorApp

    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        app = BriskAnchorApp(lambda: open_demo(folder, fresh=False), folder, speed=3000.0)
        async with app.run_test(size=(160, 44)) as pilot:
            while app.view_state is None:
                await pilot.pause(0.05)
            began, rounds, told, first = time.monotonic(), 0, 0.0, 0.0
            while (passed := time.monotonic() - began) < seconds:
                for key in ROUND:
                    await pilot.press(key)
                    await pilot.pause(0.5 if key == "p" else 0.0)
                    while app.view_state.moving:
                        await pilot.pause(0.02)
                rounds += 1
                if passed - told > EVERY or not first:
                    gc.collect()
                    now, told = _megabytes(), passed
                    first = first or now
                    print(f"{passed:6.0f} s  {rounds:4} rounds  {now:7.1f} MB  {now - first:+6.1f} MB", flush=True)


def main() -> None:
    """Run and print; `--seconds` says for how long."""
    seconds = float(sys.argv[sys.argv.index("--seconds") + 1]) if "--seconds" in sys.argv else SECONDS
    asyncio.run(_work(seconds))
