"""Walk up, touch, set: from a machine alone to a stored and proved offset, in a real terminal. Keystrokes are printed.

Moves by hand are counted apart: at a machine they are made with its own handwheel.
"""

from __future__ import annotations

import re
import subprocess
import time

import pytest

from tests.tui.test_tmux import COMMAND, terminal  # noqa: F401

MOVES = {"g", "S-Left", "S-Right", "S-Up", "S-Down", "PPage", "NPage"}


class Walk:
    """A window that counts what is pressed: keys of the application, digits that are typed, moves by hand."""

    def __init__(self, window, note):
        """`note` keeps what is told for the end of the test run."""
        self.window, self.note = window, note
        self.keys, self.digits, self.moves = 0, 0, 0

    def press(self, *keys):
        for key in keys:
            self.keys += key not in MOVES
            self.moves += key in MOVES
            self.window.tmux("send-keys", key)
            time.sleep(0.15)

    def type(self, text):
        self.digits += len(text)
        self.window.tmux("send-keys", "-l", "--", text)
        time.sleep(0.2)

    def wait(self, *words):
        return self.window.wait(*words)

    def told(self, what):
        self.note("keystrokes", f"{what}: {self.keys} keys, {self.digits} characters typed, {self.moves} moves by hand")


@pytest.mark.parametrize(("unit", "size"), [("mm", (160, 44)), ("inch", (100, 30))])
def test_corner_and_top_by_the_probe_to_a_stored_and_proved_offset(terminal, unit, size, record_property):  # noqa: F811
    walk = Walk(terminal("--job", "block", "--speed", "200", size=size, root=f"--show {unit}"), record_property)
    walk.wait("comes from no drawing")
    walk.press("d")
    walk.wait("Enter measures Surface 1")
    walk.press("Enter")
    walk.wait("Surface 1: Z", "at rest")  # a key for a move by hand is refused until then
    if unit == "mm":  # to 10 mm inside the corner, by eye
        walk.press("g", *["S-Left"] * 4, *["S-Down"] * 2)
    else:
        walk.press("g", *["S-Left"] * 3, "S-Down", "g", "g", "g", "S-Left", *["S-Down"] * 6)
    walk.press("Left", "Down", "i")
    walk.wait("Enter measures Outside corner 1", "the marks are its sides")
    walk.press("Enter")
    walk.wait("Outside corner 1: X")
    walk.press("o")
    walk.type("G56")
    walk.press("Enter")
    walk.wait("setting G56")
    walk.press("z")
    walk.wait("from Outside corner 1", re.compile(r"Z\s+from\s+Surface\s+1"))
    walk.press("Enter")
    walk.wait("Store G56?")
    walk.press("Enter")
    walk.wait("G56 stored", "mm" if unit == "mm" else " in")
    walk.told(f"corner + top by the probe, {unit}, to G56 stored")
    assert walk.keys <= 14
    walk.press("p")
    walk.wait("G56 is proved", re.compile(r"\bN\d{2,3} \(|\bG\d+ "))  # the code, as far as the window reaches
    walk.press("1")
    walk.wait("active G54", "[G56]")


def test_a_machine_alone_by_edge_finder_and_feeler_to_a_proved_offset(terminal, tmp_path, record_property):  # noqa: F811
    folder = tmp_path / "walk"
    subprocess.run([COMMAND, "new", str(folder), "--machine-only"], check=True, capture_output=True)
    walk = Walk(terminal(str(folder / "machine.toml"), "--speed", "200", command="open"), record_property)
    walk.wait("nothing drawn")
    walk.press("b", "Right", "Up")
    walk.wait("edge finder")
    walk.press("i")
    walk.press("Enter")
    for figure in ("-455.012", "-300.034"):
        walk.type(figure)
        walk.press("Enter")
    walk.wait("Outside corner 1: X")
    walk.press("b", "b", "BSpace", "d")
    walk.press("Enter")
    walk.type("-380.5")
    walk.press("Enter")
    walk.wait("Surface 1: Z")
    walk.press("o")
    walk.type("G56")
    walk.press("Enter")
    walk.press("z", "Enter")
    walk.wait("Store G56?")
    walk.press("Enter")
    walk.wait("G56 stored")
    walk.told("corner + top by hand, to G56 stored")
    assert walk.keys <= 18
    walk.press("p")
    walk.wait("G56 is proved")


def test_block_top_and_angle_to_an_extended_row_and_what_follows_it(terminal, record_property):  # noqa: F811
    walk = Walk(terminal("--job", "block", "--speed", "200"), record_property)
    walk.wait("comes from no drawing")
    walk.press("d", "Enter")
    walk.wait("Surface 1: Z")
    walk.press("g", "S-Right")
    walk.press("a", "r", "i", "e")
    walk.type("120")
    walk.press("Tab")
    walk.type("60")
    walk.press("Enter")
    walk.wait("Enter measures Block 1")
    walk.press("Enter")
    walk.wait("Block 1: X")
    walk.press("T", "Enter")
    walk.wait("R +0.2")
    walk.press("o")
    walk.type("G54.1 P3")
    walk.press("Enter", "z")
    walk.wait("R 0")
    walk.press("Enter")
    walk.wait("Store G54.1 P3?")
    walk.press("Enter")
    walk.wait("G54.1 P3 stored")
    walk.press("2", "p")
    walk.type("grid 3, 1, 150, 0 to G54.1 P7")
    walk.press("Enter")
    walk.wait("G54.1 P7, G54.1 P8 follow G54.1 P3")
    walk.press("W")
    walk.wait("Enter writes 2 rows: G54.1 P7, G54.1 P8")
    walk.press("Enter")
    walk.wait("G54.1 P7, G54.1 P8 written")
    walk.told("block + top to G54.1 P3, and two rows that follow it")
