"""What leaves the application: sheets, files, dry runs, the demo's folder."""

from __future__ import annotations

import json
from dataclasses import replace
from xml.etree import ElementTree

import pytest

from brisk_anchor.book.entries import EntryKind
from brisk_anchor.core.errors import ExportError, PlanError
from brisk_anchor.drawings.sheet import SheetContent, sheet, touch_places
from brisk_anchor.exchange.files import write_whole
from brisk_anchor.services.demo.demo_job import open_demo
from brisk_anchor.services.machine.dry_run import dry_run
from brisk_anchor.services.measure.measurement_request import build_measurement, point_at
from brisk_anchor.services.offsets.sheets import write_sheets


@pytest.fixture
def stored(quiet):
    drawn = {feature.name: feature for feature in quiet.setup.features}
    for name in quiet.rows.missing("G54"):
        quiet.runner.measure(build_measurement(quiet.setup, point_at(quiet.setup, drawn[name])))
    quiet.writer.store("G54")
    return quiet


def test_sheet_needs_a_stored_offset(quiet, tmp_path):
    with pytest.raises(PlanError, match="has not been stored"):
        write_sheets(quiet, "G54", tmp_path)
    assert list(tmp_path.iterdir()) == []


def test_touches_on_the_sheet_lie_on_the_metal(stored):
    entry = stored.rows.last("G54", EntryKind.STORED)
    places = touch_places(entry.chain)
    assert len(places) == 5
    x, y = entry.chain.features[0].coordinates
    for place in places[:4]:
        assert ((place[0] - x) ** 2 + (place[1] - y) ** 2) ** 0.5 == pytest.approx(38.0124 / 2, abs=0.005)
    assert places[4][2] == pytest.approx(-502.7167, abs=0.001)


def test_hostile_names_cannot_break_a_sheet(stored):
    setup = replace(stored.setup, title="<script>&amp;]]> $\\frac{1}{0}$ \" '", company="a$b_c^{d}\\n", part="∅" * 200)
    chain = stored.rows.history("G54")[-1].chain
    content = SheetContent(setup, chain, "t", "2026-11-23", "stored", None, "lengths")
    page = sheet(content)
    root = ElementTree.fromstring(page["svg"])
    assert "script" not in {element.tag.split("}")[1] for element in root.iter()}
    assert page["pdf"].startswith(b"%PDF")


def test_the_same_sheet_comes_out_the_same(stored, tmp_path):
    first = [path.read_bytes() for path in write_sheets(stored, "G54", tmp_path / "a")]
    assert [path.read_bytes() for path in write_sheets(stored, "G54", tmp_path / "b")] == first
    assert [path.suffix for path in (tmp_path / "a").iterdir()] in ([".svg", ".pdf"], [".pdf", ".svg"])


def test_a_file_is_written_whole_or_not_at_all(tmp_path):
    path = tmp_path / "deep" / "file.txt"
    assert write_whole(path, b"one").read_bytes() == b"one"
    assert write_whole(path, b"two").read_bytes() == b"two"
    blocked = tmp_path / "folder"
    blocked.mkdir()
    (blocked / "in the way").write_text("")
    with pytest.raises(ExportError, match="no ordinary file"):
        write_whole(blocked, b"x")
    with pytest.raises(ExportError, match="What stood there before is unchanged"):
        write_whole(path / "below a file", b"x")
    assert [item.name for item in path.parent.iterdir()] == ["file.txt"]


@pytest.mark.parametrize(
    ("text", "ended", "alarms", "crashes"),
    [
        ("G21\nM30", "end", [], []),
        ("(x)\n#3000=7 (NO PART)\nM30", "alarm", [{"number": 7, "line": 2, "text": "NO PART"}], []),
        ("G90 G53 G0 X-434. Y-250.\nG53 Z-440.\nM30", "crash", [], ["GL-114"]),
    ],
)
def test_a_dry_run_tells_how_it_ended(tmp_path, text, ended, alarms, crashes):
    path = tmp_path / "p.nc"
    path.write_text(text)
    result = dry_run(path, "heron-gl114", seed=None)
    told = json.loads(result.as_json())
    assert (told["ended"], told["alarms"]) == (ended, alarms)
    assert len(told["crashes"]) == len(crashes)
    for crash, body in zip(told["crashes"], crashes, strict=True):
        assert body in crash["solid"]
        assert crash["line"] == 2
    assert f"Ended: {ended}" in result.as_text()


def test_the_demo_keeps_its_old_book_when_asked_to_begin_anew(tmp_path):
    first = open_demo(tmp_path, fresh=False)
    drawn = first.setup.features[0]
    first.runner.measure(build_measurement(first.setup, point_at(first.setup, drawn)))
    first.runner.measure(build_measurement(first.setup, point_at(first.setup, first.setup.features[1])))
    first.writer.store("G54")
    first.book.close()
    again = open_demo(tmp_path, fresh=True)
    assert again.rows.history("G54") == []
    again.book.close()
    aside = [path for path in tmp_path.iterdir() if path.name.startswith("book-")]
    assert len(aside) == 1
    assert aside[0].stat().st_size > 8192
