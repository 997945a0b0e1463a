"""The command line as scripts see it: output, exit codes, one-line errors."""

from __future__ import annotations

import io
import json
import re
import subprocess
import sys
from contextlib import redirect_stderr, redirect_stdout
from pathlib import Path
from unittest.mock import patch
from xml.etree import ElementTree

import pytest

from brisk_anchor.__main__ import main
from brisk_anchor.nc.bounded import is_file, is_folder, is_there, typed_path

COMMAND = str(Path(sys.executable).parent / "brisk-anchor")


def started(*arguments):
    """A process of its own, as a script starts it."""
    return subprocess.run([COMMAND, *map(str, arguments)], capture_output=True, text=True, timeout=120)


def call(*arguments):
    """The same from its entry point on, without the second that a process takes to load."""
    words, out, err = ["brisk-anchor", *map(str, arguments)], io.StringIO(), io.StringIO()
    with patch.object(sys, "argv", words), redirect_stdout(out), redirect_stderr(err):
        try:
            main()
            code = 0
        except SystemExit as ended:
            code = ended.code or 0
    return subprocess.CompletedProcess(words, code, out.getvalue(), err.getvalue())


@pytest.fixture(scope="module")
def made(tmp_path_factory):
    folder = tmp_path_factory.mktemp("example")
    return folder, started("example", "--out", folder)


def test_example_tells_the_whole_line(made):
    folder, result = made
    assert result.returncode == 0, result.stderr
    for word in (
        "Found   bore ⌀38 H7",
        "Stored  G54",
        "Written O2354",
        "Proved  G54",
        "Truth   G54 Z",
        "Sheet",
        "Book",
    ):
        assert word in result.stdout
    said = [line.split("stored ")[1].split()[0] for line in result.stdout.splitlines() if "Truth" in line]
    errors = [float(figure.replace("−", "-")) for figure in said]
    assert len(errors) == 3
    assert max(map(abs, errors)) < 3.0
    assert {path.name for path in folder.iterdir()} >= {
        "o2354.nc",
        "setup-gl-114-g54.svg",
        "setup-gl-114-g54.pdf",
        "book.sqlite",
    }


def test_the_sheet_is_sound_svg_and_pdf_and_holds_the_figures(made):
    folder, result = made
    svg = (folder / "setup-gl-114-g54.svg").read_bytes()
    assert ElementTree.fromstring(svg).tag.endswith("svg")
    assert (folder / "setup-gl-114-g54.pdf").read_bytes().startswith(b"%PDF-")
    stored = next(line for line in result.stdout.splitlines() if line.startswith("Stored"))
    figure = stored.split("X ")[1].split()[0]
    assert figure in svg.decode()  # Matplotlib keeps the words beside the outlines


def test_run_repeats_it_from_the_file(made):
    folder, _ = made
    result = call("run", folder / "o2354.nc", "--scene", "heron-gl114", "--json", "--seed", "-1")
    assert result.returncode == 0
    told = json.loads(result.stdout)
    assert told["ended"] == "end"
    assert told["offsets"]["G54"]["x"] == pytest.approx(-469.0841, abs=0.0005)
    assert sum("TOUCH" in line for line in told["printed"]) == 5
    assert told["machine_seconds"] > 10
    assert "the hub of GL-114" in {hit["solid"] for hit in told["hits"]}
    assert "Ended: end" in call("run", folder / "o2354.nc", "--scene", "heron-gl114").stdout


@pytest.mark.parametrize(
    ("text", "code", "words"),
    [
        ("G0 X1.\nG7 X2.\nM30", 4, "G7 is not known"),
        ("G0 X1.2.3\nM30", 3, "Line 1"),
        ("G90 G53 G0 X99.\nM30", 4, "past its travel end"),
        ("G90 G53 G0 X-434. Y-250.\nG53 Z-450.\nM30", 5, "Crash: the"),
        ("N1 GOTO 1\nM30", 4, "circles"),
    ],
)
def test_every_way_to_fail_has_its_exit_code_and_one_line(tmp_path, text, code, words):
    path = tmp_path / "p.nc"
    path.write_text(text)
    result = (started if code == 5 else call)("run", path, "--scene", "heron-gl114")
    assert result.returncode == code
    assert words in result.stderr
    assert result.stderr.count("\n") == 1
    assert "Traceback" not in result.stderr


def test_bad_use(tmp_path):
    (tmp_path / "binary.nc").write_bytes(b"\xff\xfe\x00")
    for arguments in (
        ("run", tmp_path / "none.nc", "--scene", "heron-gl114"),
        ("run", tmp_path / "binary.nc", "--scene", "heron-gl114"),
        ("run", tmp_path / "none.nc", "--scene", "nowhere"),
        ("example", "--out", "/dev/null/x"),
        ("demo",),
    ):
        result = call(*arguments)
        assert result.returncode in (2, 3, 6), arguments
        assert result.stderr.startswith("brisk-anchor: ")
        assert result.stderr.count("\n") == 1
    assert started("nonsense").returncode == 2


def test_profiles_are_listed_shown_copied_changed_and_used(tmp_path, made):
    listed = call("profile", "list").stdout
    assert re.findall(r"(?m)^[a-z-]+", listed) == [
        "probe-params",
        "skip-macro",
        "table-only",
        "turn-macro",
        "turn-table",
    ]
    assert "It cannot probe" in listed
    assert "# Neutral control profile" in call("profile", "show", "skip-macro").stdout
    mine = tmp_path / "mine.toml"
    assert call("profile", "new", "my-mill", "--out", mine).returncode == 0
    assert call("profile", "new", "my-mill", "--out", mine).returncode == 2
    assert call("profile", "new", "My Mill", "--out", tmp_path / "x.toml").returncode == 2
    assert "my-mill is sound: 55 rows" in call("profile", "check", mine).stdout
    assert "turn-table is sound" in call("profile", "check", "turn-table").stdout
    lost = call("profile", "check", tmp_path / "nowhere.toml").stderr
    assert "cannot be used: No such file or directory. Nothing" in lost  # no number of the system, and said once
    folder, _ = made
    strict = mine.read_text().replace('"G31"', '"G36"').replace("G91 G31", "G91 G36")
    mine.write_text(strict)
    refused = call("run", folder / "o2354.nc", "--scene", "heron-gl114", "--profile", mine)
    assert refused.returncode == 4
    assert "G31 is no skip move" in refused.stderr
    mine.write_text(strict.replace("resolution = 0.0001", "resolution = 5").replace("back_off = 1.0", "back_off = -1"))
    broken = call("profile", "check", mine)
    assert broken.returncode == 2
    assert [line.split(":")[0] for line in broken.stdout.splitlines()] == ["resolution", "probing.back_off"]


def test_extents_of_a_cutting_program(tmp_path):
    path = tmp_path / "cut.nc"
    path.write_text("(pocket)\nG21 G90 G54 G0 X0 Y0\nG2 I5. J0 F100\nG55 G0 X-7.5\nM30\n")
    told = call("extents", path).stdout.splitlines()
    assert told[0].split() == "G54 X +0.0000 to +10.0000 Y -5.0000 to +5.0000 Z never named".split()
    assert told[1].startswith("G55   X -7.5000 to -7.5000")
    path.write_text("G0 X#101\n")
    refused = call("extents", path)
    assert (refused.returncode, refused.stderr.count("\n")) == (3, 1)
    assert call("extents", tmp_path / "none.nc").returncode == 2


def test_help_everywhere_and_version():
    assert call("--version").stdout.startswith("brisk-anchor 0.")
    for command in (
        [],
        ["demo"],
        ["new"],
        ["open"],
        ["check"],
        ["sheet"],
        ["example"],
        ["run"],
        ["profile"],
        ["profile", "new"],
    ):
        result = call(*command, "--help")
        assert result.returncode == 0
        assert "--help" in result.stdout


def test_a_job_of_ones_own_from_the_command_line(tmp_path):
    folder = tmp_path / "my-job"
    assert call("new", folder).stdout.count(".toml\n") == 4
    assert call("new", folder).returncode == 2
    assert call("check", folder).stdout.startswith("BC-27 is sound")
    path = folder / "part.toml"
    path.write_text(path.read_text().replace("diameter = 62.0", "diameter = 0").replace("balloon = 4", "balloon = 0"))
    broken = call("check", folder)
    assert (broken.returncode, broken.stderr.count("\n")) == (2, 1)
    fields = [line.split(" ")[1] for line in broken.stdout.splitlines()]
    assert fields == ["solid.0.holes.2.diameter:", "feature.3.balloon:"]
    assert call("open", folder).returncode == 2
    assert '"$defs"' in call("schema", "part").stdout
    assert call("schema", "tool").returncode == 2
    path.write_text(path.read_text().replace("diameter = 0", "diameter = 62.0").replace("balloon = 0", "balloon = 4"))
    for arguments in (("sheet", folder, "G54", "--out", tmp_path), ("sheet", folder, "G77", "--out", tmp_path)):
        refused = call(*arguments)
        assert (refused.returncode, refused.stderr.count("\n")) == (2, 1), arguments


@pytest.mark.parametrize(
    "arguments",
    [
        ("check", "{}"),
        ("open", "{}"),
        ("new", "{}"),
        ("book", "list", "--job", "{}"),
        ("results", "list", "--job", "{}"),
        ("book", "compare", "{}.csv"),
        ("take", "x", "--job", "{}"),
        ("extents", "{}"),
        ("plan", "prove", "{}"),
    ],
)
def test_a_path_that_the_system_does_not_take_is_refused_in_words(arguments, monkeypatch, tmp_path):
    monkeypatch.setenv("BRISK_ANCHOR_HOME", str(tmp_path))
    monkeypatch.chdir(tmp_path)
    told = call(*(part.format("a" * 300) for part in arguments))
    assert told.returncode == 2
    assert "unexpected" not in told.stderr
    assert not list(tmp_path.rglob("crash*"))


def test_a_typed_path_of_nobody_is_a_file_that_is_not_there(monkeypatch, tmp_path):
    monkeypatch.setenv("HOME", str(tmp_path))
    assert typed_path("~/a.nc") == tmp_path / "a.nc"
    assert typed_path("~nobody-of-that-name/a.nc") == Path("~nobody-of-that-name/a.nc")
    for look in (is_file, is_folder, is_there):
        assert not look(typed_path("~nobody-of-that-name"))
        assert not look(Path("a" * 300))
        assert not look(Path("a\0b"))
