"""Files that once kept their reader busy for ever, filled the memory, or ended in a traceback: refused, and soon."""

from __future__ import annotations

import os
from pathlib import Path

import ezdxf
import pytest

from tests.forked import command

EXAMPLE = Path(__file__).parent.parent / "src/brisk_anchor/services/examples/bc-27"
SECONDS, MEMORY = 12, 1_500_000_000
"""More than the wanted 2 s and 300 MB beside the program: the machine may be busy. Before it was minutes, or GB."""


def refused(folder: Path, *arguments: str) -> str:
    """What the command says, which must end by itself with a clear error."""
    done = command(folder, *arguments, cpu=SECONDS, memory=MEMORY)
    assert done.returncode in (2, 3), (done.returncode, done.stderr[-300:])
    assert "Traceback" not in done.stderr
    assert not (folder / "home" / "crashes").exists()
    return done.stderr


TOML = {
    "brackets": ("[" * 2500 + " " * 2500, "TOML"),
    "a list of units": ('units = ["mm"]\n', "write mm or inch"),
    "nested arrays": ("a = " + "[" * 2000 + "]" * 2000, "nested too deep"),
    "5,000 digits": ("a = " + "9" * 5000, "a figure in it cannot be read"),
    "a fault behind a long line": ('units = "mm"\na = """\n[' + " [" * 50_000 + '\n"""\n', "cannot be used"),
}


@pytest.mark.parametrize("name", TOML)
def test_toml(name, tmp_path: Path):
    text, told = TOML[name]
    (tmp_path / "turning.toml").write_text(text)
    assert told in refused(tmp_path, "check", str(tmp_path))


def test_what_a_library_warns_of_a_drawing_does_not_reach_the_terminal(tmp_path: Path):
    """It prints words of the file as they stand, escapes and all."""
    document = ezdxf.new()
    document.units = 4
    document.modelspace().add_lwpolyline([(0, 0), (80, 0), (80, 50), (0, 50)], close=True)
    path = tmp_path / "d.dxf"
    document.saveas(path)
    data = path.read_bytes()
    assert b"\nCLASS\n" in data
    path.write_bytes(data.replace(b"\nCLASS\n", b"\n\x1b[2JCLASS\n", 1))
    arguments = ("--name", "P", "--depth", "5", "--thickness", "20", "--out", str(tmp_path / "p.toml"), "--units", "mm")
    done = command(tmp_path, "read", str(path), *arguments)
    assert done.returncode == 0
    assert done.stderr == ""


def test_programs_tables_meshes_and_pipes(tmp_path: Path):
    path = tmp_path / "n.nc"
    path.write_text("(" * 300_000)
    assert "cannot be read" in refused(tmp_path, "extents", str(path))
    path.write_text("T" + "9" * 400 + " M6\nM30\n")
    assert "longer than 400" in refused(tmp_path, "run", str(path), "--scene", "heron-gl114")
    table = tmp_path / "t.csv"
    table.write_text("row,x,y,z,unit\n" + "".join(f"G54.1 P{n},1,2,3,mm\n" for n in range(60_000)))
    assert "more than 2000 rows" in refused(tmp_path, "book", "import", str(table), "--job", str(EXAMPLE))
    mesh = tmp_path / "big.stl"
    facet = "facet normal 0 0 1\nouter loop\nvertex 0 0 0\nvertex 1 0 0\nvertex 0 1 0\nendloop\nendfacet\n"
    mesh.write_text("solid x\n" + facet * 95_000 + "endsolid\n")
    arguments = ("--name", "P", "--depth", "5", "--out", str(tmp_path / "p.toml"), "--units", "mm")
    assert "binary STL" in refused(tmp_path, "read", str(mesh), *arguments)
    mesh.write_text("solid x\n" + facet.replace("vertex 0 1 0", "vertex 1 0 0") * 4 + "endsolid\n")
    assert "no area" in refused(tmp_path, "read", str(mesh), *arguments)
    pipe = tmp_path / "pipe"
    os.mkfifo(pipe)
    for words in (
        ("run", str(pipe), "--scene", "heron-gl114"),
        ("extents", str(pipe)),
        ("profile", "check", str(pipe)),
    ):
        assert "no plain file" in refused(tmp_path, *words)
    assert "no plain file" in refused(tmp_path, "read", str(pipe.rename(tmp_path / "p.stl")), *arguments)


def test_escapes_reach_no_terminal(tmp_path: Path):
    (tmp_path / "turning.toml").write_text('units = "mm"\ntitle = "a\\u001b[2Jb"\n')
    assert "characters that cannot be shown" in refused(tmp_path, "check", str(tmp_path))
    told = refused(tmp_path, "extents", str(tmp_path / "a\x1b[31m\x07.nc"))
    assert "\x1b" not in told
    assert "\x07" not in told


@pytest.mark.parametrize(
    ("what", "told"), [("circle", "as large as no part"), ("line", "as far away"), ("blocks", "blocks")]
)
def test_drawings(what, told, tmp_path: Path):
    document = ezdxf.new()
    document.header["$INSUNITS"] = 4
    space = document.modelspace()
    if what == "circle":
        space.add_circle((0, 0), 1e12)
    elif what == "line":
        space.add_arc((0, 0), 1e12, 0, 90)
    else:
        for n in range(8):
            block = document.blocks.new(f"B{n}")
            for _ in range(8 if n else 0):
                block.add_blockref(f"B{n - 1}", (0, 0))
        space.add_blockref("B7", (0, 0))
    path = tmp_path / "d.dxf"
    document.saveas(path)
    arguments = ("--name", "P", "--depth", "5", "--thickness", "10", "--out", str(tmp_path / "p.toml"))
    assert told in refused(tmp_path, "read", str(path), *arguments)


def test_a_program_of_many_tool_calls_is_taken_apart_in_linear_time():
    from brisk_anchor.nc.read.operations import operations_of

    lines = [text for n in range(50_000) for text in (f"T{n % 20 + 1} M6", "G0 X1")]
    assert len(operations_of(lines)) == 50_000
