"""What follows from entries, what is looked at before a store, and rows beyond the first six."""

from __future__ import annotations

import json
import math
from dataclasses import replace
from datetime import UTC, datetime, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st
from typer.testing import CliRunner

from brisk_anchor.book.entries import Entry, EntryKind, RowState, state_of
from brisk_anchor.book.store import Book
from brisk_anchor.cli.commands import app
from brisk_anchor.core.errors import BookError, BriskAnchorError, PlanError
from brisk_anchor.core.offsets.checks import SEARCH_BEYOND, look_at_jump, look_at_measurement, look_at_start
from brisk_anchor.core.offsets.rules import Fixed
from brisk_anchor.nc.profile.control_profile import shipped_profile
from brisk_anchor.nc.programs.plan import StorePlan
from brisk_anchor.nc.read.interpreter import Status
from brisk_anchor.nc.write.writer import write_program
from brisk_anchor.services.demo.demo_month import open_month
from brisk_anchor.services.job.jobs import new_job
from brisk_anchor.services.measure.measurement_request import build_measurement, point_at
from brisk_anchor.services.offsets import offset_book as book_work
from brisk_anchor.services.offsets.book_rows import lacking, line_of
from brisk_anchor.services.rows.ledger import _facts_of
from brisk_anchor.services.session import tool_shelf
from brisk_anchor.services.session.book_opening import BOOK_VARIABLE, open_book
from brisk_anchor.services.session.job_opening import open_job
from brisk_anchor.services.session.session import Session

WHEN = datetime(2026, 11, 1, tzinfo=UTC)
_VALUES = st.dictionaries(st.sampled_from("xyz"), st.floats(-500, 0), min_size=1, max_size=3)


@st.composite
def entries(draw):
    found = []
    for n in range(draw(st.integers(0, 12))):
        kind = draw(st.sampled_from([k for k in EntryKind if k is not EntryKind.SNAPSHOT]))
        values = draw(_VALUES) if kind.has_values else {}
        figure = draw(st.floats(0.1, 5)) if kind is EntryKind.LIMIT else None
        title = draw(st.sampled_from(["vice", "plate"])) if kind is EntryKind.NAMED else "as planned"
        job = draw(st.sampled_from(["GL-114", "BC-27"]))
        found.append(Entry(WHEN + timedelta(hours=n), "Heron", "G54", kind, job, title, values, figure=figure))
    return found


@given(entries())
def test_facts_are_what_a_look_from_the_end_finds(found):
    facts = _facts_of(found, found)

    def last(*kinds):
        return next((entry for entry in reversed(found) if entry.kind in kinds), None)

    lock, limit, named = last(EntryKind.LOCKED, EntryKind.UNLOCKED), last(EntryKind.LIMIT), last(EntryKind.NAMED)
    assert facts.locked == (lock is not None and lock.kind is EntryKind.LOCKED)
    assert facts.limit == (limit.figure if limit else None)
    assert facts.name == (named.title if named else "")
    kinds = (EntryKind.MEASURED, EntryKind.TYPED, EntryKind.STORED, EntryKind.PROVED)
    assert facts.valued is last(*kinds)
    assert set(facts.jobs) == {entry.job for entry in found}
    telling = last(*kinds, EntryKind.STALE)
    if telling is None or all(
        entry.kind is EntryKind.STALE for entry in found if entry.kind in (*kinds, EntryKind.STALE)
    ):
        assert facts.state is RowState.EMPTY
    elif telling.kind in (EntryKind.MEASURED, EntryKind.TYPED, EntryKind.STORED):
        assert facts.state.value == telling.kind.value
    assert state_of([*found, replace(found[0], kind=EntryKind.TYPED)]) is RowState.TYPED if found else True


@given(st.floats(-20, 20), st.floats(0.1, 10))
def test_a_jump_is_told_beyond_the_limit_and_not_within(moved, limit):
    chain = book_work.typed_chain("G54", {"x": -100.0 + moved, "r": 50.0}, {}, {}, "typed")
    looks = look_at_jump(chain, {"x": -100.0, "r": 0.0}, limit)
    away = abs(chain.values["x"] + 100.0)
    assert bool(looks) == (away > limit)
    assert not look_at_jump(chain, {"x": -100.0}, None)
    assert all(look.stops for look in looks)


def asked(session, name, **figures):
    request = point_at(session.setup, session.setup.drawn(name))
    for field, value in figures.items():
        request = request.with_figure(field, value)
    return build_measurement(session.setup, request)


def test_a_search_too_short_is_refused_one_too_long_is_told(quiet):
    travel = quiet.setup.machine.travel
    proper = asked(quiet, "bore")
    assert not look_at_measurement(proper, travel)
    needed = proper.nominal_reach + proper.slack
    for search, stops in (
        (needed - 0.1, True),
        (needed + SEARCH_BEYOND - 0.1, None),
        (needed + SEARCH_BEYOND + 0.1, False),
    ):
        looks = look_at_measurement(asked(quiet, "bore", search=search), travel)
        assert [look.stops for look in looks] == ([] if stops is None else [stops])


@pytest.mark.parametrize(("away", "told"), [(0.0, False), (1.9, False), (2.5, True)])
def test_a_bore_is_measured_from_its_nominal_centre(quiet, away, told):
    proper = asked(quiet, "bore")
    x, y, z = proper.start
    moved = replace(proper, start=(x + away * 0.6, y - away * 0.8, z))
    assert bool(look_at_start(moved, quiet.setup.drawn("bore").machine)) is told
    assert not look_at_start(replace(asked(quiet, "top"), start=(0.0, 0.0, z)), quiet.setup.drawn("top").machine)


# -- rows beyond the first six -----------------------------------------------------------------------------------


def test_an_extended_row_is_measured_stored_proved_and_found_again(tmp_path):
    new_job(tmp_path / "job")
    job = tmp_path / "job" / "job.toml"
    job.write_text(job.read_text().replace('"G54"', '"G54.1 P3"'))
    session = open_job(tmp_path / "job", tmp_path / "data", roll=1)
    row = "G54.1 P3"
    for name in session.rows.missing(row):
        session.runner.measure(asked(session, name))
    program = session.programs.full_program(row)
    assert 1000 < program.number < 9999
    assert "G10 L20 P3" in program.text
    chain = session.writer.store(row)
    assert session.prover.prove(row).holds
    session.book.close()
    again = open_job(tmp_path / "job", tmp_path / "data", roll=1)
    assert again.rows.state(row) is RowState.PROVED
    assert again.machine.offset(row) == pytest.approx(tuple(chain.values[a] for a in "xyz"), abs=1e-4)
    again.book.close()


@pytest.mark.parametrize("row", ["G54.1 P49", "G53", "G54.2", "common", "G54.1P3"])
def test_a_row_the_control_has_not_is_refused(tmp_path, row):
    new_job(tmp_path / "job")
    job = tmp_path / "job" / "job.toml"
    job.write_text(job.read_text().replace('"G54"', f'"{row}"'))
    with pytest.raises(BriskAnchorError):
        open_job(tmp_path / "job", tmp_path / "data", roll=1)


@pytest.mark.parametrize("profile", ["skip-macro", "probe-params", "table-only"])
def test_a_program_in_a_file_stops_the_operator_where_a_row_moves_far(scene, book, profile):
    session = Session(scene, book, shipped_profile(profile), seed=None)
    near = dict(zip("xyz", session.machine.offset("G54"), strict=True))
    book_work.edit(session, "G54", {"x": near["x"] + 1.0}, "a little")
    assert not [line for line in book_work.writing_program(session, ["G54"]).text.splitlines() if line[:2] == "M0"]
    book_work.edit(session, "G54", {"x": near["x"] + 60.0}, "another stop")
    program = book_work.writing_program(session, ["G54"])
    run = session.runner.start(program)
    run.to_end()
    assert run.interpreter.status is Status.STOPPED
    assert session.machine.offset("G54")[0] == near["x"]
    run.to_end()
    assert run.failure() is None
    assert session.machine.offset("G54")[0] == pytest.approx(near["x"] + 60.0, abs=1e-4)


def test_a_turn_that_the_control_cannot_keep_is_refused_and_never_dropped(scene, book):
    session = Session(scene, book, shipped_profile("table-only"), seed=None)
    zero = {"x": -400.0, "y": -200.0, "z": -500.0}
    with pytest.raises(PlanError, match=r"G56 is turned by \+5.0000°, and this control keeps no angle"):
        book_work.edit(session, "G56", {**zero, "r": 5.0}, "as the other machine has it")
    table = book_work.TableReference("a file", {"G55": {**zero, "r": 5.0}, "G56": {**zero, "r": 0.0}})
    turned, straight = book_work.changes_of(session, table)
    assert turned.left_out.startswith("G55 is turned by")
    assert straight.left_out == ""
    with pytest.raises(PlanError, match="keeps no angle"):
        book_work.take_over(session, table.values, "a file")
    assert book_work.take_over(session, {"G56": table.values["G56"]}, "a file") == ["G56"]
    book_work.write_rows(session, ["G56"])
    assert session.link.table_values("G56") == pytest.approx(zero)
    # The angle alone is a difference too, where the control keeps one.
    session = Session(scene, None, shipped_profile("probe-params"), seed=None)
    book_work.edit(session, "G55", zero, "a vice")
    (change,) = book_work.changes_of(session, book_work.TableReference("a file", {"G55": {**zero, "r": 5.0}}))
    assert (change.left_out, change.moves["r"]) == ("", 5.0)
    with pytest.raises(PlanError, match=r"G59.3 cannot be turned on this control"):
        book_work.edit(session, "G59.3", {**zero, "r": 5.0}, "a vice")
    turned = {**zero, "r": 5.0}
    store = StorePlan("G59.3", tuple((a, Fixed(v)) for a, v in turned.items()), tuple(turned.items()), 1.0)
    with pytest.raises(PlanError, match=r"G59.3 cannot be turned on this control"):
        write_program(session.heads.plan_of(1, "set G59.3", [], store), session.profile)


@pytest.mark.parametrize("profile", ["skip-macro", "probe-params"])
@pytest.mark.parametrize("changed", [0.0015, 0.01])
def test_a_program_stops_where_the_table_is_no_longer_what_was_looked_at(scene, book, profile, changed):
    session = Session(scene, book, shipped_profile(profile), seed=None)
    x, y, z = session.machine.offset("G54")
    book_work.set_limit(session, "G54", 0.5)
    book_work.edit(session, "G54", {"x": x + 0.3}, "a little")
    book_work.edit(session, "G55", {"x": -10.0, "y": -20.0, "z": -30.0}, "a vice")
    program = book_work.writing_program(session, ["G55", "G54"], stops=False)
    session.machine.write_offset("G54", (x, y + changed, z))  # somebody corrects it at the control
    before = session.machine.offset("G55")
    run = session.runner.start(program)
    run.to_end()
    stops = changed > 0.002
    assert ("HOLDS SOMETHING ELSE NOW" in str(run.failure())) is stops
    assert session.machine.offset("G54")[0] == pytest.approx(x + 0.3 * (not stops), abs=1e-4)
    assert (session.machine.offset("G55") == before) is stops  # all rows or none


# -- opening -----------------------------------------------------------------------------------------------------


def test_any_database_by_configuration_takes_the_place_of_the_file(tmp_path, monkeypatch):
    monkeypatch.setenv(BOOK_VARIABLE, f"sqlite:///{tmp_path / 'elsewhere.sqlite'}")
    book = open_book(tmp_path / "book.sqlite")
    book.add(Entry(WHEN, "Heron", "G54", EntryKind.TYPED, "GL-114", "", {"x": 1.0}, {"x": 0.0}, number=1))
    book.close()
    assert not (tmp_path / "book.sqlite").exists()
    monkeypatch.delenv(BOOK_VARIABLE)
    found = Book.open(tmp_path / "elsewhere.sqlite")
    assert found.history("Heron")[0].values == {"x": 1.0}
    found.close()
    assert Book.salvage(tmp_path / "nothing.sqlite") is None
    (tmp_path / "book.sqlite").write_bytes(b"SQLite format 3\x00" + b"\xff" * 5000)
    with pytest.raises(BookError):
        open_book(tmp_path / "book.sqlite")


def test_the_month_is_made_once_and_its_operations_say_what_they_lack(tmp_path):
    first = open_month(tmp_path)
    counts = {row: len(first.rows.history(row)) for row in first.ledger.rows}
    assert lacking(first) == ["op 10 (G54 stale)"]
    first.book.close()
    second = open_month(tmp_path)
    assert {row: len(second.rows.history(row)) for row in second.ledger.rows} == counts
    assert second.machine.offset("G55") == pytest.approx(tuple(line_of(second, "G55").values.values()), abs=1e-4)
    second.book.close()


# -- tools -------------------------------------------------------------------------------------------------------


def test_every_tool_on_the_part_where_the_control_counts_so(scene):
    profile = shipped_profile("skip-macro")
    lengths = profile.tool_lengths.model_copy(update={"convention": "part", "master_length": None})
    session = Session(scene, None, profile.model_copy(update={"tool_lengths": lengths}), seed=None)
    tool_shelf.broken(session, 12)
    length, looks = tool_shelf.length_on_the_part(session, 12, -380.0, 2.0, 0.1)
    row = session.machine.offset("G54")[2]
    assert length.value == pytest.approx(-380.0 - 0.1 - row - 2.0)
    tool_shelf.take_length(session, 12, length, looks)
    assert session.machine.tool_length(12) == pytest.approx(length.value)
    with pytest.raises(PlanError, match="stands in the spindle"):
        tool_shelf.length_on_the_part(session, 12, None, 0.0, 0.0)


def test_a_shelf_without_a_setter_or_a_master_says_so(quiet):
    shelf = quiet.setup.shelf
    quiet.working.setup = replace(quiet.setup, shelf=replace(shelf, setter=replace(shelf.setter, master=34, at=None)))
    with pytest.raises(PlanError, match="Nobody knows where"):
        tool_shelf.bring_to_setter(quiet, 12)
    for setter, reason in ((replace(shelf.setter, master=77), "no tool of known length"), (None, "no tool setter")):
        quiet.working.setup = replace(quiet.setup, shelf=replace(shelf, setter=setter))
        with pytest.raises(PlanError, match=reason):
            tool_shelf.take_reference(quiet, -440.0)
    assert tool_shelf.reference(quiet) is None
    with pytest.raises(PlanError, match="not measured yet"):
        tool_shelf.offset_of_ball(quiet, "bore")
    with pytest.raises(BriskAnchorError):
        tool_shelf.into_spindle(quiet, 99)


def test_a_probe_that_is_due_measures_and_stores_nothing(quiet):
    for name in quiet.rows.missing("G54"):
        quiet.runner.measure(asked(quiet, name))
    tool_shelf.probe_exchanged(quiet, "pocket")
    assert not quiet.measured
    for name in quiet.rows.missing("G54"):
        assert any("not calibrated since" in look.found for look in quiet.planner.look(asked(quiet, name)))
        quiet.runner.measure(asked(quiet, name))
    with pytest.raises(BriskAnchorError, match="not calibrated since"):
        quiet.writer.store("G54")
    for line, label, value in ((20, "length", 150.0), (20, "run-out ±", 0.0)):
        chosen = next(item for item in tool_shelf.lines(quiet, WHEN.date()) if item.number == line)
        tool_shelf.set_figure(quiet, chosen, label, value)
    for name in quiet.rows.missing("G54"):
        quiet.runner.measure(asked(quiet, name))
    assert math.isfinite(quiet.writer.store("G54").values["x"])


# -- the command line --------------------------------------------------------------------------------------------


def run(*words, code=0):
    result = CliRunner().invoke(app, list(words))
    assert result.exit_code == code, result.output + str(result.exception)
    return result.stdout


def test_tables_and_fits_for_other_programs(tmp_path):
    schema = json.loads(run("schema", "offsets"))
    assert set(schema["required"]) == {"form", "units", "machine", "offsets"}
    (tmp_path / "t.csv").write_text("row,x,y,z\nG56,-1,-2,-300\n")
    run("book", "import", str(tmp_path / "t.csv"), "--take", "--units", "mm")
    compared = json.loads(run("book", "compare", str(tmp_path / "t.csv"), "--units", "mm", "--json"))
    assert compared["rows"] == [{"row": "G56", "difference": {"x": 0.0, "y": 0.0, "z": 0.0}, "distance": 0.0}]
    (tmp_path / "p.nc").write_text("T12 M6\nG56 G0 X-5. Y-5. Z1.\nM30\n")
    fit = json.loads(
        run("book", "fits", str(tmp_path / "p.nc"), "--json", "--out", str(tmp_path)).partition("\nWritten")[0]
    )
    assert (fit["fits"], fit["rows"][0]["tools"][0]["tool"]) == (True, 12)
    assert (tmp_path / "fits-p.svg").exists()
    assert "G54.1 P48" in run("book", "list", "--all")
    assert "stored" not in run("book", "history", "G56")


@pytest.mark.parametrize(
    "words",
    [
        ("compare", "nothing"),
        ("show", "G99"),
        ("import", "not-there.csv"),
        ("export", "table.xyz"),
        ("fits", "not-there.nc"),
        ("snapshot", "  "),
    ],
)
def test_wrong_words_end_with_one_line_and_change_nothing(words, tmp_path, monkeypatch):
    monkeypatch.chdir(tmp_path)
    before = run("book", "list", "--json")
    result = CliRunner().invoke(app, ["book", *words])
    assert result.exit_code != 0
    assert isinstance(result.exception, BriskAnchorError | SystemExit)
    assert run("book", "list", "--json") == before
