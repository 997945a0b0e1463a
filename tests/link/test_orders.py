"""Programs to a control that stands elsewhere and reports back: through files, down a wire, after a restart, once."""

from __future__ import annotations

import json
import os
import shutil
import subprocess
import sys
import time
from dataclasses import replace
from pathlib import Path

import pytest
from typer.testing import CliRunner

from brisk_anchor.book.entries import EntryKind, RowState
from brisk_anchor.cli.commands import app as cli
from brisk_anchor.core.errors import (
    BookSilentError,
    ExportError,
    GuardError,
    JobError,
    LinkError,
    PlanError,
    ReportError,
    TableFileError,
)
from brisk_anchor.core.offsets.conditions import Conditions, Temperature
from brisk_anchor.core.quantities import Unit, signed_dim
from brisk_anchor.core.tools.shelf import Health
from brisk_anchor.exchange.tables.csv_form import from_saved
from brisk_anchor.link.settings import feed_of
from brisk_anchor.nc.profile.sections import SavedTable
from brisk_anchor.nc.read.port import RADIUS_WEAR
from brisk_anchor.services.demo.demo_job import demo_shop
from brisk_anchor.services.job.jobs import load_job
from brisk_anchor.services.machine.outlet import plainly
from brisk_anchor.services.measure.by_hand import PositionFrame
from brisk_anchor.services.measure.measurement_request import point_at
from brisk_anchor.services.offsets.offset_book import edit
from brisk_anchor.services.orders.listening import Ear, LinkState, link_lock
from brisk_anchor.services.orders.order import OrderState
from brisk_anchor.services.orders.orders import Orders, reports_in
from brisk_anchor.services.orders.orders_words import link_words, waiting_words
from brisk_anchor.services.orders.saved_table import take_table
from brisk_anchor.services.plan.plan_file import parse_plan, plan_of_features, plan_text
from brisk_anchor.services.results.correcting import correction_program
from brisk_anchor.services.results.inspection import Inspection
from brisk_anchor.services.results.measuring import inspection_plan
from brisk_anchor.services.served.serving import ServedMachine
from brisk_anchor.services.session.job_opening import open_job
from brisk_anchor.services.session.tool_shelf import broken, reference_prepared


class Shop:
    """A job, its machine at the far end, and what listens between them."""

    def __init__(self, folder: Path, link: str = "") -> None:
        self.folder = demo_shop(folder / "shop")
        self.data = folder / "data"
        if link:
            path = self.folder / "machine.toml"
            text = path.read_text(encoding="utf-8")
            start, end = text.index("[link]"), text.index("\n[probe]")
            path.write_text(text[:start] + link + text[end:], encoding="utf-8")
        self.served = ServedMachine(self.folder, self.data, auto=True, speed=1e6)
        self.said: list[str] = []
        self.served.told = self.said.append
        self.open()

    def open(self) -> None:
        """The job in a window of its own, as at a start."""
        self.session = open_job(self.folder, self.data, roll=0)
        self.orders = Orders(self.session, self.folder, self.data)
        settings = self.session.link_settings
        self.ear = Ear(feed_of(settings, self.session.wire, self.orders.kept.mark))

    def come(self, seconds: float = 8.0):
        """Let the far machine work until something came; what became of it."""
        outcomes, until = [], time.monotonic() + seconds
        while not outcomes and time.monotonic() < until:
            self.served.pass_time(0.05)
            outcomes = [self.orders.arrived(run) for run in self.ear.hear(0.02)]
        return outcomes

    def measure(self, name: str):
        session = self.session
        return self.orders.measure(session.planner.measurement_of(point_at(session.setup, session.setup.drawn(name))))

    def close(self) -> None:
        self.session.close()
        self.ear.feed.close()
        self.served.close()


@pytest.fixture
def shop(tmp_path):
    made = Shop(tmp_path)
    yield made
    made.close()


def taken(outcomes):
    (outcome,) = outcomes
    assert outcome.error is None, outcome.error
    assert outcome.taken is not None
    return outcome


@pytest.mark.parametrize("reports", ["file", "folder"])
def test_the_whole_line_from_touch_to_a_proved_row_by_files(tmp_path, reports):
    folder = (
        'programs = "files"\nprogram_folder = "control/programs"\nreports = "files"\nreport_folder = "control/out"\n'
    )
    shop = Shop(tmp_path, "" if reports == "file" else f"[link]\n{folder}")
    (shop.folder / "control" / "out").mkdir(exist_ok=True)
    for name in ("top", "left", "front"):
        order = shop.measure(name)
        assert (shop.folder / "control" / "programs" / "O2100.nc").read_text() == order.text
        assert waiting_words(shop.orders, LinkState())[0].endswith(
            "look that T20 is in the spindle, press cycle start."
        )
        outcome = taken(shop.come())
        assert outcome.order.key == order.key
    measured = shop.session.measured["left"]
    assert measured.agreements[0].holds  # the control worked out the same
    assert shop.session.rows.state("G54") is RowState.MEASURED
    chain = shop.session.solver.chain("G54")
    with pytest.raises(PlanError, match="is not known"):
        shop.orders.write_rows(["G54"])  # nobody knows what the table holds
    shop.orders.store("G54")
    assert shop.session.rows.state("G54") is RowState.MEASURED  # the control has not said so yet
    taken(shop.come())
    assert shop.session.rows.state("G54") is RowState.STORED
    held = shop.served.control.machine.offset("G54")
    assert held == pytest.approx([chain.values[a] for a in "xyz"], abs=1e-4)
    assert shop.session.real.age("G54") == "now"
    assert "the control says so" in shop.session.ledger.history("G54")[-1].note
    shop.orders.prove("G54")
    assert "is proved" in taken(shop.come()).taken.told
    assert shop.session.rows.state("G54") is RowState.PROVED
    shop.close()


def test_a_report_comes_after_a_restart_once_and_in_another_window(shop, tmp_path):
    shop.measure("left")
    shop.session.close()
    while not shop.said or "ended" not in shop.said[-1]:
        shop.served.pass_time(0.05)
    shop.open()
    other = Orders(open_job(shop.folder, shop.data, roll=0), shop.folder, shop.data)
    taken(shop.come())
    other.refresh()
    assert "left" in other.session.measured
    other.session.close()
    printed = (shop.folder / "control" / "printed.txt").read_bytes()
    # The same again, by hand: nothing changes, and nothing is in the book twice.
    entries = len(shop.session.ledger.history("G54"))
    (again,) = shop.orders.take_file(printed, "printed.txt")
    assert again.again
    assert len(shop.session.ledger.history("G54")) == entries
    feature = shop.session.measured["left"].feature
    shop.session.close()
    shop.open()  # known again after a start, with the same figures
    assert shop.session.measured["left"].feature.coordinates == feature.coordinates
    assert shop.orders.faults == []


def test_what_was_half_way_into_the_book_is_entered_once(shop, monkeypatch):
    for name in ("top", "left", "front"):
        shop.measure(name)
        taken(shop.come())
    shop.orders.store("G54")
    written = shop.orders.folder.write
    monkeypatch.setattr(shop.orders.folder, "write", lambda order: (_ for _ in ()).throw(ExportError("full", "", "")))
    (outcome,) = shop.come()
    assert outcome.error is not None  # the disk was full between the book and the order
    monkeypatch.setattr(shop.orders.folder, "write", written)
    before = len(shop.session.ledger.history("G54"))
    (outcome,) = shop.orders.take_file((shop.folder / "control" / "printed.txt").read_bytes(), "p")[-1:]
    assert outcome.order.state is OrderState.TAKEN
    assert len(shop.session.ledger.history("G54")) == before


def test_what_book_or_disk_did_not_take_is_kept_and_taken_later(shop, monkeypatch):
    for name in ("top", "left", "front"):
        shop.measure(name)
        taken(shop.come())
    shop.orders.store("G54")
    silent = BookSilentError("The book does not answer", "Nothing was stored", "Look at the server")
    with monkeypatch.context() as trouble:
        trouble.setattr(type(shop.session.ledger), "add_all", lambda *_args: (_ for _ in ()).throw(silent))
        (outcome,) = shop.come()
        assert outcome.words[1].endswith("Look at the server. The report is kept and tried again.")
        assert shop.orders.take_offered() == []  # not at once
        trouble.setattr("brisk_anchor.services.orders.orders._AGAIN", 0.0)
        assert shop.orders.take_offered() == []  # and it is not told twice
        shop.session.close()
        shop.open()
    taken(shop.orders.take_offered())  # by whoever comes next
    assert shop.session.rows.state("G54") is RowState.STORED
    assert shop.orders.folder.offered() == []
    shop.ear.hear(0)
    # No room for the copy either: the window itself knows it.
    shop.measure("left")
    full = ExportError("There is no room", "", "")
    with monkeypatch.context() as trouble:
        trouble.setattr("brisk_anchor.services.orders.order.write_whole", lambda *_: (_ for _ in ()).throw(full))
        (outcome,) = shop.come()
        assert outcome.held_up
        assert shop.orders.folder.offered() == []
    monkeypatch.setattr("brisk_anchor.services.orders.orders._AGAIN", 0.0)
    assert taken(shop.orders.take_offered()).taken.feature == "left"
    assert shop.orders.take_offered() == []


def test_a_report_from_before_another_clamping_is_told_and_not_taken(shop):
    shop.measure("left")
    shop.session.editor.clamp()
    (outcome,) = shop.come()
    assert "clamped again since" in str(outcome.error)
    assert "left" not in shop.session.measured
    shop.measure("left")
    taken(shop.come())
    # So is one that was made by a probe with other figures.
    shop.measure("front")
    stylus = replace(shop.session.setup.stylus, effective_radius=2.9941)
    shop.session.working.setup = replace(shop.session.setup, stylus=stylus)
    (outcome,) = shop.come()
    assert "other figures since" in str(outcome.error)
    # Another window on the job hears of the clamping as well.
    other = Orders(open_job(shop.folder, shop.data, roll=0), shop.folder, shop.data)
    shop.session.editor.clamp()
    shop.orders.refresh()
    other.refresh()
    assert other.session.working.clamped == shop.session.working.clamped
    assert not other.session.working.holds("left")
    other.session.close()


@pytest.mark.parametrize(
    ("change", "why"),
    [
        (lambda t: t.replace("SOLVED", "SOLVD"), "damaged"),
        (lambda t: t.rsplit("BRISK 1 END", 1)[0], "cut off"),
        (lambda t: t.replace("I1.0000 J0.0000", "I0.5000 J0.0000"), "direction"),
        (lambda t: t.replace("R2.9940", "R2.9840"), "another calibration"),
        (lambda t: t.replace("END N1", "END N2"), "2 were made"),
        (lambda t: t.replace("SOLVED M1 X-", "SOLVED M1 Y-"), "did not report its own X"),
    ],
)
def test_what_does_not_fit_changes_nothing(shop, change, why):
    shop.measure("left")
    while not shop.said or "ended" not in shop.said[-1]:
        shop.served.pass_time(0.05)
    text = (shop.folder / "control" / "printed.txt").read_text()
    outcomes = [shop.orders.arrived(run) for run in reports_in(change(text), "p")]
    assert why in " ".join(str(outcome.error) for outcome in outcomes)
    assert all(outcome.taken is None for outcome in outcomes)
    assert shop.session.measured == {}
    assert shop.orders.waiting[-1].title == "left edge"


def test_plans_repeats_and_the_inspection_come_back_as_well(shop):
    plan = plan_of_features("G54 by plan", "G54", ["top", "left", "front"])
    shop.orders.plan(plan)
    outcome = taken(shop.come())
    assert "3 features" in outcome.taken.told
    assert shop.session.rows.state("G54") is RowState.STORED
    assert shop.session.rows.away_from_control("G54") == {}
    measurement = shop.session.planner.measurement_of(point_at(shop.session.setup, shop.session.setup.drawn("seat")))
    shop.orders.repeat(measurement, 6)
    repeated = taken(shop.come()).taken.repeated
    assert [len(item.values) for item in repeated] == [6, 6, 6]
    assert 0 < repeated[0].spread < 0.003
    known = Inspection(shop.session)
    shop.orders.plan(inspection_plan(known))
    taken(shop.come())
    part = Inspection(shop.session).take("1")
    assert all(line.value is not None for line in part.lines)
    # A plan that would be another program now is not taken for the one that ran.
    shop.orders.plan(plan)
    shop.session.working.setup = replace(shop.session.setup, start_uncertainty=2.0)
    (outcome,) = shop.come()
    assert "has changed since" in str(outcome.error)
    with pytest.raises(PlanError, match="no repeatability"):
        shop.orders.repeat(measurement, 1)


def test_a_linked_control_is_answered_in_a_wear_and_in_a_row(tmp_path):
    path = demo_shop(tmp_path / "shop") / "part.toml"
    asked = "depth -12 ±0.04 cut by T14 compensated by length"
    text = path.read_text(encoding="utf-8")
    assert asked in text
    path.write_text(text.replace(asked, "depth -12 ±0.04 target -11.97 moves G54 z"), encoding="utf-8")
    shop = Shop(tmp_path)
    known = Inspection(shop.session)
    shop.orders.plan(inspection_plan(known))
    taken(shop.come())
    assert known.take("1").source == "control"
    wear, row = known.correction(known.by_balloon("1")), known.correction(known.by_balloon("6"))
    with pytest.raises(PlanError, match="T0"):
        correction_program(known, row)
    shop.orders.correct("1", wear)
    taken(shop.come())
    machine = shop.served.control.machine
    assert machine.tool_value(12, RADIUS_WEAR) == pytest.approx(wear.new, abs=1e-4)
    with pytest.raises(PlanError, match="is not known"):
        shop.orders.correct("6", row)  # what the row holds at the control
    shop.orders.read_table()
    taken(shop.come())
    row = known.correction(known.by_balloon("6"))
    assert (row.old, row.new) != (0.0, 0.0)
    order = shop.orders.correct("6", row)
    assert "T0" not in order.text
    taken(shop.come())
    assert machine.offsets["G54"][2] == pytest.approx(row.new, abs=1e-4)
    assert shop.session.rows.state("G54") is RowState.STORED
    changes = {change.by: change.new for change in Inspection(shop.session).parts[-1].corrected}
    assert changes == {"T12 radius wear": wear.new, "G54 Z": row.new}
    shop.close()


def test_what_the_control_answers_by_itself_is_known_and_asked_for_once(shop):
    known, machine = Inspection(shop.session), shop.served.control.machine
    machine.write_tool(12, RADIUS_WEAR, 0.02)
    text = plan_text(inspection_plan(known))
    asked = '\n[[judge]]\nballoon = "1"\nunsure = "go on"\nagain = "go on"\nscrap = "go on"\ncorrect = true\n'
    shop.orders.plan(parse_plan(text + asked, "inspect"))
    told = taken(shop.come()).taken.behind
    new = machine.tool_value(12, RADIUS_WEAR)
    assert new == pytest.approx(0.02 - 0.00375, abs=3e-4)
    assert told == f"T12 radius wear is {signed_dim(new, 4)} now: the control answered it."
    assert shop.session.link.tool_figure(12, RADIUS_WEAR) == pytest.approx(new, abs=1e-4)
    shop.session.close()
    shop.open()  # known again after a start
    known = Inspection(shop.session)
    part = known.take("1")
    assert [(change.by, change.old) for change in part.corrected] == [("T12 radius wear", 0.02)]
    assert part.line("1").wear == pytest.approx(0.02)
    assert known.correction(known.by_balloon("1")).why.startswith("waits for a part")


def test_the_controls_table_comes_by_a_program_or_a_file_and_says_how_old_it_is(shop, tmp_path):
    assert shop.session.real.age("G55") == "never read"
    machine = shop.served.control.machine
    machine.write_offset("G55", (-1.5, -2.5, -3.5))
    machine.write_tool(12, RADIUS_WEAR, 0.02)
    shop.orders.read_table()
    outcome = taken(shop.come())
    assert "rows" in outcome.taken.told
    assert shop.session.link.table_values("G55")["y"] == -2.5
    assert shop.session.real.active.row == "G54"
    assert shop.session.machine.tools[5].length == pytest.approx(machine.tools[5].length, abs=1e-4)
    assert shop.session.link.tool_figure(12, RADIUS_WEAR) == pytest.approx(0.02)
    saved = tmp_path / "saved.csv"
    saved.write_text("row,unit,x,y,z\nG55,mm,-9.5,-2.5,-3.5\n")
    os.utime(saved, (time.time() - 840, time.time() - 840))
    assert "1 rows as of" in take_table(shop.session, saved)
    assert shop.session.real.age("G55") == "14 min ago"
    assert shop.session.real.is_old("G55", 10)
    os.utime(saved, (time.time() + 9000, time.time() + 9000))
    assert "ahead of this clock" in take_table(shop.session, saved)
    # As the control saves it, by the columns that its profile names.
    own = tmp_path / "own.csv"
    own.write_text("WPC;DX;DY;DZ\n54;1,0;2;3\n".replace("1,0", "1.0") + "55;-7.5;-2.5;-3.5\n")
    columns = SavedTable(row="WPC", x="DX", y="DY", z="DZ", units="mm", prefix="G", separator=";")
    assert [(row.row, row.values["x"]) for row in from_saved(own.read_bytes(), "own", columns)] == [
        ("G54", 1.0),
        ("G55", -7.5),
    ]
    for bad, reason in (
        (b"A;B\n", "no column"),
        (b"WPC;DX;DY;DZ\n54;1.0;2\n55;1;2;3\n", "holds 3 of 4 columns"),
        (b"WPC;DX;DY;DZ\n54;1.0\r2;3;4", "no CSV"),
        (b"WPC;DX;DY;DZ;DX\n54;1.0;2;3;4", "two columns"),
        (b'WPC;DX;DY;DZ;N\n54;1;2;3;"A\n55;1;2;3;B\n', "never closed"),
    ):
        with pytest.raises(TableFileError, match=reason):
            from_saved(bad, "own", columns)
    assert len(from_saved(b"WPC;DX;DY;DZ\n54;1.0;2;3\n\nEND\n", "own", columns)) == 1
    # Rows that are known may be written by one program; where somebody changed one meanwhile, it stops.
    for name in ("top", "left", "front"):
        shop.measure(name)
        taken(shop.come())
    shop.orders.write_rows(["G54"])
    taken(shop.come())
    machine.write_offset("G54", (1.0, 2.0, 3.0))
    shop.orders.write_rows(["G54"])
    assert shop.come(1.5) == []
    assert any("HOLDS SOMETHING ELSE" in line for line in shop.said)


def test_the_setters_reference_and_a_tools_length(shop):
    session, machine = shop.session, shop.served.control.machine
    setter = session.setup.shelf.setter
    with pytest.raises(PlanError, match="reference"):
        shop.orders.tool_length(12)
    master = next(tool for tool in session.setup.hand_tools if tool.tool_number == setter.master)
    # The master stands on the setter: its spindle Z as a person reads it off the control.
    stands = session.setup.machine.table[4] + setter.height + master.length
    shop.orders.set_to(*reference_prepared(session, stands))
    taken(shop.come())
    assert session.rows.state(setter.row) is RowState.STORED
    shop.orders.tool_length(12)
    outcome = taken(shop.come())
    true = machine.tools[12].length
    assert session.setup.shelf.cutter(12).length == pytest.approx(true, abs=0.02)
    assert "long" in outcome.taken.told
    assert 12 not in session.real.told.lengths  # nobody said that the control's table has it

    shop.orders.tool_length(12)
    shop.said.clear()
    while not shop.said or "ended" not in shop.said[-1]:
        shop.served.pass_time(0.05)
    broken(session, 12)
    (outcome,) = shop.come()
    assert "T12 or the setter was changed since" in str(outcome.error)
    assert session.setup.shelf.cutter(12).health is Health.BROKEN


def _typed(session):
    edit(session, "G54", {"x": -400.0}, "another stop")


def _datum(session):
    session.datums.take_datum("G54", "x", "seat", onto=False)


def _warm(session):
    """Figures of the drawing are longer at once; nobody was asked."""
    conditions = Conditions(temperature=Temperature(30.0, "steel"))
    plan = session.setup.row("G54")
    rules = {**plan.rules, "y": replace(plan.rules["y"], drawing=100.0)}
    session.working.setup = replace(session.setup, conditions=conditions).with_row(replace(plan, rules=rules))


def _stale_and_typed(session):
    session.editor.mark_stale("G54", "looked at")
    _typed(session)


def _by_touches(shop):
    for name in ("top", "left", "front"):
        shop.measure(name)
        taken(shop.come())
    shop.orders.store("G54")


@pytest.mark.parametrize(
    ("change", "state", "told"),
    [
        (_typed, RowState.TYPED, "typed anew, and not written yet"),
        (_datum, RowState.STALE, "datum of X changed"),
        (_warm, RowState.STALE, "what it counts with was changed since O2"),
    ],
)
def test_what_was_changed_while_a_store_was_on_its_way_is_not_undone(shop, change, state, told):
    session = shop.session
    _by_touches(shop)
    change(session)
    wanted = session.ledger.valued("G54").values
    assert told in taken(shop.come()).taken.behind
    assert session.ledger.facts("G54").state is state
    if state is RowState.TYPED:
        assert session.ledger.valued("G54").values == wanted
        assert session.real.table_values("G54")["x"] != wanted["x"]  # the control has what the program set


def test_a_value_typed_while_a_plan_was_on_its_way_still_waits_and_is_written(shop):
    session = shop.session
    shop.orders.plan(plan_of_features("G54 by plan", "G54", ["top", "left", "front"]))
    _typed(session)
    assert "typed anew, and not written yet" in taken(shop.come()).taken.behind
    assert session.ledger.valued("G54").values["x"] == -400.0
    with pytest.raises(PlanError, match="another value was typed since"):
        shop.orders.prove("G54")
    shop.orders.write_rows(["G54"])
    taken(shop.come())
    assert session.ledger.facts("G54").state is RowState.STORED


@pytest.mark.parametrize(
    ("change", "why"),
    [
        (_typed, "What was stored of G54 holds no more: another value was typed since"),
        (_stale_and_typed, "What was stored of G54 holds no more: another value was typed since"),
        (_datum, "G54 was changed since O2554 was handed over"),
        (_warm, "G54 was changed since O2554 was handed over"),
    ],
)
def test_nothing_is_proved_that_was_changed_while_the_proof_was_on_its_way(shop, change, why):
    session = shop.session
    _by_touches(shop)
    taken(shop.come())
    order = shop.orders.prove("G54")
    change(session)
    (outcome,) = shop.come()
    assert outcome.error.what == why.replace("O2554", order.label)
    assert not any(entry.kind is EntryKind.PROVED for entry in session.ledger.history("G54"))


def test_a_file_of_somebody_elses_is_not_overwritten(shop):
    path = shop.folder / "control" / "programs" / "O2100.nc"
    path.write_text("%\nO2100 (THEIR PART)\nG0 X0\nM30\n%\n")
    with pytest.raises(LinkError, match="somebody else"):
        shop.measure("left")
    assert "THEIR PART" in path.read_text()
    assert [order.state for order in shop.orders.folder.all()] == [OrderState.GIVEN_UP]
    path.unlink()
    order = shop.measure("left")
    # A control that strips comments and blanks still keeps our program: it may be written over.
    path.write_text(plainly(order.text))
    shop.measure("front")
    shop.orders.give_up(shop.orders.waiting[-1])
    assert not path.exists()
    shutil.rmtree(path.parent)
    with pytest.raises(LinkError, match="is not there"):
        shop.measure("left")


def test_another_jobs_report_is_laid_down_where_it_belongs(tmp_path):
    shop = Shop(tmp_path)
    second = tmp_path / "second"
    shutil.copytree(shop.folder, second)
    for path in (shop.folder / "control").rglob("*.nc"):
        path.unlink()
    job = second / "job.toml"
    job.write_text(job.read_text().replace('name = "BC-27 batch"', 'name = "BC-27 other"\nprogram = 4100'))
    theirs = Orders(open_job(second, shop.data, roll=0), second, shop.data)
    order = theirs.measure(
        theirs.session.planner.measurement_of(point_at(theirs.session.setup, theirs.session.setup.drawn("left")))
    )
    program = next((second / "control" / "programs").glob("*.nc"))
    shutil.copy(program, shop.folder / "control" / "programs" / program.name)
    (outcome,) = shop.come()
    assert outcome.offered == str(second)
    assert shop.session.measured == {}
    (outcome,) = theirs.take_offered()
    assert outcome.order.key == order.key
    assert theirs.take_offered() == []
    (lone,) = shop.orders.take_file(b"BRISK 1 BEGIN O9999 I1\nBRISK 1 END N0\n", "x")
    assert "belongs to no program of this job" in str(lone.error)
    theirs.session.close()
    shop.close()


def test_by_wire_alone_fed_line_by_line(tmp_path, free_port):
    link = (
        f'[link]\nprograms = "wire"\nreports = "wire"\nport = "socket://127.0.0.1:{free_port}"\n'
        "start_codes = [18]\nend_codes = [20]\nfed = true\n"
    )
    shop = Shop(tmp_path, link)
    sent = []
    session = shop.session
    measurement = session.planner.measurement_of(point_at(session.setup, session.setup.drawn("left")))
    shop.orders.measure(measurement, lambda done, of: sent.append(done) or True)
    assert sent[-1] == len(sent) > 50
    taken(shop.come(12.0))
    assert "left" in shop.session.measured
    shop.close()


def test_a_control_that_prints_nothing_gives_its_variables(tmp_path):
    shop = Shop(tmp_path)
    path = shop.folder / "machine.toml"
    text = path.read_text(encoding="utf-8").replace('profile = "skip-macro"', 'profile = "probe-params"')
    path.write_text(text.replace('reports = "files"\nreport_file = "control/printed.txt"', 'reports = "nothing"'))
    shop.close()
    served = ServedMachine(shop.folder, shop.data, auto=True, speed=1e6)
    session = open_job(shop.folder, shop.data, roll=0)
    orders = Orders(session, shop.folder, shop.data)
    orders.measure(session.planner.measurement_of(point_at(session.setup, session.setup.drawn("left"))))
    assert "brisk-anchor take FILE" in waiting_words(orders, LinkState())[1]
    saved, until = shop.folder / "control" / "variables.txt", time.monotonic() + 8
    while not saved.exists() and time.monotonic() < until:
        served.pass_time(0.05)
    data = saved.read_bytes()
    with pytest.raises(ReportError, match="was saved before O2100 ran to its end"):
        orders.take_variables(b"1 2.0\n", "v")
    begun = orders.waiting[-1].results[0].variables[0]
    lacking = "".join(f"{line}\n" for line in data.decode().splitlines() if int(line.split()[0]) <= begun)
    with pytest.raises(ReportError, match="has no variable"):
        orders.take_variables(lacking.encode(), "v")
    with pytest.raises(ReportError, match="line 1 is no variable"):
        orders.take_variables(b"G0 X1\n", "v")
    taken(orders.take_variables(data, "v"))
    assert "left" in session.measured
    with pytest.raises(ReportError, match="No program waits"):
        orders.take_variables(data, "v")
    # The same variables hold what the program before has left: of a run that was broken off too.
    orders.measure(session.planner.measurement_of(point_at(session.setup, session.setup.drawn("front"))))
    with pytest.raises(ReportError, match="was saved before O2100 ran to its end"):
        orders.take_variables(data, "v")
    lines, memory = orders.waiting[-1].text.splitlines(), dict(served.control.memory.common)
    assert memory[begun] == orders.folder.all()[0].identity
    first = next(n for n, line in enumerate(lines) if f"#{begun}=0" in line)
    assert first < next(n for n, line in enumerate(lines) if "G38" in line)
    assert any(f"#{begun}={orders.waiting[-1].identity}" in line for line in lines[-4:])
    # The table: rows as they stand, and the row that is active without our program.
    orders.give_up(orders.waiting[-1])
    served.control.machine.write_offset("G55", (-1.5, -2.5, -3.5))
    saved.unlink()
    orders.read_table()
    until = time.monotonic() + 8
    while not saved.exists() and time.monotonic() < until:
        served.pass_time(0.05)
    assert "9 rows; G54 is active" in taken(orders.take_variables(saved.read_bytes(), "v")).taken.told
    assert session.link.offset("G55") == pytest.approx((-1.5, -2.5, -3.5))
    # A tool's length: where the check fails this control can only end, which it does far from here.
    setter = session.setup.shelf.setter
    master = next(tool for tool in session.setup.hand_tools if tool.tool_number == setter.master)
    stands = session.setup.machine.table[4] + setter.height + master.length
    for handed in (
        lambda: orders.set_to(*reference_prepared(session, stands)),
        lambda: orders.tool_length(12),
    ):
        saved.unlink()
        handed()
        until = time.monotonic() + 8
        while not saved.exists() and time.monotonic() < until:
            served.pass_time(0.05)
        outcome = taken(orders.take_variables(saved.read_bytes(), "v"))
    assert "T12 is 131.4180 mm" in outcome.taken.told
    session.close()
    served.close()


def test_the_panel_of_a_served_machine(shop):
    far = shop.served
    far.auto = False
    with pytest.raises(PlanError, match="no program"):
        far.load("O7")
    with pytest.raises(PlanError, match="nothing on this panel"):
        far.do("dance")
    for words, told in (
        ("home", "home"),
        ("tool 20", "T20 is in the spindle"),
        ("jog X -10", "X −10.000 mm"),
        ("door", "open"),
        ("door", "shut"),
        ("optional", "on"),
        ("list", "no program"),
        ("mdi G54", "runs"),
    ):
        assert told in far.do(words)
    while far.player is not None:
        far.pass_time(0.1)
    for wrong in ("jog X far", "tool probe", "hold", "start"):
        with pytest.raises((PlanError, GuardError)):
            far.do(wrong)
    far.speed = 1.0
    shop.measure("left")
    far.pass_time(0.01)
    far.do("load")
    far.do("start")
    far.pass_time(0.05)
    assert "held" in far.do("hold")
    with pytest.raises(GuardError, match="under way"):
        far.do("home")
    assert "held O2100.nc" in far.where
    assert far.do("start") == "running"
    far.do("reset")
    assert far.player is None


def test_nothing_at_this_end_moves_a_real_machine(shop):
    session = shop.session
    for act in (
        lambda: session.panel.jog("x", 1.0),
        session.panel.home,
        session.panel.reset,
        session.panel.start,
        lambda: session.panel.mdi("G0 X0"),
        lambda: session.panel.change_tool(1),
        lambda: session.panel.turn_half_round(turned=True),
        lambda: session.panel.start_loaded("x", "M30"),
        lambda: session.runner.measure(
            session.planner.measurement_of(point_at(session.setup, session.setup.drawn("left")))
        ),
    ):
        with pytest.raises(GuardError, match="its own control"):
            act()
    with pytest.raises(PlanError):
        session.link.write_tool_figure(5, 10, 100.0)
    session.link.write_tool_length(5, 100.0)
    session.link.write_row("G54", {"x": 1.0, "y": 2.0, "z": 3.0})
    assert session.link.offset("G54") == (0.0, 0.0, 0.0)  # only what the control says is known of it
    assert session.link.report() == []


def test_only_one_window_listens_to_a_link(shop):
    first, second = (link_lock(shop.session.link_settings, shop.data) for _ in range(2))
    first.acquire(timeout=0)
    from brisk_anchor.services.orders.listening import Listening

    states = []
    listening = Listening(
        shop.session.link_settings, None, {}, shop.orders.folder.path, shop.data,
        lambda _heard: None, lambda _mark: None, lambda state: (states.append(state), listening.stop()),
    )  # fmt: skip
    listening.run()
    assert [state.busy for state in states] == [True]
    assert "another window" in link_words(shop.orders, states[0])
    first.release()
    second.acquire(timeout=0)
    second.release()


@pytest.mark.parametrize(
    ("link", "told"),
    [
        ('programs = "files"\nreports = "nothing"', "give program_folder"),
        ('programs = "nothing"\nreports = "files"', "give report_file"),
        ('programs = "wire"\nreports = "wire"', "needs its port"),
        ('programs = "wire"\nreports = "wire"\nport = "spy://x"', "device's name"),
        ('programs = "wire"\nreports = "wire"\nport = "socket://h:1"\nparity = "even"', "no parity"),
        ('programs = "wire"\nreports = "wire"\nport = "rfc2217://converter"', "has a name and a number"),
        ('programs = "wire"\nreports = "wire"\nport = "/dev/ttyS0"\nspeed = 9601', "speed"),
        ('programs = "nothing"\nreports = "nothing"\njog = true', "jog"),
    ],
)
def test_a_link_that_makes_no_sense_is_refused_with_its_field(tmp_path, link, told):
    folder = demo_shop(tmp_path / "shop")
    path = folder / "machine.toml"
    text = path.read_text(encoding="utf-8")
    start, end = text.index("[link]"), text.index("\n[probe]")
    path.write_text(f"{text[:start]}[link]\n{link}\n{text[end:]}", encoding="utf-8")
    with pytest.raises(JobError) as caught:
        load_job(folder)
    assert told in str([finding.reason for finding in caught.value.findings]) or told in str(caught.value.findings)


def test_typed_positions_are_one_more_source(shop):
    positions = shop.session.typed_positions
    assert shop.session.positions.read() is None
    reading = positions.typed("-400, -250.5, -1in", PositionFrame("G54", (1.0, 2.0, 3.0)), Unit.MM)
    assert reading.spindle == pytest.approx((-399.0, -248.5, -22.4))
    positions.keep(reading)
    assert shop.session.positions.read().fresh
    assert not reading.live
    assert reading.words == "typed now, work position in G54, without tool length"
    assert not replace(reading, at=reading.at.replace(year=2020)).fresh
    with pytest.raises(Exception, match="three figures"):
        positions.typed("1, 2", PositionFrame(), Unit.MM)


def far_says(served: ServedMachine) -> list[str]:
    """What the far machine says while it works on for a moment."""
    said: list[str] = []
    served.told = said.append
    for _ in range(400):
        served.pass_time(0.1)
        if any("has ended" in line or "Alarm" in line for line in said):
            break
    return said


def test_from_the_command_line_with_a_far_machine_that_is_killed_in_the_middle(tmp_path):
    folder = demo_shop(tmp_path / "shop")
    run = CliRunner()
    job = ["--job", str(folder)]
    assert "is there" in run.invoke(cli, ["link", "test", str(folder)]).output
    assert run.invoke(cli, ["order", "measure", "left", *job]).exit_code == 0
    command = [sys.executable, "-m", "brisk_anchor", "machine", "serve", str(folder), "--speed", "60"]
    far = subprocess.Popen(command, stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True)
    far.stdin.write("home\nload O2100\nstart\n")
    far.stdin.flush()
    printed = folder / "control" / "printed.txt"
    until = time.monotonic() + 20
    while time.monotonic() < until and not (printed.exists() and b"TOOL" in printed.read_bytes()):
        time.sleep(0.02)
    far.kill()
    far.communicate()
    told = run.invoke(cli, ["take", str(folder / "nowhere.txt"), *job])
    assert told.exception.one_line() == (
        "nowhere.txt cannot be read: No such file or directory. Nothing was taken. Check its name and place."
    )
    assert run.invoke(cli, ["take", "x"]).exception.one_line().startswith("Which job? A linked control belongs")
    told = run.invoke(cli, ["take", str(printed), *job])
    assert told.exit_code == 2 or "came from the control" in told.output
    served = ServedMachine(folder, tmp_path / "home", auto=True, speed=1e6)
    served.do("load")
    served.do("home")
    served.do("start")
    while served.player is not None:
        served.pass_time(0.1)
    served.close()
    told = run.invoke(cli, ["take", str(printed), *job])
    assert "left edge came from the control" in told.output
    assert "cut off" in told.output
    listed = json.loads(run.invoke(cli, ["order", "list", "--json", *job]).output)
    assert [order["state"] for order in listed] == ["taken"]
    # The inspection, its part, and what that part asks for.
    for words, told in (
        (["order", "inspect"], "6 features came"),
        (["results", "take", "1"], "part 1: cut again"),
        (["order", "correct", "1"], "the control has written it"),
    ):
        served = ServedMachine(folder, tmp_path / "home", auto=True, speed=1e6)
        handed = run.invoke(cli, [*words, *job])
        assert handed.exit_code == 0, handed.exception
        if words[0] == "order":
            said = far_says(served)
            assert any("has ended" in line for line in said), said
            handed = run.invoke(cli, ["take", str(printed), *job])
        served.close()
        assert told in handed.output
    assert "corrected T12 radius wear" in run.invoke(cli, ["results", "show", *job]).output
    written = run.invoke(cli, ["results", "correct", "3", "--write", *job])
    assert "order correct 3" in str(written.exception)
    assert "Nothing is to be corrected by 4" in str(run.invoke(cli, ["order", "correct", "4", *job]).exception)
    assert run.invoke(cli, ["order", "measure", "nowhere", *job]).exit_code
    assert run.invoke(cli, ["order", "list"]).exit_code
