"""The real program in a real terminal: start, rose, measure, store, code, prove, sheet, quit."""

from __future__ import annotations

import contextlib
import itertools
import os
import re
import shutil
import signal
import subprocess
import sys
import time
from pathlib import Path

import pytest

_NUMBERS = itertools.count()
COMMAND = str(Path(sys.executable).parent / "brisk-anchor")

pytestmark = pytest.mark.skipif(shutil.which("tmux") is None, reason="tmux is not installed")


class Terminal:
    """One tmux window on a server of its own."""

    def __init__(self, folder, size=(160, 44), *arguments, command="demo", root="", environment=""):
        self.server = f"brisk-{os.getpid()}-{next(_NUMBERS)}"
        self.home = folder / "home"
        # The test runner exports the size of its own terminal; the program must see the size of this one.
        demo = f"{environment} BRISK_ANCHOR_HOME={self.home} {COMMAND} {root} {command} {' '.join(arguments)}"
        command = f"unset COLUMNS LINES; {demo}; echo ended with $?; sleep 60"
        self.tmux("-f", "/dev/null", "new-session", "-d", "-x", str(size[0]), "-y", str(size[1]), "sh", "-c", command)

    def tmux(self, *arguments):
        return subprocess.run(
            ["tmux", "-L", self.server, *arguments], capture_output=True, text=True, check=True
        ).stdout

    def screen(self):
        return self.tmux("capture-pane", "-p")

    def keys(self, *keys):
        for key in keys:
            self.tmux("send-keys", key)
            time.sleep(0.08)

    def wait(self, *words, seconds=30.0):
        """The screen once it shows all these words, each a text or a pattern: it is painted piece by piece."""
        end = time.monotonic() + seconds
        while True:
            shown = self.screen()
            missing = [
                each for each in words if not re.search(re.escape(each) if isinstance(each, str) else each, shown)
            ]
            if not missing:
                return shown
            assert time.monotonic() < end, f"{missing} never came. The screen shows:\n{shown}"
            time.sleep(0.1)

    def close(self):
        subprocess.run(["tmux", "-L", self.server, "kill-server"], capture_output=True)


@pytest.fixture
def terminal(tmp_path):
    opened = []

    def start(*arguments, size=(160, 44), command="demo", root=""):
        opened.append(Terminal(tmp_path, size, *arguments, command=command, root=root))
        return opened[-1]

    yield start
    for each in opened:
        each.close()


def test_from_start_to_proved_offset_and_back(terminal):
    window = terminal("--speed", "60")
    window.wait("Press f to point at bore")
    window.keys("f")
    window.wait("Enter measures bore ⌀38 H7", "diameter", "38.000 mm")
    window.keys("Enter")
    window.wait("Press f to point at cast top of the hub")
    window.keys("f", "Enter")
    window.wait("G54 is complete. Press s to store it")
    window.wait("bore centre", "its place on the drawing", "length of T20", "allowance", "control agrees to")
    window.keys("s")
    window.wait("Store G54?", "Every program on G54 then moves by X −13.8")
    window.keys("Enter")
    window.wait("G54 stored: X −469.08")
    window.keys("3")
    window.wait("O2354", "MEASURES BORE DIA 38 H7")
    window.keys("p")
    window.wait("G54 is proved", "BRISK 1 END N5")
    window.keys("t")
    window.wait("Written: setup-gl-114-g54.svg, setup-gl-114-g54.pdf")
    window.keys("2")
    window.wait("history of G54", "● proved", "O2354 agrees")
    window.keys("1", "q")
    window.wait("ended with 0")
    assert (window.home / "demo" / "setup-gl-114-g54.pdf").read_bytes().startswith(b"%PDF")
    again = terminal("--speed", "60")
    again.wait("G54 is proved")
    again.keys("q")
    again.wait("ended with 0")


def test_help_palette_and_a_small_window(terminal):
    window = terminal(size=(100, 30))
    window.wait("Press f to point at bore")
    window.keys("?")
    window.wait("The bench measures.")
    window.keys("x")
    window.keys("C-p")
    window.wait("Search for commands")
    window.keys("b", "o", "o", "k")
    window.wait("The book: offsets")
    window.keys("Enter")
    window.wait("offsets of Heron")
    window.tmux("resize-window", "-x", "80", "-y", "24")
    window.wait("Make the window larger")
    window.tmux("resize-window", "-x", "120", "-y", "36")
    window.wait("offsets of Heron")


def child_of(parent):
    """The process a shell has started; without the programs that list processes, which not every system has."""
    for stat in Path("/proc").glob("[0-9]*/stat"):
        with contextlib.suppress(OSError):  # it has ended meanwhile
            _, _, rest = stat.read_text().rpartition(")")
            if int(rest.split()[1]) == parent:
                return int(stat.parent.name)
    listed = subprocess.run(["ps", "-A", "-o", "ppid=,pid="], capture_output=True, text=True, check=True).stdout
    return next(int(pid) for ppid, pid in map(str.split, listed.splitlines()) if int(ppid) == parent)


def test_ctrl_c_and_kill_leave_a_sound_book(terminal):
    window = terminal("--speed", "60")
    window.wait("Press f to point at bore")
    window.keys("f", "Enter")
    window.wait("Press f to point at cast top")
    window.keys("f", "Enter")
    window.wait("Press s to store it")
    window.keys("s", "Enter")
    window.wait("G54 stored")
    shell = window.tmux("display-message", "-p", "#{pane_pid}").strip()
    os.kill(child_of(int(shell)), signal.SIGKILL)
    window.wait("ended with 137")
    window.close()
    again = terminal("--speed", "60")
    again.wait("G54 is stored")


def test_the_machine_from_its_control_and_as_it_was_left(terminal):
    window = terminal("--speed", "200")
    window.wait("Press f to point at bore")
    window.keys("4")
    window.wait("Move by hand")
    window.keys("i")
    window.wait("one block as on the control")
    window.tmux("send-keys", "-l", "G91 G0 X-3.")
    window.wait("Enter runs it on the machine")
    window.keys("Enter")
    window.wait("Done.")
    window.keys("o", "Space")
    window.wait("STORED G54")
    window.keys("q")
    window.wait("ended with 0")
    again = terminal()
    again.wait("Press f to point at bore")
    again.keys("4", "l", "l", "l")
    again.wait("machine time", "G91 G0 X-3.", re.compile(r"to G54 +end +3\d\d "))  # how many blocks it ran


def test_a_job_of_ones_own_from_new_to_a_chosen_zero(terminal, tmp_path):
    folder = tmp_path / "my-job"
    subprocess.run([COMMAND, "new", str(folder)], check=True, capture_output=True)
    window = terminal(str(folder), "--speed", "200", command="open")
    window.wait("Press f to point at bearing seat")
    window.keys("5", "Down", "Down", "Down", "x")
    window.wait("G54 X comes from dowel bore")
    assert 'feature = "dowel", drawing = 20.000000' in (folder / "job.toml").read_text()
    window.keys("1", "f", "Enter")
    window.wait("dowel bore ⌀16: X")
    window.keys("q")
    window.wait("ended with 0")
