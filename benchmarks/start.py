"""First paint, key to screen and idle memory, measured in a real terminal (a pseudo-terminal read by this process).

The baseline is a Textual application with the same widgets that shows nothing and opens nothing.
"""

from __future__ import annotations

import fcntl
import os
import pty
import select
import statistics
import struct
import subprocess
import sys
import tempfile
import termios
import time
from pathlib import Path

ROUNDS = 15

BASELINE = """
from textual.app import App
from textual.containers import Horizontal, Vertical
from textual.widget import Widget
from textual.widgets import ContentSwitcher, Input, Static
class Empty(App):
    CSS = "#all { height: 100%; } Static { height: 1; } ContentSwitcher { height: 1fr; } #line { height: 1; }"
    def compose(self):
        with Vertical(id="all"):
            yield Static("top")
            yield Static("ladder")
            with ContentSwitcher(initial="bench"):
                with Horizontal(id="bench"):
                    yield Widget()
                    with Vertical():
                        for _ in range(2): yield Static("panel")
                        for _ in range(3): yield Widget()
            with Horizontal(id="line"):
                yield Static("label")
                yield Input()
                yield Static("result")
            yield Static("Opening")
            yield Static("keys")
Empty().run()
"""


class Terminal:
    """A child in a pseudo-terminal of 160 × 44, with data of its own unless a folder for them is given."""

    def __init__(self, command: list[str], home: Path | None = None) -> None:
        self.started = time.perf_counter()
        self.pid, self.fd = pty.fork()
        if self.pid == 0:
            os.environ["TERM"] = "xterm-256color"
            os.environ["COLORFGBG"] = "15;0"  # nobody here answers what the ground is
            os.environ["BRISK_ANCHOR_HOME"] = str(home) if home is not None else tempfile.mkdtemp()
            os.execv(command[0], command)
        fcntl.ioctl(self.fd, termios.TIOCSWINSZ, struct.pack("HHHH", 44, 160, 0, 0))

    def read_until(self, words: bytes, limit: float = 30.0) -> float:
        """Seconds until the words come."""
        started, held = time.perf_counter(), b""
        while time.perf_counter() - started < limit:
            if select.select([self.fd], [], [], 0.05)[0]:
                try:
                    held += os.read(self.fd, 65536)
                except OSError:
                    break
                if words in held:
                    return time.perf_counter() - started
        raise TimeoutError(f"{words!r} never came")

    def drain(self, quiet: float = 0.3) -> None:
        """Read until nothing has come for a while."""
        while select.select([self.fd], [], [], quiet)[0]:
            os.read(self.fd, 65536)

    def key(self, key: bytes) -> float:
        """Seconds from a key to the first change on the screen."""
        self.drain(0.15)
        started = time.perf_counter()
        os.write(self.fd, key)
        select.select([self.fd], [], [], 5.0)
        return time.perf_counter() - started

    def memory(self) -> float:
        """Resident memory, MB."""
        pages = int(Path(f"/proc/{self.pid}/statm").read_text().split()[1])
        return pages * os.sysconf("SC_PAGE_SIZE") / 1e6

    def close(self) -> None:
        """End the child."""
        os.kill(self.pid, 9)
        os.waitpid(self.pid, 0)
        os.close(self.fd)


def first_paint(command: list[str], words: bytes) -> float:
    """Seconds from the start of the process to its first painted words."""
    terminal = Terminal(command)
    try:
        return terminal.read_until(words)
    finally:
        terminal.close()


def main() -> None:
    """Print medians and ratios."""
    demo = str(Path(sys.executable).parent / "brisk-anchor")
    with tempfile.NamedTemporaryFile("w", suffix=".py") as file:
        file.write(BASELINE)
        file.flush()
        subprocess.run([sys.executable, "-m", "compileall", "-q", file.name], check=False)
        ours, empty = [], []
        for _ in range(ROUNDS):
            empty.append(first_paint([sys.executable, file.name], b"Opening"))
            ours.append(first_paint([demo, "demo"], b"Opening"))
    a, b = statistics.median(ours), statistics.median(empty)
    print(f"first paint: {a * 1000:.0f} ms, empty application {b * 1000:.0f} ms: {a / b:.2f} × (median of {ROUNDS})")
    terminal = Terminal([demo, "demo"])
    ready = terminal.read_until(b"Press f")
    terminal.drain()
    timed = [(key, terminal.key(key)) for _ in range(12) for key in (b"f", b"d", b"a", b"v", b"\t", b"2", b"3", b"1")]
    print(f"ready to work after {ready:.2f} s")
    views = (b"1", b"2", b"3")
    for name, keys in (
        ("keys on the bench", sorted(t for key, t in timed if key not in views)),
        ("changes of view", sorted(t for key, t in timed if key in views)),
    ):
        print(
            f"{name} to screen: median {statistics.median(keys) * 1000:.0f} ms, "
            f"95 % under {keys[int(len(keys) * 0.95)] * 1000:.0f} ms ({len(keys)} keys)"
        )
    time.sleep(1)
    print(f"memory when idle: {terminal.memory():.0f} MB")
    terminal.close()
