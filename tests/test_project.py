"""What the documents promise, and what must never stand in the project."""

from __future__ import annotations

import ast
import re
import subprocess
from collections import Counter
from pathlib import Path

import pytest

from brisk_anchor.core import errors
from brisk_anchor.core.features.specs.registry import SPECS, spec_of
from brisk_anchor.core.kinds import FeatureKind
from brisk_anchor.nc.profile.control_profile import Profile
from brisk_anchor.nc.profile.languages import LANGUAGES
from brisk_anchor.nc.programs.steps import AlarmNumber
from brisk_anchor.nc.read.scanner import _GRAMMARS
from brisk_anchor.nc.write.writer import _WRITERS
from brisk_anchor.services.job.jobs import FILES
from brisk_anchor.services.plan.plan_file import PlanFile
from brisk_anchor.services.plan.plan_proof import PlanProof
from brisk_anchor.services.turning.lathe_file import LatheState
from brisk_anchor.services.turning.turning_job import TurningFile
from brisk_anchor.standin.scene_file import SceneFile
from brisk_anchor.tui.actions import ACTIONS, Do

ROOT = Path(__file__).parent.parent
README = (ROOT / "README.md").read_text()
FORMATS = "".join((ROOT / "docs" / name).read_text() for name in ("formats.md", "control-profiles.md"))


def fields(model, seen=()):
    """Names of all fields of a pydantic model and the models in it."""
    names = set()
    for name, field in model.model_fields.items():
        names.add(name)
        for where, part in re.findall(r"(brisk_anchor[\w.]+)\.(\w+)", str(field.annotation)):
            inner = getattr(__import__(where, fromlist=[part]), part)
            if inner not in seen:
                names |= fields(inner, (*seen, inner))
    return names


@pytest.mark.parametrize(
    "model",
    [Profile, SceneFile, PlanFile, PlanProof, TurningFile, LatheState, *FILES.values()],
    ids=lambda model: model.__name__,
)
def test_every_field_of_a_file_is_documented(model):
    missing = {name for name in fields(model) if not re.search(rf"`\[*{name}\b|`[^`]*\b{name}\b[^`]*`", FORMATS)}
    assert missing == set()


def test_every_alarm_is_documented_and_advised():
    from brisk_anchor.services.machine.runs import _ADVICE

    numbers = {value for name, value in vars(AlarmNumber).items() if not name.startswith("_")}
    assert numbers == set(_ADVICE)
    assert all(str(number) in FORMATS for number in numbers)


def test_the_error_tree_in_the_docstring_is_whole():
    classes = {name for name, thing in vars(errors).items() if isinstance(thing, type) and issubclass(thing, Exception)}
    assert {name for name in classes if name in errors.__doc__} == classes


def public_functions(tree):
    """Functions and methods that others call, with their docstrings; not what is nested in a function."""
    for node in tree.body:
        if isinstance(node, ast.ClassDef) and not node.name.startswith("_"):
            yield from public_functions(node)
        elif isinstance(node, ast.FunctionDef) and not node.name.startswith("_"):
            yield node, ast.get_docstring(node) or ""


def raises(function):
    """Whether the function itself raises an error that it makes."""
    waiting = list(function.body)
    while waiting:
        node = waiting.pop()
        if isinstance(node, ast.Raise) and isinstance(node.exc, ast.Call):
            return True
        if not isinstance(node, ast.FunctionDef | ast.ClassDef | ast.Lambda):
            waiting += ast.iter_child_nodes(node)
    return False


UNIT = re.compile(r"\bmm\b|mm²|µm|degree|°|radian|\bs\b|\bmin\b|\bunit\b|[Ff]actor|[Rr]atio|probability|[Uu]nit vector")
FIGURES = re.compile(r"\bfloat\b|Vector|Matrix|Array")


def untold(text, core):
    """Functions whose docstring leaves out an error that they raise, or in core the unit of what they return."""
    for function, words in public_functions(ast.parse(text)):
        if raises(function) and not re.search(r"Raises|\w+Error\b", words):
            yield function.name, "errors"
        if core and function.returns and FIGURES.search(ast.unparse(function.returns)) and not UNIT.search(words):
            yield function.name, "unit"


def test_docstrings_tell_errors_and_units():
    sample = 'def f() -> float:\n    """A length."""\n    raise DatumError("", "", "")\n'
    assert list(untold(sample, core=True)) == [("f", "errors"), ("f", "unit")]
    found = {}
    for room in ("core", "nc", "book", "exchange", "drawings", "standin", "services", "tui"):
        for path in (ROOT / "src" / "brisk_anchor" / room).rglob("*.py"):
            if missing := list(untold(path.read_text(encoding="utf-8"), core=room == "core")):
                found[str(path)] = missing
    assert found == {}


def test_readme_shows_every_picture_and_names_commands_and_keys():
    pictures = {path.name for path in (ROOT / "docs" / "screenshots").glob("*.png")}
    assert 5 <= len(pictures) < 20
    pages = README + "".join(page.read_text(encoding="utf-8") for page in (ROOT / "docs" / "guide").glob("*.md"))
    assert set(re.findall(r"screenshots/([\w-]+\.png)\)", pages)) == pictures
    for words in ("make demo", "make test", "brisk-anchor example --out", "brisk-anchor run", "--json"):
        assert words in README + (ROOT / "docs" / "commands.md").read_text(encoding="utf-8")
    shown = {
        action.shown
        for action in ACTIONS
        if action.do in (Do.POINT, Do.MEASURE, Do.STORE, Do.PROVE, Do.SHEET, Do.CLAMP)
    }
    assert all(f"`{key}`" in pages for key in shown - {"F"})
    for link in re.findall(r"\]\((docs/[\w-]+\.md)\)", README):
        assert (ROOT / link).exists()


def test_nothing_of_one_machine_or_registry_stands_in_the_files():
    listed = subprocess.run(["git", "ls-files", "-z"], cwd=ROOT, capture_output=True, text=True, check=True).stdout
    pattern = re.compile("|".join((r"https?://", r"/" + r"work/", r"--" + r"index-url", r"/" + r"root/")))
    found = []
    for name in filter(None, listed.split("\0")):
        path = ROOT / name
        if path.suffix in (".png", ".stl") or not path.exists():
            continue
        for number, line in enumerate(path.read_text(encoding="utf-8").splitlines(), 1):
            if pattern.search(line) and not name.startswith("tests/test_project"):
                found.append(f"{name}:{number}")
    assert found == []


def test_locks_pin_everything_exactly_with_hashes():
    pinned = {}
    for name in ("requirements.lock", "requirements-test.lock"):
        entries = (ROOT / name).read_text().replace("\\\n", " ").splitlines()[1:]
        assert len(entries) > 30
        for entry in entries:
            assert re.fullmatch(r"[A-Za-z0-9_.-]+==[^ ]+( +--hash=sha256:[0-9a-f]{64})+", entry.rstrip()), entry[:60]
        pinned[name] = set(entries)
    assert pinned["requirements.lock"] <= pinned["requirements-test.lock"]


def test_no_class_name_is_used_twice():
    names = [
        node.name
        for path in (ROOT / "src").rglob("*.py")
        for node in ast.parse(path.read_text(encoding="utf-8")).body
        if isinstance(node, ast.ClassDef)
    ]
    assert [name for name, count in Counter(names).items() if count > 1] == []


def test_a_language_is_registered_in_three_places_and_asked_for_what_it_can_do():
    assert set(_WRITERS) == set(_GRAMMARS) == set(LANGUAGES)
    assert Profile.model_json_schema()["properties"]["language"]["enum"] == list(LANGUAGES)
    for path in (ROOT / "src").rglob("*.py"):
        assert not re.search(r"language (==|!=)", path.read_text(encoding="utf-8")), path


def test_a_kind_of_feature_that_is_touched_has_one_entry():
    assert set(SPECS) == {kind for kind in FeatureKind if not kind.is_built}
    with pytest.raises(ValueError, match="never touched"):
        spec_of(FeatureKind.BETWEEN)


def test_quantities_are_shown_by_one_formatter():
    """A figure with its unit is formatted nowhere else; codes, files and columns have formats of their own."""
    own = re.compile(r"\{[^{}]*:[+ ]?\.?\d*[fg]\}( mm\b| µm|°)|±\{2 \* ")
    source = ROOT / "src/brisk_anchor"
    there = ("nc", "exchange", "book")  # what is written to controls, files and logs
    files = [path for path in source.rglob("*.py") if path.relative_to(source).parts[0] not in there]
    assert len(files) > 150
    found = [f"{path.name}: {line}" for path in files for line in path.read_text().splitlines() if own.search(line)]
    assert found == []
