"""What is packed runs by itself: a wheel of a source archive, installed away from the sources, with its data."""

from __future__ import annotations

import os
import re
import subprocess
import sys
import tarfile
import zipfile
from pathlib import Path

from brisk_anchor.cli.man_page import man_page

ROOT = Path(__file__).parent.parent


def run(*command: str, cwd: Path, **environment: str) -> str:
    done = subprocess.run(command, cwd=cwd, capture_output=True, text=True, timeout=120, env=os.environ | environment)
    assert done.returncode == 0, done.stderr[-2000:]
    return done.stdout


def test_the_wheel_of_the_source_archive_runs_away_from_the_sources(tmp_path: Path):
    run(sys.executable, "-m", "hatchling", "build", "-t", "sdist", "-d", str(tmp_path), cwd=ROOT)
    (archive,) = tmp_path.glob("*.tar.gz")
    with tarfile.open(archive) as packed:  # Python 3.11.2, which Debian has, knows no filter; newer want one told
        packed.extractall(tmp_path / "sources", **({"filter": "data"} if hasattr(tarfile, "data_filter") else {}))
    (sources,) = (tmp_path / "sources").iterdir()
    assert (sources / "LICENSE").exists()
    run(sys.executable, "-m", "hatchling", "build", "-t", "wheel", "-d", str(tmp_path), cwd=sources)
    (wheel,) = tmp_path.glob("*.whl")
    place = tmp_path / "place"
    with zipfile.ZipFile(wheel) as packed:
        names = packed.namelist()
        assert any(name.endswith("licenses/LICENSE") for name in names)
        assert any(name.endswith("share/man/man1/brisk-anchor.1") for name in names)
        assert not any("tests/" in name or name.endswith(".pyc") for name in names)
        packed.extractall(place)
    home = str(tmp_path / "home")

    def brisk(*words: str) -> str:
        code = "import sys; sys.path.insert(0, sys.argv.pop(1)); from brisk_anchor.__main__ import main; main()"
        return run(sys.executable, "-c", code, str(place), *words, cwd=tmp_path, BRISK_ANCHOR_HOME=home)

    where = run(
        sys.executable,
        "-c",
        f"import sys; sys.path.insert(0, {str(place)!r}); import brisk_anchor as b; print(b.__file__)",
        cwd=tmp_path,
    )
    assert str(place) in where
    assert "turn-macro" in brisk("profile", "list")
    assert "G54" in brisk("example", "--out", str(tmp_path / "out"))


def test_the_man_page_is_what_the_commands_tell_of_themselves():
    page = man_page()
    assert (ROOT / "docs" / "brisk-anchor.1").read_text(encoding="ascii") == page
    for words in (".SS demo", ".SS book history", "\\fB\\-\\-speed\\fR \\fISPEED\\fR", ".SH EXIT STATUS"):
        assert words in page
    assert not [
        line for line in page.splitlines() if line.startswith((".", "'")) and not re.match(r"\.[A-Z]{1,2}\b", line)
    ]


def test_the_shell_completes_commands():
    command = str(Path(sys.executable).parent / "brisk-anchor")
    words = {"_BRISK_ANCHOR_COMPLETE": "complete_bash", "COMP_WORDS": "brisk-anchor tu", "COMP_CWORD": "1"}
    done = subprocess.run([command], capture_output=True, text=True, env=os.environ | words)
    assert done.stdout.split() == ["turn"]
