"""The guide works as it is written: each page's keys are pressed in a real terminal, and the screen says what it says.

A page has a command, and a table of what is pressed and what the screen says then: keys in code, typed text in bold.
"""

from __future__ import annotations

import re
import shutil
import time
from pathlib import Path

import pytest

from brisk_anchor.tui.key_list import keys_page
from tests.tui.test_tmux import Terminal

ROOT = Path(__file__).parent.parent
PAGES = [ROOT / "README.md", *sorted((ROOT / "docs" / "guide").glob("*.md"))]
NAMES = {
    "Enter": "Enter",
    "Esc": "Escape",
    "Tab": "Tab",
    "Space": "Space",
    "Del": "DC",
    "←": "Left",
    "→": "Right",
    "↑": "Up",
    "↓": "Down",
    "Shift+←": "S-Left",
    "Shift+→": "S-Right",
    "Shift+↑": "S-Up",
    "Shift+↓": "S-Down",
    "PgUp": "PPage",
    "PgDn": "NPage",
}

pytestmark = pytest.mark.skipif(shutil.which("tmux") is None, reason="tmux is not installed")


def steps_of(page: Path) -> tuple[list[str], list[tuple[list[tuple[str, str]], str]]]:
    """The arguments of the page's command, and its steps: keys ("key" or "text") and what the screen says then."""
    text = page.read_text(encoding="utf-8")
    command = re.search(r"^    brisk-anchor demo(.*)$", text, re.MULTILINE)
    table = re.search(r"^\| Press \| The screen says \|\n\|---\|---\|\n((?:\|.*\|\n)+)", text, re.MULTILINE)
    assert command is not None, page.name
    assert table is not None, page.name
    steps = []
    for line in table[1].splitlines():
        pressed, told = (part.strip() for part in line.strip("|").split("|"))
        found = [
            ("key", code) if code else ("text", words)
            for code, words in re.findall(r"`([^`]+)`|\*\*(.+?)\*\*", pressed)
        ]
        assert found, line
        steps.append((found, told))
    return command[1].split(), steps


@pytest.mark.parametrize("page", PAGES, ids=lambda page: page.stem)
def test_the_keys_of_a_page_do_what_it_says(page: Path, tmp_path: Path):
    arguments, steps = steps_of(page)
    speed = [] if "sleeve" in arguments or "--profile" in arguments else ["--speed", "300"]
    window = Terminal(tmp_path, (160, 44), *arguments, *speed)
    try:
        window.wait("? help")
        opened = time.monotonic() + 30
        while "Opening the set-up" in window.screen() and time.monotonic() < opened:
            time.sleep(0.1)
        time.sleep(0.5)
        for keys, told in steps:
            assert told not in window.screen(), f"{told}: it is there before {keys}"
            for kind, word in keys:
                if kind == "text":
                    window.tmux("send-keys", "-l", "--", word)
                    time.sleep(0.3)
                else:
                    window.keys(NAMES.get(word, word))
            window.wait(told)
    finally:
        window.close()


def test_the_list_of_keys_is_that_of_the_action_tables():
    assert (ROOT / "docs" / "keys.md").read_text(encoding="utf-8") == keys_page()


def test_every_page_is_linked_and_every_link_of_the_docs_leads_somewhere():
    readme = (ROOT / "README.md").read_text()
    assert len(readme.splitlines()) < 120
    for page in PAGES[1:]:
        assert f"docs/guide/{page.name}" in readme
    for page in [*PAGES, *(ROOT / "docs").glob("*.md")]:
        for link in re.findall(r"\]\(([^)#:]+)(?:#[^)]*)?\)", page.read_text()):
            assert (page.parent / link).exists(), (page.name, link)
