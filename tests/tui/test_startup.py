"""What the first paint may load: nothing that people would wait for."""

from __future__ import annotations

import subprocess
import sys

HEAVY = ("numpy", "scipy", "matplotlib", "sqlalchemy", "alembic", "pydantic", "brisk_anchor.services.workshop")

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
    code = "import sys, brisk_anchor.cli; print('textual' in sys.modules, 'numpy' in sys.modules)"
    result = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert result.stdout.split() == ["False", "False"]
