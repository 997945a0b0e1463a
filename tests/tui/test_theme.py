"""Three palettes: each readable, chosen by the person or by the terminal's ground."""

from __future__ import annotations

import os
import subprocess
import sys
from dataclasses import fields
from pathlib import Path

import pytest

from brisk_anchor.tui.ground import may_be_asked
from brisk_anchor.tui.theme import PALETTES, chosen_palette

COMMAND = str(Path(sys.executable).parent / "brisk-anchor")


def luminance(colour: str) -> float:
    """Relative luminance (WCAG 2)."""
    parts = [int(colour[n : n + 2], 16) / 255 for n in (1, 3, 5)]
    r, g, b = (c / 12.92 if c <= 0.03928 else ((c + 0.055) / 1.055) ** 2.4 for c in parts)
    return 0.2126 * r + 0.7152 * g + 0.0722 * b


def contrast(one: str, other: str) -> float:
    high, low = sorted((luminance(one), luminance(other)), reverse=True)
    return (high + 0.05) / (low + 0.05)


@pytest.mark.parametrize("name", PALETTES)
def test_words_stand_out_from_every_ground(name):
    palette = PALETTES[name]
    least = 7.0 if name == "contrast" else 4.5
    for words in ("text", "live", "sand", "coral"):
        for ground in ("ground", "raised", "chosen") if words == "text" else ("ground", "raised"):
            assert contrast(getattr(palette, words), getattr(palette, ground)) >= least, (words, ground)
    assert contrast(palette.quiet, palette.raised) >= 4.5
    assert palette.dark == (luminance(palette.ground) < 0.2)
    assert all(
        value.startswith("#") and len(value) == 7
        for f in fields(palette)
        if f.name not in ("name", "dark")
        for value in [getattr(palette, f.name)]
    )


ASKED = """
import os
from brisk_anchor.tui.theme import HOLDS
print("GROUND", HOLDS.name, flush=True)
print("TYPED", os.read(0, 10), flush=True)
"""


@pytest.mark.parametrize(
    ("answer", "name"),
    [
        (b"\x1b]11;rgb:fafa/fbfb/f0f0\x1b\\\x1b[?62;22c", "stone"),
        (b"\x1b]11;rgb:00/2b/36\x07\x1b[?1;2c", "slate"),
        (b"\x1b[?1;2c", "slate"),
        (b"", "slate"),
    ],
)
def test_a_terminal_is_asked_for_its_ground_and_nothing_of_the_answer_is_left_as_keys(answer, name):
    ours, theirs = os.openpty()
    environment = {"TERM": "xterm-256color", "PATH": os.environ["PATH"], "HOME": os.environ["HOME"]}
    child = subprocess.Popen([sys.executable, "-c", ASKED], stdin=theirs, stdout=theirs, env=environment)
    os.close(theirs)
    held = b""
    while b"\x1b[c" not in held:
        held += os.read(ours, 1024)
    os.write(ours, answer[:7])
    os.write(ours, answer[7:])
    while b"GROUND" not in held or not held.endswith(b"\n"):
        held += os.read(ours, 1024)
    assert f"GROUND {name}".encode() in held
    os.write(ours, b"k\n")
    while b"TYPED" not in held or not held.endswith(b"\n"):
        held += os.read(ours, 1024)
    assert b"TYPED b'k\\n'" in held
    assert child.wait(5) == 0
    os.close(ours)


def test_a_slow_line_and_a_pipe_are_not_asked(monkeypatch):
    assert not may_be_asked({"TERM": "xterm", "SSH_TTY": "/dev/pts/1"})
    monkeypatch.setattr(os, "isatty", lambda _: True)
    assert may_be_asked({"TERM": "xterm"})
    assert not may_be_asked({"TERM": "linux"})


@pytest.mark.parametrize(
    ("environment", "name"),
    [
        ({}, "slate"),
        ({"COLORFGBG": "0;15"}, "stone"),
        ({"COLORFGBG": "0;default;7"}, "stone"),
        ({"COLORFGBG": "15;0"}, "slate"),
        ({"COLORFGBG": "0;15", "BRISK_ANCHOR_THEME": "contrast"}, "contrast"),
        ({"BRISK_ANCHOR_THEME": "neon"}, "slate"),
    ],
)
def test_the_person_decides_then_the_terminal(environment, name):
    assert chosen_palette(environment).name == name


def test_colours_that_do_not_exist_are_refused():
    done = subprocess.run(
        [COMMAND, "--theme", "neon", "profile", "list"], capture_output=True, text=True, env=os.environ
    )
    assert done.returncode == 2
    assert "slate, stone, contrast" in done.stderr
