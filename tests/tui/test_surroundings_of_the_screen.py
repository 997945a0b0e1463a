"""Where the screen is shown: a locale that is not UTF-8, a shell that the program is suspended to."""

from __future__ import annotations

import time
from pathlib import Path

import pytest
from rich.cells import cell_len

from brisk_anchor.tui.ascii_shapes import needs_ascii, plain
from tests.tui.test_tmux import Terminal

SOURCES = Path(__file__).parent.parent.parent / "src" / "brisk_anchor"


@pytest.mark.parametrize(
    ("environment", "wanted"),
    [
        ({}, False),
        ({"LANG": "de_AT.UTF-8"}, False),
        ({"LANG": "C.utf8"}, False),
        ({"LANG": "de_DE.ISO-8859-1"}, True),
        ({"LANG": "C"}, True),
        ({"LANG": "en_US.UTF-8", "LC_ALL": "POSIX"}, True),
        ({"LANG": "C", "LC_CTYPE": "C.UTF-8"}, False),
        ({"LC_ALL": "", "LC_CTYPE": "", "LANG": "C"}, True),
    ],
)
def test_the_locale_decides_by_its_first_word(environment, wanted):
    assert needs_ascii(environment) == wanted


def test_every_character_of_ours_has_one_in_ascii_that_is_as_wide():
    used = {c for path in SOURCES.rglob("*.py") for c in path.read_text(encoding="utf-8") if not c.isascii()}
    assert len(used) > 100
    assert sorted(c for c in used if plain(c) in ("?", "??")) == ["\ufffd"]
    for words in ("X −434.000 mm  ±0.0007  ⌀38", "Bohrung Ø 38 für Müller", "穴 1 \U0001f600", "⡏⠉⠁▔"):
        assert plain(words).isascii()
        assert cell_len(plain(words)) == cell_len(words)
    assert plain("X −434.000 mm ±0.1") == "X -434.000 mm ~0.1"


def test_a_terminal_that_shows_no_utf8_gets_a_layout_that_holds(tmp_path):
    window = Terminal(tmp_path, environment="LC_ALL=C")
    try:
        window.wait("Press f to point at bore D38 H7")
        window.keys("f")
        shown = window.wait("Enter measures bore D38 H7", "[G54] not measured")
        assert shown.isascii()
    finally:
        window.close()


def test_after_ctrl_z_the_whole_screen_is_there_again(tmp_path):
    window = Terminal(tmp_path)
    try:
        window.wait("Press f to point at bore")
        time.sleep(1.0)
        before = window.screen()
        window.tmux("send-keys", "C-z")
        time.sleep(1.0)  # the program stands still: the shell of this window has no jobs to say so
        pid = window.tmux("display-message", "-p", "#{pane_pid}").strip()
        window.tmux("send-keys", "-R")
        window.tmux("clear-history")
        window.tmux("run-shell", f"pkill -CONT -P {pid}; pkill -CONT -f {window.home} || true")
        window.wait(before)
    finally:
        window.close()
