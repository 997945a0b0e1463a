"""What the product imports is installed with the product: an environment of the runtime lock alone runs all of it."""

from __future__ import annotations

import ast
import os
import re
import subprocess
import sys
import venv
from functools import cache
from importlib import metadata
from pathlib import Path

import pytest

ROOT = Path(__file__).parent.parent
LATER = ("psycopg",)
"""What an extra brings: it may be imported by name only where it is installed."""


@cache
def imported() -> frozenset[str]:
    """Every module that some line of the product imports, at the top or when it is wanted."""
    found = set()
    for path in (ROOT / "src").rglob("*.py"):
        for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
            if isinstance(node, ast.Import):
                found |= {alias.name for alias in node.names}
            elif isinstance(node, ast.ImportFrom) and node.module and not node.level:
                found.add(node.module)
    return frozenset(found)


@pytest.fixture(scope="module")
def runtime(tmp_path_factory) -> Path:
    """A Python with the packages of requirements.lock and nothing else, taken from where the tests have them."""
    folder = tmp_path_factory.mktemp("runtime")
    venv.create(folder, with_pip=False, symlinks=True)
    packages = next(folder.glob("lib/python*/site-packages"))
    lock = (ROOT / "requirements.lock").read_text().splitlines()
    for name in (re.split(r"==| ", line)[0] for line in lock if line and not line.startswith(("#", " "))):
        for file in metadata.distribution(name).files or ():
            first = Path(file.parts[0])
            there, here = Path(str(file.locate())).parents[len(file.parts) - 2], packages / first
            source = Path(str(file.locate())) if len(file.parts) == 1 else there
            if first.name != ".." and not here.exists() and source.exists():
                here.symlink_to(source)
    (packages / "ours.pth").write_text(str(ROOT / "src"))
    return folder / "bin" / "python"


def run(python: Path, folder: Path, *arguments: str) -> str:
    more = {"BRISK_ANCHOR_HOME": str(folder / "home"), "PYTHONPATH": ""}
    ran = subprocess.run(
        [str(python), *arguments], cwd=folder, capture_output=True, text=True, timeout=120, env=os.environ | more
    )
    assert ran.returncode == 0, ran.stderr[-2000:]
    return ran.stdout


def test_every_import_of_the_product_works_there(runtime, tmp_path):
    names = sorted(name for name in imported() if name.split(".")[0] not in LATER)
    code = f"import importlib\nfor name in {names!r}: importlib.import_module(name)\nprint('all')"
    assert run(runtime, tmp_path, "-c", code) == "all\n"
    with pytest.raises(AssertionError):
        run(runtime, tmp_path, "-c", "import pytest")


def test_the_example_runs_there(runtime, tmp_path):
    assert "Proved" in run(runtime, tmp_path, "-m", "brisk_anchor", "example", "--out", str(tmp_path / "out"))


GOING_ROUND = """
from dataclasses import replace
from brisk_anchor.core.geometry.frames import Frame
from brisk_anchor.services.plan.plan_file import MeasureSection, PlanFile
from brisk_anchor.services.plan.planning import planned, program_of
from brisk_anchor.services.profile.profile_proof import sample_scene
from brisk_anchor.services.plan.proving import rehearse
from brisk_anchor.services.session.session import Session
from brisk_anchor.nc.profile.control_profile import shipped_profile
from brisk_anchor.standin.outlines import outline_of

scene = sample_scene()
session = Session(scene, None, shipped_profile("skip-macro"), seed=None)
measure = [MeasureSection(feature="boss", over_the_top=False)]
plan = PlanFile(form="brisk-anchor-plan-1", units="mm", name="round", measure=measure)
print(rehearse(session, planned(session, plan))[2].total > 1)
tipped = Frame.from_angles((0.0, 0.0, 0.0), a=30.0)
print(len([outline_of(replace(solid, frame=tipped @ solid.frame)) for solid in scene.nominal]))
"""


def test_a_boss_gone_round_and_a_tipped_table_drawn_there(runtime, tmp_path):
    assert run(runtime, tmp_path, "-c", GOING_ROUND).splitlines()[0] == "True"


def test_what_is_imported_is_declared():
    text = (ROOT / "pyproject.toml").read_text()
    declared = {name.lower() for name in re.findall(r'^  "([A-Za-z0-9_.-]+)(?:\[[a-z]+\])?[>=]', text, re.MULTILINE)}
    standard = set(sys.stdlib_module_names) | {"brisk_anchor"}
    # One library is imported by another name than it is declared by.
    tops = {name.split(".")[0].lower().replace("serial", "pyserial") for name in imported()} - standard
    assert {name for name in tops if name not in declared} == set()
