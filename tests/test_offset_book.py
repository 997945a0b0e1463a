"""The offset book: derived rows, comparing, changes by hand, guards, files, what fits, and strength."""

from __future__ import annotations

import cmath
import io
import json
import math
import os
import random
import re
import signal
import sqlite3
import subprocess
import sys
import time
from contextlib import closing
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from types import SimpleNamespace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from brisk_anchor.book.entries import Entry, EntryKind, state_of
from brisk_anchor.book.store import Book
from brisk_anchor.core.errors import (
    BookError,
    BookTakenError,
    BookWriteError,
    BriskAnchorError,
    ExportError,
    TableFileError,
)
from brisk_anchor.core.offsets.checks import SecondLookError
from brisk_anchor.core.offsets.row_rotation import place_before
from brisk_anchor.core.offsets.rules import FromTable
from brisk_anchor.core.quantities import Unit, figures_in
from brisk_anchor.exchange.tables.block_form import from_blocks, to_blocks
from brisk_anchor.exchange.tables.csv_form import from_csv, to_csv
from brisk_anchor.exchange.tables.json_form import from_json, to_json
from brisk_anchor.exchange.tables.registry import TABLE_FORMS, form_of, read_table
from brisk_anchor.exchange.tables.rows import TableRow
from brisk_anchor.nc.profile.control_profile import shipped_profile
from brisk_anchor.nc.read.extents import read_extents
from brisk_anchor.services.demo.demo_month import PROGRAM, open_month
from brisk_anchor.services.job.jobs import load_job, new_job
from brisk_anchor.services.offsets import offset_book as book_work
from brisk_anchor.services.offsets.book_compare import moved_features, reference
from brisk_anchor.services.offsets.book_files import (
    card,
    export,
    read_reference,
    timeline,
    write_fit,
    write_snapshot,
    write_timeline,
)
from brisk_anchor.services.offsets.book_rows import TableReference, distance, line_of, lines
from brisk_anchor.services.offsets.book_words import derive, read_change, read_derived
from brisk_anchor.services.offsets.fits import fit_file, fit_text
from brisk_anchor.services.rows import ledger as ledgers
from brisk_anchor.services.session.book_opening import open_book
from brisk_anchor.services.session.job_opening import open_job
from brisk_anchor.services.session.session import Session


@pytest.fixture(scope="module")
def month(tmp_path_factory):
    folder = tmp_path_factory.mktemp("month")
    session = open_month(folder)
    yield session, folder
    session.book.close()


def test_the_months_table_is_a_tree_and_says_what_cannot_run(month):
    session, _ = month
    found = {line.row: line for line in lines(session)}
    assert [line.row for line in lines(session)] == ["G54", "G55", "G56", "G57", "G58", "G59"]
    assert [found[row].depth for row in ("G55", "G56", "G57", "G58")] == [0, 1, 1, 1]
    assert (found["G54"].state.value, found["G54"].lacking, found["G55"].lacking) == ("stale", True, False)
    assert (found["G58"].locked, found["G55"].limit, found["G59"].kept_for) == (True, 2.0, "tool setter 60")
    assert found["G56"].title == "column 2, row 1"
    assert len(lines(session, everything=True)) == 54
    assert [line.row for line in lines(session, search="stale lever")] == ["G54"]
    assert lines(session, order="state")[0].row == "G54"
    against = reference(session, "control")
    assert lines(session, order="difference", against=against)[0].row == "G54"
    assert [line.row for line in lines(session, search="differs", against=against)] == ["G54"]
    assert [line.row for line in lines(session, search="differs plate", against=against)] == []


@pytest.mark.parametrize(
    ("against", "row", "moved"),
    [
        ("G55", "G56", {"x": 90.0, "y": 0.0, "z": 0.0}),
        ("G55", "G58", {"x": 270.0, "y": 0.0, "z": 0.0}),
        ("control", "G57", {"x": 0.0, "y": 0.0, "z": 0.0}),
    ],
)
def test_rows_are_compared(month, against, row, moved):
    session, _ = month
    other = reference(session, against)
    assert other.difference(line_of(session, row)) == pytest.approx(moved, abs=1e-6)


def test_days_snapshots_and_what_was_before_are_what_the_history_says(month):
    session, _ = month
    stored = [e for e in session.rows.history("G55") if e.kind is EntryKind.STORED]
    assert reference(session, "last").values["G55"] == stored[-2].values
    day = stored[2].at.astimezone().date()
    assert reference(session, str(day)).values["G55"] == stored[2].values
    named = reference(session, "snapshot good part 14").values["G55"]
    assert named == [e.values for e in stored if e.at <= datetime.now(UTC) - timedelta(days=6, hours=3)][-1]
    for wrong in ("G54.1 P7", "snapshot nobody", "machine Otter", "tomorrow"):
        with pytest.raises(BriskAnchorError):
            reference(session, wrong)


def test_an_angle_that_only_one_side_holds_is_a_difference(month):
    session, _ = month
    line = line_of(session, "G55")
    there = {**line.values, "r": 1.5}
    assert TableReference("there", {"G55": there}).difference(line) == {"x": 0.0, "y": 0.0, "z": 0.0, "r": -1.5}
    assert TableReference("there", {"G55": {**there, "r": 0.0}}).difference(line) == {"x": 0.0, "y": 0.0, "z": 0.0}
    assert TableReference("there").difference(line) == {}


def test_a_turn_moves_what_is_far_from_the_zero_more(month):
    session, _ = month
    zero = line_of(session, "G54").values
    moved = dict(moved_features(session, "G54", {"x": 1.0, "y": 0.0, "z": 0.5, "r": 90.0}))
    for drawn in session.setup.features:
        u, v = drawn.machine[0] - zero["x"], drawn.machine[1] - zero["y"]
        assert moved[drawn.title] == pytest.approx({"x": 1.0 + u - v, "y": v + u, "z": 0.5})


@given(*[st.floats(-500, 500)] * 6, st.floats(-180, 180), st.floats(-180, 180))
def test_what_a_row_moves_is_the_same_place_of_the_program_under_both_values(zx, zy, ox, oy, u, v, r, before):
    """Held to complex numbers: a place of the program is turned by each row and put at its zero."""
    now, then = cmath.rect(1, math.radians(r)), cmath.rect(1, math.radians(before))
    place, was = complex(zx, zy) + now * complex(u, v), complex(ox, oy) + then * complex(u, v)
    difference = {"x": zx - ox, "y": zy - oy, "r": r - before}
    found = place_before(place.real, place.imag, {"x": zx, "y": zy, "r": r}, difference)
    assert found == pytest.approx((was.real, was.imag), abs=1e-9)


@pytest.mark.parametrize(
    ("words", "expected"),
    [
        ("x 12.5 y =-0.2; recut", ({"x": 12.5, "y": 9.8}, "recut")),
        ("z 1/4in; block", ({"z": 6.35}, "block")),
        ("X-455.2Z=+1 ;a b", ({"x": -455.2, "z": 31.0}, "a b")),
        ("r 1.5", ({"r": 1.5}, "")),
    ],
)
def test_changes_are_read(words, expected):
    changed, reason = read_change(words, {"x": 0.0, "y": 10.0, "z": 30.0, "r": 0.0})
    assert changed == pytest.approx(expected[0])
    assert reason == expected[1]


@pytest.mark.parametrize("words", ["", "x", "12", "x 1 x 2; twice", "x one; no", "q 3", "x 90000"])
def test_what_is_no_change_says_why(words):
    with pytest.raises(BriskAnchorError):
        read_change(words, {"x": 0.0})


def test_typed_undone_restored_locked_limited_written_and_read_back(session):
    book_work.edit(session, "G56", {"x": -100.0, "y": -200.0, "z": -400.0}, "from the sheet")
    book_work.edit(session, "G56", {"z": -401.5}, "recut")
    assert (session.rows.state("G56").value, line_of(session, "G56").values["z"]) == ("typed", -401.5)
    chain = session.ledger.valued("G56").chain.axis("z")
    assert [term.label for term in chain.terms] == ["G56 Z before", "recut", "G56 Z"]
    with pytest.raises(BriskAnchorError, match="needs a reason"):
        book_work.edit(session, "G56", {"z": 1.0}, " ")
    book_work.undo(session, "G56")
    assert line_of(session, "G56").values["z"] == -400.0
    assert len(session.rows.history("G56")) == 3
    book_work.lock(session, "G56", locked=True)
    for work in (
        lambda: book_work.edit(session, "G56", {"z": 1.0}, "why"),
        lambda: book_work.write_rows(session, ["G56"]),
        lambda: book_work.take_over(session, {"G56": {"x": 1.0}}, "file"),
    ):
        with pytest.raises(BriskAnchorError, match="locked"):
            work()
    book_work.lock(session, "G56", locked=False)
    program = book_work.write_rows(session, ["G56"])
    assert "G10 L2 P3" in program.text
    assert session.machine.offset("G56") == pytest.approx((-100.0, -200.0, -400.0), abs=1e-4)
    assert session.rows.state("G56").value == "stored"
    book_work.set_limit(session, "G56", 0.5)
    book_work.edit(session, "G56", {"x": -101.0}, "wrong stop")
    with pytest.raises(SecondLookError, match="limit is 0.5"):
        book_work.write_rows(session, ["G56"])
    with pytest.raises(BriskAnchorError, match="kept for tool setter"):
        book_work.edit(session, "G59", {"z": 1.0}, "why")
    book_work.rename(session, "G56", "vice 2\x1b[31m")
    assert line_of(session, "G56").title == "vice 2[31m"


@pytest.mark.parametrize("profile", ["skip-macro", "probe-params", "table-only"])
def test_many_rows_are_written_by_one_program_or_none(scene, book, profile):
    session = Session(scene, book, shipped_profile(profile), seed=None)
    rows = [row for row in session.profile.all_rows if row not in ("common", "G59")][:8]
    for n, row in enumerate(rows):
        book_work.edit(session, row, {"x": -10.0 * n - 1, "y": -5.0, "z": -300.0 - n}, "pattern")
    program = book_work.write_rows(session, rows)
    assert len([line for line in program.text.splitlines() if "G10 L" in line]) == len(rows)
    for n, row in enumerate(rows):
        assert session.machine.offset(row) == pytest.approx((-10.0 * n - 1, -5.0, -300.0 - n), abs=2e-4)
        assert session.rows.state(row).value == "stored"
    before = {row: session.link.table_values(row) for row in rows}
    book_work.edit(session, rows[0], {"x": -77.0}, "again")
    book_work.edit(session, rows[1], {"x": -78.0}, "again")
    session.machine.write_offset = lambda *_: None  # a table that takes nothing
    with pytest.raises(BriskAnchorError):
        book_work.write_rows(session, rows[:2])
    assert {row: session.link.table_values(row) for row in rows} == before


def test_rows_derived_by_words_follow_and_a_table_carries_a_zero_round(tmp_path):
    new_job(tmp_path / "job")
    machine = tmp_path / "job" / "machine.toml"
    axis = ('letter = "B"', "direction = [0, 1, 0]", "centre = [-400, 0, -550]", "sense = -1", "angle_rapid = 3600")
    rotary = "\n".join(["", "[[rotary]]", *axis, ""])
    text = machine.read_text().replace('kind = "vertical mill"', 'kind = "mill with rotary table"').split("[setter]")[0]
    machine.write_text(text + rotary)
    session = open_job(tmp_path / "job", tmp_path / "data", roll=1)
    assert derive(session, "G54", "table B 90") == ["G56"]
    assert derive(session, "G54", "length 40, 55") == ["G57", "G58"]
    rule = session.setup.row("G56").rules["x"]
    assert isinstance(rule, FromTable)
    assert load_job(tmp_path / "job").job.offset[2].x.table == "B"
    book_work.edit(
        session, "G54", {"x": -450.0, "y": -270.0, "z": -505.0}, "by hand", {"x": 0.003, "y": 0.0, "z": 0.004}
    )
    book_work.write_rows(session, ["G54"])
    carried = session.solver.chain("G56")
    # −90° about Y through (−400, −550), the arm (−50, 45): x' = cx + c·dx + s·dz, z' = cz − s·dx + c·dz, s = sin(−90°).
    assert carried.values == pytest.approx({"x": -400.0 - 45.0, "y": -270.0, "z": -550.0 - 50.0})
    assert carried.axis("x").u == pytest.approx(0.004)
    assert carried.axis("z").u == pytest.approx(0.003)
    assert session.solver.chain("G58").values["z"] == pytest.approx(-450.0)
    session.writer.store("G58")
    assert session.machine.offset("G58")[2] == pytest.approx(-450.0, abs=1e-4)
    assert session.rows.children("G54") == ["G56", "G57", "G58"]
    session.editor.change(session.editor.files.one_for_all("G58"))
    assert {o.offset for o in session.setup.card.operations} == {"G58"}
    session.editor.change(session.editor.files.one_for_all("G58"))
    assert session.setup.card.operations[0].offset == "G54"
    with figures_in(Unit.INCH):  # counts and degrees stay what they are, pitches are inches
        spaced = read_derived(session, "G54", "grid 3, 1, 2, 1")
        assert [item.rules["x"].shift for item in spaced] == pytest.approx([50.8, 101.6])
        (turned,) = read_derived(session, "G54", "table B 90")
        assert turned.rules["x"].angle == 90.0
    for words in ("grid 2", "spacer q 3", "table C 90", "hop 3", "length", "grid 20, 20, 1, 1"):
        with pytest.raises(BriskAnchorError):
            read_derived(session, "G54", words)
    session.book.close()
    job = tmp_path / "job" / "job.toml"
    kept, _, removed = job.read_text().rpartition("[[offset]]")
    assert '"G58"' in removed
    job.write_text(kept)
    again = open_job(tmp_path / "job", tmp_path / "data", roll=1)
    assert again.rows.children("G54") == ["G56", "G57"]  # the file says what follows; the book has the value
    assert again.rows.state("G58").value == "stored"
    again.book.close()


# -- files -------------------------------------------------------------------------------------------------------

_NAMES = st.text(st.characters(blacklist_categories=("Cs", "Cc")), max_size=20)
_FIGURES = st.dictionaries(st.sampled_from("xyzr"), st.floats(-19_999, 19_999), min_size=1)


@given(st.dictionaries(st.sampled_from(["G54", "G55", "G54.1 P3"]), st.tuples(_FIGURES, _NAMES), min_size=1))
def test_nothing_is_lost_on_a_round_trip_and_no_cell_is_a_formula(rows):
    table = [
        TableRow(row, values, dict.fromkeys(values, 0.001), name, "stored", "", name)
        for row, (values, name) in rows.items()
    ]
    for back in (
        from_csv(to_csv(table), "t"),
        from_csv(to_csv(table, Unit.INCH), "t"),
        from_json(to_json("Heron", table), "t"),
    ):
        for one, other in zip(back, table, strict=True):
            assert (one.row, one.values) == (other.row, pytest.approx(other.values, abs=1e-6))
            assert one.u == pytest.approx(other.u, abs=1e-6)
    printable = ["".join(c for c in name if c.isprintable()) for _, name in rows.values()]
    assert [r.name for r in from_csv(to_csv(table), "t")] == printable
    for cell in to_csv(table).decode().replace("\r\n", ",").split(","):
        assert not cell.startswith(("=", "@", "\t")) or cell.startswith("'")


@pytest.mark.parametrize("name", ["=1+1", "+cmd", "-2", "@x", "'quoted"])
def test_names_that_a_spreadsheet_would_run_are_only_text(name):
    data = to_csv([TableRow("G54", {"x": 1.0}, {}, name)])
    assert f",'{name}," in data.decode()
    assert from_csv(data, "t")[0].name == name


def test_a_csv_has_no_digits_that_mean_nothing():
    (line,) = to_csv([TableRow("G54", {"x": -430.19730000000004}, {"x": 0.0012})]).decode().splitlines()[1:]
    assert line.startswith("G54,,mm,-430.1973,,,,0.0012,")
    (line,) = to_csv([TableRow("G54", {"x": 25.4, "r": 0.5}, {})], Unit.INCH).decode().splitlines()[1:]
    assert line.startswith("G54,,in,1,,,0.5,")


@pytest.mark.parametrize(
    ("text", "values"),
    [
        ("row,unit,x,y\nG54,mm,-1.5,2\n", {"x": -1.5, "y": 2}),
        ("ROW; Unit; X; Y\r\nG54;mm;-1,5;2\r\n;;;\r\n", {"x": -1.5, "y": 2}),  # as a spreadsheet saves it in Europe
        ("sep=;\nrow;unit;x;y\nG54;in;1,25;\n", {"x": 31.75}),
        ("row\tunit\tx\ty\nG54\tmm\t-1.5\t2\n\n", {"x": -1.5, "y": 2}),
        ('"row";"unit";"x";"y"\n"G54";"mm";"1.234";"2"\n', {"x": 1.234, "y": 2}),
        ("row;unit;x;y\nG54;mm;1.234,5;2\n", "“1.234,5” is no figure"),
        ("row;unit;x;y\nG54;mm;1,5;2.5\n", "“1,5” is no figure"),
        ("row,unit,x,y\nG54,mm,-430,1973,-276,5\n", "line 2: it has 6 columns, and the first line 4"),
        ("row,unit,x,y\nG54,mm,-4.5,2,,\n", {"x": -4.5, "y": 2}),
        ("row,unit,x,y\nG54,mm,-4", "line 2: it has 3 columns"),  # cut off in the middle of a figure
        ("row,unit,x,X\nG54,mm,1,2\n", "two columns “x”"),
        ("unit,x,y\nmm,1,2\n", "no column “row”"),
        ("sep=;\nrow;unit;x\nG54;mm;a\n", "line 3"),
    ],
)
def test_a_csv_as_spreadsheets_save_it_and_none_of_whose_figures_are_guessed(text, values):
    for data in (text.encode(), text.encode("utf-8-sig"), text.encode("utf-16")):
        if isinstance(values, str):
            with pytest.raises(TableFileError, match=re.escape(values)):
                from_csv(data, "t")
        else:
            (row,) = from_csv(data, "t")
            assert (row.row, row.values) == ("G54", values)


@pytest.mark.parametrize(
    ("block", "values", "stepped"),
    [
        ("G10 L2 P1 X-430 Y-1.5", {"x": -430, "y": -1.5}, {"x": -0.43, "y": -1.5}),
        ("n10g10l2p1x-430.y-1.5(first)", {"x": -430, "y": -1.5}, {"x": -430, "y": -1.5}),
        ("G20 G10 L2 P1 X-1 R2", {"x": -25.4, "r": 2}, {"x": -2.54e-3, "r": 2}),
        ("G10 L2 P1 X-430,5", "“,5” cannot be read", None),
        ("G10 L2 P1 X- 430.5", "cannot be read", None),
        ("G10 L2 P1 X1. X2.", "X stands twice", None),
        ("G10 L2 P1\nX-430. Y-1.5\nG11", "names no axis", None),
    ],
)
def test_offset_setting_blocks_say_their_figures_or_are_refused(profile, block, values, stepped):
    """`stepped`: on a control that takes figures without a point for least increments, of a thousandth of a mm here."""
    for control, expected in ((profile, values), (shipped_profile("table-only"), stepped or values)):
        data = f"G21 G90\n{block}\n".encode()
        if isinstance(expected, str):
            with pytest.raises(TableFileError, match=expected):
                from_blocks(data, "t", control)
        else:
            (row,) = from_blocks(data, "t", control)
            assert (row.row, row.values) == ("G54", pytest.approx(expected))


def test_blocks_go_out_and_come_back(profile):
    rows = [
        TableRow("G54", {"x": -1.25, "y": 2.0, "z": -300.0}, {}),
        TableRow("G54.1 P48", {"x": 1.0, "y": 2.0, "z": 3.0}, {}),
    ]
    back = read_table(to_blocks(profile, rows), "t.nc", profile)
    assert [(r.row, dict(r.values)) for r in back] == [(r.row, dict(r.values)) for r in rows]
    turned = [replace(row, values={**row.values, "r": angle}) for row, angle in zip(rows, (0.0, -3.5), strict=True)]
    assert [dict(r.values) for r in from_blocks(to_blocks(profile, turned), "t.nc", profile)] == [
        dict(r.values) for r in turned
    ]
    assert to_blocks(shipped_profile("table-only"), turned[:1]).count(b"R") == 0  # 0 is lost nowhere
    with pytest.raises(ExportError, match="G54 is turned by −3.5000°, and table-only keeps no angle"):
        to_blocks(shipped_profile("table-only"), [replace(turned[1], row="G54")])
    with pytest.raises(BriskAnchorError, match="G54 R is set twice"):
        from_blocks(to_blocks(profile, [turned[0], turned[0]]), "t.nc", profile)
    kept = profile.model_dump()
    for row in (*kept["offsets"].values(), kept["extended"]):
        row["write"] = None
    through = type(profile).model_validate(kept)
    data = to_blocks(through, rows)
    assert b"#5221=-1.2500 (G54 X)" in data
    assert [dict(r.values) for r in from_blocks(data, "t.nc", through)] == [dict(r.values) for r in rows]
    for bad, reason in ((b"G21\n#5221=1.\n#5221=2.", "set twice"), (b"G21\n#5221=#500", "no figure")):
        with pytest.raises(BriskAnchorError, match=reason):
            from_blocks(bad, "t.nc", through)
    inches = b"G20 G90\nG10 L2 P2 X1. Y-.5 (G55)\nG0 X5."
    assert [(r.row, dict(r.values)) for r in read_table(inches, "t.nc", profile)] == [("G55", {"x": 25.4, "y": -12.7})]


@pytest.mark.parametrize(
    ("data", "reason"),
    [
        (b"", "no offsets"),
        (b"row,unit,x\nG54,mm,abc\n", "no figure"),
        (b"row,unit,x\nG54,mm,1e9\n", "no position"),
        (b"row,unit,x\nG54,mm,1_0\n", "no figure"),
        ("row,unit,x\nG54,mm,٣\n".encode(), "no figure"),
        (b"row,unit,x\nG54,mm,1\nG54,in,2\n", "twice"),
        (b"row,x\nG54,1\n", "does not say its unit"),
        (b"row,unit,x\nG54,ft,1\n", "no unit"),
        (b"G10 L2 P1 X1.", "does not say its unit"),
        (b"G91 G10 L2 P1 X1.", "incremental"),
        (b"G10 L2 P1 X#5221", "variable"),
        (b'{"form": "brisk-anchor-offsets-1"}', "units"),
        (b"\xff\x00row", "no text"),
        (b"row,unit,x\n" + b"G54,mm,1\n" * 60_000, "more than 2000 rows"),
        (b'{"offsets": [' + b"0," * 1_000_000 + b"0]}", "larger than 2000000 bytes"),
    ],
)
def test_hostile_tables_say_what_is_wrong(data, reason, profile):
    with pytest.raises(BriskAnchorError) as caught:
        read_table(data, "t", profile)
    told = caught.value.one_line() + " ".join(str(f) for f in getattr(caught.value, "findings", ()))
    assert reason in told


def test_the_month_goes_into_files_and_a_card(month, tmp_path):
    session, folder = month
    for name in ("t.csv", "t.json"):
        other = read_reference(session, export(session, tmp_path / name))
        assert all(distance(other.difference(line)) == 0 for line in lines(session))
    other = read_reference(session, export(session, tmp_path / "t.nc"))
    assert all(distance(other.difference(line)) < 1e-4 for line in lines(session) if line.values)
    made = card(session, ["G55", "G56"])
    figures = [float(figure) for _, figure in made[0].figures]
    assert float(made[0].check) == pytest.approx(sum(figures), abs=1e-3)
    assert len(timeline(session, "G55")) == 3
    paths = [*write_timeline(session, "G55", tmp_path), write_snapshot(session, "Before ${x}/../y")]
    assert all(path.stat().st_size > 500 for path in paths)
    assert paths[-1].parent == folder / "snapshots"


# -- what fits ---------------------------------------------------------------------------------------------------


def test_the_demos_program_fits_only_after_its_zero_has_moved(month, tmp_path):
    session, folder = month
    fit = fit_file(session, folder / PROGRAM)
    assert not fit.fits
    (row,) = fit.rows
    zero = row.zero["x"]
    mill = next(tool for tool in row.tools if tool.tool == 12)
    x = mill.axes[0]
    assert (x.high, x.beyond_high) == pytest.approx((zero + 400.0, zero + 400.0))
    assert (folder / PROGRAM).read_text().splitlines()[x.high_line - 1].startswith("G1 X400.0")
    drill = next(tool for tool in row.tools if tool.tool == 5)
    assert drill.axes[2].low == pytest.approx(row.zero["z"] - 38.0 + 148.2)
    assert row.shift == pytest.approx({"x": -zero - 400.0, "y": 0.0, "z": 0.0})
    assert all(path.stat().st_size > 500 for path in write_fit(session, fit, tmp_path))


@pytest.mark.parametrize(
    ("text", "row", "low", "high"),
    [
        ("G90 G0 X0 Y0 Z50.\nG81 X10. Y20. Z-30. R2. F99\nX40.\nG80\nX-5.", "G54", (-5, 0, -30), (40, 20, 50)),
        ("G90 G54.1 P3 X1. Y2.\nG0 X5.", "G54.1 P3", (1, 2, None), (5, 2, None)),
        ("G90 G0 X10. Y0 Z20.\nG91 G83 X10. Y0 R-15. Z-25. Q5. L3\nG80", "G54", (10, 0, -20), (40, 0, 20)),
        ("G90 X1. Y1.\nG53 G0 X-400. Z0\nG0 X2. Y2.", "G54", (1, 1, None), (2, 2, None)),
    ],
)
def test_extents_of_cycles_extended_rows_and_machine_moves(text, row, low, high):
    extent = read_extents(io.BytesIO(text.encode())).extents[row]
    for axis in range(3):
        if low[axis] is not None:
            assert (extent.low[axis], extent.high[axis]) == pytest.approx((low[axis], high[axis]))


def test_what_is_not_known_is_not_called_fitting(quiet):
    fit = fit_text(quiet, "p", "T77 M6\nG57 G0 X1. Y1. Z1.\nM30")
    assert not fit.fits
    assert fit.rows[0].known
    assert fit.rows[0].tools[0].length is None
    for text in ("M98 P7", "G52 X1.", "G68 R3.", "X1. X2.", "G65 P812"):
        with pytest.raises(BriskAnchorError):
            fit_text(quiet, "p", text)


# -- strength ----------------------------------------------------------------------------------------------------


def _typed(number: int, row: str = "G54") -> Entry:
    now = datetime.now(UTC)
    return Entry(now, "Heron", row, EntryKind.TYPED, "GL-114", "", {"x": float(number)}, {"x": 0.0}, number=number)


def test_two_windows_see_each_other_and_never_write_over_unseen(scene, profile, tmp_path):
    one = Session(scene, Book.open(tmp_path / "b.sqlite"), profile, seed=None)
    two = Session(scene, Book.open(tmp_path / "b.sqlite"), profile, seed=None)
    book_work.edit(one, "G57", {"x": 1.0, "y": 0.0, "z": 0.0}, "first window")
    with pytest.raises(BookTakenError, match="another window"):
        book_work.edit(two, "G57", {"x": 2.0, "y": 0.0, "z": 0.0}, "second window")
    assert two.ledger.refresh() == ["G57"]
    assert line_of(two, "G57").values["x"] == 1.0
    book_work.edit(two, "G57", {"x": 2.0}, "after looking")
    assert one.ledger.refresh() == ["G57"]
    assert [e.values["x"] for e in one.rows.history("G57")] == [1.0, 2.0]
    for session in (one, two):
        session.book.close()


def test_kill_at_any_moment_loses_nothing_confirmed(tmp_path):
    path = tmp_path / "b.sqlite"
    Book.open(path).close()
    program = (
        "import sys; from pathlib import Path; from brisk_anchor.book.store import Book\n"
        "from tests.test_offset_book import _typed\n"
        f"book = Book.open(Path({str(path)!r}))\n"
        "start = book.numbers('Heron').get('G54', 0)\n"
        "for n in range(start + 1, start + 400):\n"
        "    book.add(_typed(n), _typed(n, 'G55'))\n"
        "    print(n, flush=True)\n"
    )
    confirmed = 0
    for wait in (0.01, 0.05, 0.12):
        with subprocess.Popen([sys.executable, "-c", program], stdout=subprocess.PIPE, text=True) as run:
            first = run.stdout.readline()
            time.sleep(wait)
            os.kill(run.pid, signal.SIGKILL)
            told = [first, *run.stdout.read().splitlines()]
        confirmed = max([confirmed, *(int(line) for line in told if line.strip().isdigit())])
        book = Book.open(path)
        rows = [[e.number for e in book.history("Heron", row)] for row in ("G54", "G55")]
        assert rows[0] == rows[1] == list(range(1, len(rows[0]) + 1))
        assert len(rows[0]) >= confirmed
        book.close()


def test_a_damaged_file_opens_for_reading_and_offers_the_last_snapshot(tmp_path):
    path = tmp_path / "book.sqlite"
    book = Book.open(path)
    for n in range(1, 400):
        book.add(replace(_typed(n), note="x" * 200))
    book.close()
    with closing(sqlite3.connect(path)) as connection:
        connection.execute("PRAGMA wal_checkpoint(TRUNCATE)")
    data = bytearray(path.read_bytes())
    data[20 * 4096 : 28 * 4096] = os.urandom(8 * 4096)
    path.write_bytes(data)
    for leftover in tmp_path.glob("book.sqlite-*"):
        leftover.unlink()
    (tmp_path / "snapshots").mkdir()
    (tmp_path / "snapshots" / "good.json").write_text("{}")
    with open_book(path) as found:
        assert 100 < found.saved < 399
        assert "good.json" in found.damage
        with pytest.raises(BookWriteError, match="reading only"):
            found.add(_typed(400))
        assert len(found.history("Heron")) == found.saved
    path.write_bytes(b"no book at all" * 1000)
    with pytest.raises(BookError, match=r"good\.json"):
        open_book(path)


def test_a_book_of_years_opens_light_and_fetches_what_is_asked_for(scene, profile, book):
    chain = book_work.typed_chain("G54", {"x": 1.0, "y": 2.0, "z": 3.0}, {}, {}, "made up")
    for first in range(1, 1001, 250):
        book.add(*(replace(_typed(n), chain=chain if n == 1000 else None) for n in range(first, first + 250)))
    session = Session(scene, book, profile, seed=None)
    assert [e.number for e in session.rows.history("G54")] == list(range(801, 1001))
    assert [e.light for e in session.rows.history("G54")] == [True] * 199 + [False]  # the newest is what is shown
    assert session.rows.history("G54")[-1].chain == chain
    assert session.ledger.whole("G54", 0).number == 801
    assert session.ledger.older("G54") == 200
    assert session.rows.history("G54")[0].number == 601
    book_work.edit(session, "G54", {"x": 5.0}, "on top")
    assert math.isclose(line_of(session, "G54").values["x"], 5.0)


def test_what_holds_of_a_row_holds_however_long_ago_it_was_said(scene, profile, book):
    """Locked, limited, named and stored once; then more entries than a row holds in memory, and opened again."""
    chain = book_work.typed_chain("G54", {"x": 1.0, "y": 2.0, "z": 3.0}, {}, {}, "made up")
    begun = Session(scene, book, profile, seed=None).ledger
    early = [EntryKind.UNLOCKED, EntryKind.STORED, EntryKind.LOCKED]
    begun.add_all([begun.entry(kind, "G54", chain if kind is EntryKind.STORED else None) for kind in early])
    begun.add_all([begun.entry(EntryKind.LIMIT, "G54", None, figure=0.25)])
    begun.add_all([begun.entry(EntryKind.NAMED, "G54", None, title="the good one")])
    begun.add_all([begun.entry(EntryKind.PROVED, "G54", None) for _ in range(500)])
    begun.add_all([begun.entry(EntryKind.LOCKED, "G55", None)])

    assert [e.number for e in begun.history("G54")] == [*range(1, 6), *range(201, 506)]  # cut short at its 401st
    assert begun.locked("G54")
    assert (begun.limit("G54"), begun.title("G54"), begun.count("G54")) == (0.25, "the good one", 505)
    assert begun.last("G54", EntryKind.STORED, own=True).chain == chain
    assert [begun.nears_gap("G54", back) for back in (303, 304)] == [False, True]
    assert [e.number for e in begun.every("G54")] == list(range(1, 506))
    assert [begun.older("G54") for _ in range(3)] == [200, 1, 0]
    assert [e.number for e in begun.history("G54")] == list(range(1, 506))

    ledger = Session(scene, book, profile, seed=None).ledger
    assert [e.number for e in ledger.history("G54")] == [*range(1, 6), *range(306, 506)]
    assert ledger.locked("G54")
    assert ledger.locked("G55")
    assert (ledger.limit("G54"), ledger.title("G54")) == (0.25, "the good one")
    assert ledger.last("G54", EntryKind.STORED, own=True).chain == chain
    assert [e.number for e in ledger.every("G54")] == list(range(1, 506))
    assert [ledger.nears_gap("G54", back) for back in (0, 199, 200, 204)] == [False, False, True, True]
    assert ledger.count("G54") == 505
    assert [ledger.older("G54") for _ in range(3)] == [200, 105, 0]
    assert not ledger.nears_gap("G54", 504)
    assert [e.number for e in ledger.history("G54")] == list(range(1, 506))
    assert ledger.history("G54")[1].chain == chain  # what was fetched whole stays
    assert ledger.locked("G54")
    assert [e.number for e in ledger.every("G55")] == [1]
    ledger.add(EntryKind.UNLOCKED, "G54", None)
    assert not Session(scene, book, profile, seed=None).ledger.locked("G54")


def test_what_lies_between_the_newest_and_what_is_held_of_old_is_asked_for(scene, profile, book):
    """Typed, stored twice, 300 proofs, stored as the second time: undone goes to the first store, not to the typed."""
    session = Session(scene, book, profile, seed=None)
    begun = session.ledger
    for kind, x in ((EntryKind.TYPED, 1.0), (EntryKind.STORED, 2.0), (EntryKind.STORED, 3.0)):
        values = {"x": x, "y": 0.0, "z": 0.0}
        begun.add_all([begun.entry(kind, "G54", book_work.typed_chain("G54", values, {}, {}, ""))])
    between = datetime.now(UTC)
    begun.add_all([begun.entry(EntryKind.PROVED, "G54", None) for _ in range(300)])
    begun.add_all([begun.entry(EntryKind.STORED, "G54", book_work.typed_chain("G54", values, {}, {}, ""))])
    again = Session(scene, book, profile, seed=None)
    assert [e.values["x"] for e in again.rows.history("G54") if e.values] == [1.0, 3.0]  # 2.0 lies in the gap
    assert again.ledger.before_newest("G54", (EntryKind.STORED, EntryKind.TYPED)).values["x"] == 2.0
    old = Session(scene, book, profile, seed=None).ledger.back_to("G54", lambda entry: entry.at <= between)
    assert [e.values["x"] for e in old if e.at <= between] == [1.0, 2.0, 3.0]
    assert book_work.undo(Session(scene, book, profile, seed=None), "G54").values["x"] == 2.0


def test_a_row_stands_after_opening_as_it_stood_before(scene, tmp_path, monkeypatch):
    """Entries of two jobs in any order, far more than are held in memory: what follows from them is the same."""
    monkeypatch.setattr(ledgers, "KEPT", 6)
    kinds = [kind for kind in EntryKind if kind not in (EntryKind.INSPECTED, EntryKind.SNAPSHOT)]
    said = SimpleNamespace(job="A", machine=scene.setup.machine, rows=scene.setup.rows)
    for seed in range(25):
        drawn = random.Random(seed)
        with closing(Book.open(tmp_path / f"{seed}.sqlite")) as kept:
            live = ledgers.Ledger(kept, lambda: said)
            for _ in range(drawn.randrange(5, 40)):
                said.job, kind, row = drawn.choice("AAAB"), drawn.choice(kinds), drawn.choice(["G54", "G54", "G55"])
                values = {"x": drawn.random(), "y": 0.0, "z": 0.0}
                chain = book_work.typed_chain(row, values, {}, {}, "") if kind.has_values else None
                words = {EntryKind.PROVED: drawn.choice(["agrees", "does not agree"])}.get(kind, "")
                entry = live.entry(kind, row, chain, note=words, title=f"{drawn.random():.3f}", figure=drawn.random())
                live.add_all([entry])
            said.job = "A"
            known = [(row, [entry.lightened() for entry in live.every(row)]) for row in ("G54", "G55")]
            again = ledgers.Ledger(kept, lambda: said)
            for row, entries in known:
                assert [e.uid for e in again.every(row)] == [e.uid for e in entries]
                held = [[e.lightened() for e in ledger.history(row)] for ledger in (again, live)]
                assert len({state_of(own_of(listed, "A")) for listed in (*held, entries)}) == 1
                facts = again.facts(row), live.facts(row)
                for name in ("locked", "limit", "name"):
                    assert getattr(facts[0], name) == getattr(facts[1], name)
                newest = [found.valued.uid if found.valued else "" for found in facts]
                assert newest[0] == newest[1]


def test_a_long_book_on_a_slow_disk_is_listed_in_the_time_of_an_opening(tmp_path, monkeypatch):
    with closing(Book.open(tmp_path / "b.sqlite")) as kept:
        kept.add(_typed(1))
        limits, run = [], kept._looker.run
        monkeypatch.setattr(kept._looker, "run", lambda work, limit: limits.append(limit) or run(work, limit))
        assert [entry.number for entry in kept.listed(_typed(1).machine, 1)] == [1]
        assert limits == [60.0]


def own_of(entries, job):
    """Those of a job since another one stored something."""
    others = [n for n, entry in enumerate(entries) if entry.job != job and entry.kind is EntryKind.STORED]
    return [entry for entry in entries[max(others, default=0) :] if entry.job == job]


def test_the_book_from_the_command_line(tmp_path, monkeypatch):
    from typer.testing import CliRunner

    from brisk_anchor.cli.commands import app

    monkeypatch.setenv("BRISK_ANCHOR_HOME", str(tmp_path))
    run = CliRunner()

    def told(*words, code=0):
        result = run.invoke(app, ["book", *words])
        assert result.exit_code == code, result.output
        return result.stdout

    (tmp_path / "g.nc").write_text("G21 G90 G10 L2 P3 X-1. Y-2. Z-300.\n")
    assert "is new in the book" in told("import", str(tmp_path / "g.nc"))
    assert "Taken over: G56" in told("import", str(tmp_path / "g.nc"), "--take")
    assert json.loads(told("list", "--json"))[2]["values"]["z"] == -300.0
    assert "from g.nc" in told("history", "G56")
    assert "G56" in told("compare", "control")
    assert "from g.nc" in told("show", "G56")
    told("export", str(tmp_path / "t.csv"))
    told("snapshot", "first")
    (tmp_path / "p.nc").write_text("G56 G0 X500. Y0.\nM30\n")
    assert "past the high end" in told("fits", str(tmp_path / "p.nc"), code=2)


def test_each_form_of_table_is_known_by_its_suffix_and_by_what_is_in_it(profile):
    rows = [TableRow("G54", {"x": -12.5, "y": 0.0, "z": 3.0}, {}), TableRow("G55", {"x": 1.0, "y": 2.0, "z": -4.0}, {})]
    for form in TABLE_FORMS:
        if form.write is None:
            assert form_of(form.suffix) is None
            continue
        data = form.write("Heron", profile, rows, Unit.MM)
        assert next(other.name for other in TABLE_FORMS if other.recognise(data)) == form.name
        back = read_table(data, "any", profile)
        assert {row.row: dict(row.values) for row in back} == {row.row: dict(row.values) for row in rows}
        assert form_of(form.suffix.upper()) is form
