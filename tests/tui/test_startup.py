"""What the first paint may load: nothing that people would wait for."""

from __future__ import annotations

import os
import pty
import select
import subprocess
import sys
import time

from typer.main import get_command

from brisk_anchor.cli.commands import app, app_for

HEAVY = (
    *("numpy", "scipy", "matplotlib", "sqlalchemy", "alembic", "pydantic", "psycopg", "ezdxf", "filelock", "typer"),
    *("tomlkit", "lxml", "aiohttp", "serial", "uvicorn", "brisk_anchor.services.session.session"),
)

PROBE = """
import sys
from pathlib import Path
from brisk_anchor.tui.app import BriskAnchorApp
heavy = sys.argv[1].split(",")
def look(self):
    print(",".join(name for name in heavy if name in sys.modules) or "nothing", file=sys.__stdout__)
    self.exit(0)
BriskAnchorApp._start_opening = look
app = BriskAnchorApp(lambda: None, Path("."))
app.run(headless=True, size=(160, 44))
"""


def test_first_paint_loads_nothing_heavy():
    result = subprocess.run(
        [sys.executable, "-c", PROBE, ",".join(HEAVY)], capture_output=True, text=True, timeout=60, check=True
    )
    assert result.stdout.strip() == "nothing"


def test_the_commands_help_loads_no_screen():
    code = "import sys, brisk_anchor.cli.commands; print('textual' in sys.modules, 'numpy' in sys.modules)"
    result = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert result.stdout.split() == ["False", "False"]


def test_a_command_that_is_typed_is_all_that_is_worked_out():
    whole = get_command(app)
    for name, command in whole.commands.items():
        alone = get_command(app_for([name, "--help"]))
        assert list(alone.commands) == [name]
        assert [p.name for p in alone.commands[name].params] == [p.name for p in command.params]
    for words in ([], ["--version"], ["chekc"], [""]):
        assert app_for(words) is app


def test_it_ends_when_its_window_is_closed_and_no_signal_comes(tmp_path):
    """Under make the hang-up goes to make alone: the terminal that is gone must be noticed."""
    master, slave = pty.openpty()
    environment = {**os.environ, "BRISK_ANCHOR_HOME": str(tmp_path), "TERM": "xterm-256color"}
    command = [sys.executable, "-m", "brisk_anchor", "demo"]
    with subprocess.Popen(
        command, stdin=slave, stdout=slave, stderr=slave, env=environment, start_new_session=True
    ) as run:
        os.close(slave)
        end = time.monotonic() + 20
        while not (tmp_path / "demo" / "book.sqlite").exists() and time.monotonic() < end:
            if select.select([master], [], [], 0.1)[0]:
                os.read(master, 65536)
        os.close(master)
        try:
            run.wait(15)
        finally:
            run.kill()
