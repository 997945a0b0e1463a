"""What stands in the current folder is neither run nor read as settings."""

from __future__ import annotations

import os
import subprocess
import sys

import pytest

EVIL = "import pathlib; pathlib.Path('{mark}').write_text('ran'); raise RuntimeError('ran')"
NAMES = ("decimal", "numpy", "typer", "textual", "brisk_anchor_helper", "pickle", "sqlalchemy", "json", "queue")


@pytest.fixture
def folder(tmp_path):
    """A folder with modules and settings of somebody else's in it, and where they leave a mark when they are run."""
    mark = tmp_path / "mark"
    there = tmp_path / "there"
    there.mkdir()
    for name in NAMES:
        (there / f"{name}.py").write_text(EVIL.format(mark=mark))
    (there / "matplotlibrc").write_text("font.size: nonsense\nbackend: module://decimal\n")
    (there / "ezdxf.ini").write_text("[core]\nsupport_dirs = /nowhere\n")
    return there, mark


def run(there, *args, code=None):
    command = [sys.executable, *(["-c", code] if code else ["-m", "brisk_anchor", *args])]
    return subprocess.run(command, cwd=there, capture_output=True, text=True, timeout=120)


def test_no_module_of_the_current_folder_is_imported(folder, tmp_path):
    there, mark = folder
    ran = run(there, "example", "--out", str(tmp_path / "out"))
    assert ran.returncode == 0, ran.stderr
    assert "nonsense" not in ran.stderr
    assert (tmp_path / "out").exists()
    assert not mark.exists()


def test_nor_by_the_processes_that_prove_a_plan(folder, tmp_path):
    there, mark = folder
    from importlib import resources

    plan = resources.files("brisk_anchor.services") / "examples" / "plans" / "gl-114.plan.toml"
    (there / "p.toml").write_text(plan.read_text(encoding="utf-8"))
    ran = run(there, "plan", "prove", "p.toml", "--variations", "8")
    assert ran.returncode == 0, ran.stderr
    assert "8 of 8" in ran.stdout
    assert not mark.exists()


def test_no_library_reads_its_settings_there(folder):
    there, _ = folder
    (there / "x.dxf").write_text("0\nSECTION\n2\nENTITIES\n0\nENDSEC\n0\nEOF\n")
    code = """
import sys
sys.path = [p for p in sys.path if p]
from brisk_anchor.drawings.paper import rendered
from brisk_anchor.exchange.dxf import read_dxf
rendered(lambda figure: None)
import matplotlib, pathlib
print(matplotlib.rcParams["font.size"])
try:
    read_dxf(pathlib.Path("x.dxf"))
except Exception as error:
    print(type(error).__name__)
import ezdxf
print(ezdxf.options.loaded_config_files, pathlib.Path.cwd())
"""
    ran = run(there, code=code)
    assert ran.returncode == 0, ran.stderr
    assert "Bad value" not in ran.stderr
    assert "ezdxf.ini" not in ran.stdout
    assert str(there) in ran.stdout  # it stands where it stood


def test_the_search_path_of_a_child_holds_no_current_folder(monkeypatch, tmp_path):
    from brisk_anchor.surroundings import child_command

    monkeypatch.chdir(tmp_path)
    monkeypatch.setattr(sys, "path", ["", str(tmp_path), "/somewhere", os.path.join(str(tmp_path), ".")])
    assert child_command("a.b", "c")[1:3] == ["-I", "-c"]
    assert child_command("a.b", "c")[4:] == ["/somewhere"]
