"""A lathe at work without a screen: zeros, refusals, tables, family, tools, targets, book. Oracles by hand."""

from __future__ import annotations

import json
import re
from dataclasses import replace
from pathlib import Path

import pytest
from typer.testing import CliRunner

from brisk_anchor.book.entries import EntryKind, RowState
from brisk_anchor.cli.commands import app_for
from brisk_anchor.core.errors import (
    BookWriteError,
    BriskAnchorError,
    DatumError,
    ExportError,
    GuardError,
    JobError,
    NumberEntryError,
    StateError,
    TableFileError,
)
from brisk_anchor.core.offsets.checks import SecondLookError
from brisk_anchor.core.turning.targets import ApproachStage
from brisk_anchor.core.turning.zero import Destination, Method, MovedError
from brisk_anchor.drawings.turning import TurningSheet, turning_sheet
from brisk_anchor.exchange.presetter import PresetterColumns, parse_presetter
from brisk_anchor.nc.read.interpreter import Interpreter, Status
from brisk_anchor.services.machine.runs import RunStopped
from brisk_anchor.services.turning.family import choose_member, pending
from brisk_anchor.services.turning.turning_session import TurningSession
from brisk_anchor.services.turning.turning_sheet import write_turning_sheet
from brisk_anchor.services.turning.turning_words import history_lines, next_step, question_of, tip_number
from tests.turning.lathe_helpers import face, ready, sleeve, store_both, to_work, turn

TRUE_ZERO = -435.92 + 30 + 0.38 + 52
"""Where the finished face really belongs: chuck face, jaws, its shift, what stands out."""
READOUT = (
    'control = "turn-macro"         # a profile; "readout" for a lathe with a readout alone',
    'control = "readout"',
)
TYPED = ('connection = "stand-in"', 'connection = "none"')
KNOWN_T1 = (
    "[[stand_in.tool]]\noffset = 1",
    "[[stand_in.table]]\noffset = 1\nx = -231.0\nz = 42.35\n\n[[stand_in.tool]]\noffset = 1",
)
PRESETTER = (
    '\n[presetter]\nnumber = "T"\nx = "X"\nz = "Z"\nnose = "R"\nx_is = "radius"\nlength_units = "mm"\nspread = 0.01\n'
)


def test_from_an_empty_turret_to_zeros_that_are_proved(tmp_path: Path):
    """T1 has no geometry, so it is the reference: its Z counts 0, and the next tool is measured against it."""
    session = ready(sleeve(tmp_path))
    proposal = face(session, 0.8)
    assert (proposal.row, proposal.destination) == ("G54", Destination.WORK)
    assert proposal.value == pytest.approx(TRUE_ZERO + 42.35, abs=0.006)
    assert [term.label for term in proposal.total.terms][2:] == ["measured from the jaws", "wanted there"]
    session.zero.store()
    proposal = turn(session)
    assert (proposal.row, proposal.destination) == ("T1 geometry", Destination.GEOMETRY)
    assert proposal.value == pytest.approx(-231.0, abs=0.0011)
    session.zero.store()
    assert session.prove("G54").holds
    assert session.state("G54") is RowState.PROVED
    groover = session.job.setup.tool(3)
    session.to_index_place()
    session.turn_turret(groover)
    session.bring_near()
    x, z = session.machine.place
    session.machine.jog((x - 24.0, z), 500)  # over the face
    session.touch(Method.FELT_FACE)
    known = session.zero.face_in_program
    assert known is not None
    proposal = session.zero.measured(known.value)
    assert (proposal.row, proposal.destination) == ("T3 geometry", Destination.GEOMETRY)
    assert proposal.value == pytest.approx(38.114 - 42.35, abs=0.0021)
    gauges = [e for source, e in proposal.total.result.effects.items() if "depth gauge" in source.name]
    assert gauges == pytest.approx([0.0] * len(gauges)), "how the face was measured does not matter for a tool"
    session.zero.store()
    assert "T3 geometry" in session.desk.programs
    session.close()


def test_a_movement_in_the_wrong_axis_is_refused_with_a_live_readout(tmp_path: Path):
    session = ready(sleeve(tmp_path))
    with pytest.raises(DatumError, match="Nothing has been cut"):
        session.zero.begin(Method.FACE)
    face(session)
    session.jog("x", 5.0)
    session.zero.begin(Method.FACE)
    session.jog("z", 0.001)
    with pytest.raises(MovedError, match="Z moved by"):
        session.zero.begin(Method.FACE)
    with pytest.raises(MovedError, match="X moved by"):
        session.zero.begin(Method.TURN)
    session.jog("z", -0.001)
    session.machine.cut_by = 3
    with pytest.raises(DatumError, match="made by offset 3, and T1"):
        session.zero.begin(Method.FACE)
    turn(session)
    with pytest.raises(BriskAnchorError, match="Z moved by"):
        session.zero.begin(Method.FACE)
    session.close()


@pytest.mark.parametrize(
    ("spoil", "told"),
    [
        (lambda s: setattr(s.machine, "homed", False), "not homed"),
        (lambda s: s.spindle(), "spindle turns"),
        (lambda s: setattr(s.machine, "offset_number", 3), "Offset 3 is active"),
        (lambda s: setattr(s.machine, "alarm", "door"), "alarm stands"),
    ],
)
def test_what_must_not_go_on_stops_before_a_figure_is_asked(tmp_path: Path, spoil, told):
    session = ready(sleeve(tmp_path))
    face(session)
    spoil(session)
    with pytest.raises(SecondLookError, match=told):
        session.zero.begin(Method.FACE)
    session.close()


def test_a_radius_a_wrong_gauge_and_a_jump_are_noticed(tmp_path: Path):
    session = ready(sleeve(tmp_path, KNOWN_T1))
    store_both(session)
    with pytest.raises(SecondLookError, match="about half or twice"):
        turn(session, 24.99)
    turn(session, 120.0)
    assert any("goes from" in finding.found for finding in session.zero.findings)
    with pytest.raises(SecondLookError, match="would jump by"):
        session.zero.store()
    face(session, figure=27.0)
    with pytest.raises(SecondLookError, match="would jump by"):
        session.zero.store()
    assert session.machine.tables.work["G54"][1] == pytest.approx(TRUE_ZERO, abs=0.02)
    session.close()


def test_where_a_value_goes_is_said_and_chosen_and_wear_is_zeroed_or_kept(tmp_path: Path):
    session = ready(sleeve(tmp_path))
    store_both(session)
    session.tools.new_insert(session.job.setup.tool(1), same_nose=True)
    assert session.machine.tables.wear[1] == (0.3, 0.0)
    small = turn(session)
    assert small.destination is Destination.WEAR
    assert small.value == pytest.approx(0.0, abs=0.002)
    assert "wear" in small.why
    assert session.zero.next_destination().destination is Destination.WORK
    assert any("spindle axis" in finding.found for finding in session.zero.findings)
    again = session.zero.next_destination()
    assert again.destination is Destination.GEOMETRY
    assert again.wear_becomes == 0.0
    kept = session.zero.other_wear()
    assert kept.wear_becomes is None
    assert kept.value == pytest.approx(again.value - 0.3)
    session.zero.other_wear()
    session.zero.store()
    assert session.machine.tables.wear[1] == (0.0, 0.0)
    assert session.machine.tables.geometry[1][0] == pytest.approx(-231.0, abs=0.002)
    assert session.desk.take_back() == ("T1 geometry", "T1 wear")
    assert session.machine.tables.wear[1] == (0.3, 0.0)
    with pytest.raises(DatumError, match="Nothing was stored"):
        session.desk.take_back()
    session.close()


def test_a_tool_referred_to_the_centre_of_its_nose_gets_r_and_twice_r(tmp_path: Path):
    centre = ("T1 outside nose 0.4 sticks 25", "T1 outside nose 0.4 sticks 25 centre")
    session = ready(sleeve(tmp_path, centre))
    assert tip_number(session, session.job.setup.tool(1)) == 9
    assert tip_number(session, session.job.setup.tool(3)) == 3
    face(session)
    assert session.zero.proposal is not None
    corner = session.zero.proposal.value
    session.zero.store()
    assert corner == pytest.approx(TRUE_ZERO + 42.35 - 0.4, abs=0.006), "G of the centre is 0 here: W takes the radius"
    known = session.zero.face_in_program
    assert known is not None
    front = session.machine.metal.bounds[2]
    assert known.value == pytest.approx(front - TRUE_ZERO, abs=0.006), "the corner cut it, not the centre"
    proposal = turn(session)
    assert proposal.value == pytest.approx(-231.0 - 0.8, abs=0.0011), "its centre lies 2R further out in diameter"
    session.zero.store()
    assert session.prove("G54").holds
    # What the control does with it: the centre is where a program sends it, the corner 2R and R nearer to the work.
    twin, profile = session.machine.twin(seed=None), session.job.profile
    twin.put(session.job.setup.lathe.index_at)
    twin.spindle = 5
    assert profile is not None
    control = Interpreter("G54\nT0101\nG90 G0 Z60.\nX70.\nM0\nM30\n", profile, twin)
    assert control.run() is Status.STOPPED
    stood = twin.tip()
    assert stood == pytest.approx((70.0 - 0.8, TRUE_ZERO + 60.0 - 0.4), abs=0.006)
    assert session.targets.place() == pytest.approx(
        (session.machine.tip()[0], session.machine.tip()[1] - TRUE_ZERO), abs=0.006
    )
    session.close()


@pytest.mark.parametrize(("edge", "leads"), [("front", 3.02), ("chuck", 0.0)])
def test_a_blade_meets_a_face_with_its_edge_on_the_chucks_side(tmp_path: Path, edge: str, leads: float):
    groover = ("groover width 3.02 edge chuck", f"groover width 3.02 edge {edge}")
    session = ready(sleeve(tmp_path, groover, KNOWN_T1))
    face(session)
    session.zero.store()
    to_work(session, 3)
    assert session.machine.tip()[1] - session.machine.metal.bounds[2] == pytest.approx(5.0 + leads, abs=0.6)
    x, z = session.machine.place
    session.machine.jog((x - 24.0, z), 500)
    session.touch(Method.FELT_FACE)
    proposal = session.zero.measured(session.zero.face_in_program.value)  # type: ignore[union-attr]
    assert proposal.value == pytest.approx(38.114, abs=0.0021)
    assert ("width of the blade" in [term.label for term in proposal.total.terms]) is bool(leads)
    assert any("width" in words for words in proposal.chain.without) is bool(leads)
    assert not any("typed" in words for words in proposal.chain.without)
    known = session.zero.face_in_program.value  # type: ignore[union-attr]
    as_shown = session.zero.measured(round(known, 3) + 0.001)
    assert as_shown.value == pytest.approx(proposal.value), "it is what was measured, with its ±"
    assert session.zero.measured(known + 0.01).chain.without[-1] == "Z of the face under the feeler: as it was typed"
    session.zero.measured(known)
    session.zero.store()
    session.jog("z", 5.0)
    session.to_index_place()
    assert session.desk.near_look("G54", 3).z == pytest.approx(1.5 + 5.0 + leads)
    session.close()


def test_nothing_moves_for_a_measurement_that_may_not_begin(tmp_path: Path):
    session = ready(sleeve(tmp_path))
    at = session.machine.place
    with pytest.raises(DatumError, match="not swept with a dial"):
        session.touch(Method.DIAL)
    session.machine.offset_number = 3
    with pytest.raises(SecondLookError, match="Offset 3 is active"):
        session.touch(Method.FELT_DIAMETER)
    assert session.machine.place == at
    session.close()


def test_a_bore_is_measured_with_its_own_gauge_and_left_along_the_axis(tmp_path: Path):
    tube = ("bar on 3 front 1.5 back 32", "bar tube 29 on 3 front 1.5 back 32")
    session = ready(sleeve(tmp_path, tube, seed=4))
    to_work(session, 5)
    proposal = turn(session, long=8.0, off=0.8)
    assert session.zero.begun is not None
    gauge = session.zero.gauge("bore")
    assert (session.zero.begun.what, gauge.kind.value) == ("bore", "bore gauge")
    off = proposal.value - -235.42
    assert off == pytest.approx(-session.machine.gauge_error(gauge), abs=0.0015), "no caliper's error comes in"
    session.machine.jog((session.machine.place[0], session.machine.place[1] - 9.0), 500)
    assert session.machine.in_bore
    session.to_index_place()
    assert session.machine.place == session.job.setup.lathe.index_at
    session.bring_near()
    session.machine.jog((session.machine.place[0], session.machine.place[1] - 9.0), 500)
    session.home()
    assert session.machine.place == session.job.setup.lathe.home
    session.close()


def test_what_was_measured_is_offered_until_it_is_cut_again_and_a_bore_is_no_outside(tmp_path: Path):
    tube = ("bar on 3 front 1.5 back 32", "bar tube 29 on 3 front 1.5 back 32")
    session = ready(sleeve(tmp_path, tube, KNOWN_T1))
    store_both(session)
    to_work(session, 5)
    turn(session, long=8.0, off=0.8)
    session.zero.store()
    outside, bore = (session.zero.known_diameter(bore=inside) for inside in (False, True))
    assert outside is not None
    assert (outside.value, bore.value) == (pytest.approx(51.0, abs=0.01), pytest.approx(29.8, abs=0.01))  # type: ignore[union-attr]
    work = session.targets
    work.choose(1)
    assert work.progress is not None
    assert work.progress.stops == pytest.approx((49.7, 48.4, 48.0, 48.0)), "from ⌀51: a bore is no size to start from"
    to_work(session, 1)
    session.spindle()
    session.cut_along(10.0, 1.0)
    session.spindle()
    assert session.zero.known_diameter(bore=False) is None
    assert session.zero.known_diameter(bore=True) is not None
    assert session.zero.face_in_program is not None
    x, z = session.machine.place
    session.machine.jog((x + 4.0, z), 500)
    session.machine.jog((x + 4.0, z - 9.0), 500)
    session.touch(Method.FELT_DIAMETER)
    assert question_of(session, Method.FELT_DIAMETER)[1:] == ("not measured since it was cut: type it", None)
    session.bring_near()
    session.spindle()
    session.cut_face(0.2)
    session.spindle()
    assert session.zero.face_in_program is None
    session.close()


def test_a_size_corrects_the_tool_that_cut_it(tmp_path: Path):
    second = ('"T3 groover', '"T1 offset 11 outside nose 0.4 sticks 25",\n  "T3 groover')
    real = (
        "[[stand_in.tool]]\noffset = 3",
        "[[stand_in.tool]]\noffset = 11\nx = -231.0\nz = 42.35\n\n[[stand_in.tool]]\noffset = 3",
    )
    session = ready(sleeve(tmp_path, second, real, KNOWN_T1))
    face(session)
    session.zero.store()
    work = session.targets
    work.choose(1)
    with pytest.raises(DatumError, match="The last cut was a face"):
        work.measured(51.0)
    turn(session)
    session.zero.store()
    work.measured(50.98)
    session.turn_turret(session.job.setup.tool(11))
    with pytest.raises(DatumError, match="measured with another"):
        work.take_offer()
    assert work.offer is None
    with pytest.raises(DatumError, match="The last cut was by offset 1, and T1 offset 11"):
        work.measured(50.98)
    assert 11 not in session.machine.tables.wear
    session.close()


@pytest.mark.parametrize("turned", [True, False])
def test_another_insert_in_the_tool_that_found_the_zero_changes_that_tool_alone(tmp_path: Path, turned: bool):
    session = ready(sleeve(tmp_path))
    face(session)
    session.zero.store()
    if turned:
        turn(session)
        session.zero.store()
    zero = session.machine.tables.work["G54"]
    session.tools.new_insert(session.job.setup.tool(1), same_nose=False)
    assert session.targets.unknown_reach == "xz"
    with pytest.raises(DatumError, match="reaches in X is not known"):
        session.prove("G54")
    session.machine.reality.geometry[1] = (-230.9, 42.15)  # type: ignore[index]
    session.machine.jog((session.machine.place[0] - 24.0, session.machine.place[1]), 500)
    session.touch(Method.FELT_FACE)
    proposal = session.zero.measured(session.zero.face_in_program.value)  # type: ignore[union-attr]
    assert (proposal.destination, proposal.value) == (Destination.GEOMETRY, pytest.approx(-0.2, abs=0.004))
    session.zero.store()
    assert session.machine.tables.work["G54"] == zero, "every other tool counts with it"
    session.close()


@pytest.mark.parametrize(
    ("key", "before", "after", "stale"),
    [
        ("zero", "", "jaws", ["G54"]),
        ("holding", "52 out", "50 out", ["G54"]),
        ("stock", "from 45", "from 44 45", []),
        ("tools", "T1 outside nose 0.4 sticks 25", "T1 outside nose 0.4 sticks 25 centre", ["T1 geometry"]),
        ("tools", "T1 outside nose 0.4 sticks 25", "T1 outside nose 0.8 sticks 25", []),
        ("tools", "T3 groover width 3.02 edge chuck", "T3 groover width 3.02 edge front", []),
        ("family", "RS-09-55 G55 55", "RS-09-55 G55 56", ["G55"]),
    ],
)
def test_what_a_value_counted_with_puts_it_out_of_date_when_it_is_described_otherwise(
    tmp_path: Path, key: str, before: str, after: str, stale: list[str]
):
    session = ready(sleeve(tmp_path))
    store_both(session)
    choose_member(session.desk, "G55")
    choose_member(session.desk, "G54")
    session.home()
    settled = ("G54", "G55", "T1 geometry")
    said = getattr(session.job.file.setup, key)
    lines = [line.replace(before, after) for line in said] if isinstance(said, list) else []
    session.change(key, lines or said.replace(before or said, after))
    wanted = [*stale, "G55"] if stale == ["G54"] else stale
    assert [row for row in settled if session.state(row) is RowState.STALE] == wanted
    session.close()


def test_a_file_that_is_changed_while_nothing_is_open_puts_out_of_date_what_counted_with_it(tmp_path: Path):
    session = ready(sleeve(tmp_path))
    store_both(session)
    choose_member(session.desk, "G55")
    session.close()
    path = tmp_path / "turning.toml"
    text = path.read_text()
    changes = (
        ("stage", ""),
        ("G55 55", "G55 56"),
        ("nose 0.4 sticks 25", "nose 0.4 sticks 25 centre"),
        ("52 out", "51 out"),
    )
    gone: list[str] = []
    for (before, after), stale in zip(changes, ([], ["G55"], ["T1 geometry"], ["G54"]), strict=True):
        path.write_text(text.replace(before, after))
        session = TurningSession.open(path, tmp_path, seed=None)
        gone += stale
        found = [row for row in ("G54", "G55", "T1 geometry") if session.state(row) is RowState.STALE]
        assert sorted(found) == sorted(gone), after
        session.close()


def test_a_presetters_list_puts_zeros_out_of_date_that_counted_with_other_figures(tmp_path: Path):
    """T1 found the zero with 0 in its table; T3 was felt against that; T5 is in the list and counts by itself."""
    (tmp_path / "list.csv").write_text("T,X,Z,R\nT1,-115.5,42.35,0.4\n5,-117.71,128.06,0.4\n")
    session = ready(sleeve(tmp_path, ("[stand_in]  ", PRESETTER + "\n[stand_in]  ")))
    face(session)
    session.zero.store()
    to_work(session, 3)
    session.machine.jog((session.machine.place[0] - 24.0, session.machine.place[1]), 500)
    session.touch(Method.FELT_FACE)
    session.zero.measured(session.zero.face_in_program.value)  # type: ignore[union-attr]
    session.zero.store()
    changes = session.tools.preset(tmp_path / "list.csv")
    assert session.tools.voided_by(changes) == ["G54", "T3 geometry"]
    session.tools.take_presets(changes, "list.csv")
    assert [session.state(row) for row in ("G54", "T3 geometry")] == [RowState.STALE] * 2
    assert session.state("T1 geometry") is RowState.STORED
    with pytest.raises(DatumError, match="not stored"):
        session.prove("G54")
    assert session.tools.voided_by(session.tools.preset(tmp_path / "list.csv")) == [], "it moves nothing now"
    session.close()


@pytest.mark.parametrize("x", [-231.0, -230.997, -230.999, -229.413])
def test_a_table_of_radii_holds_what_was_stored_as_nearly_as_it_can(tmp_path: Path, x: float):
    radii = ('control = "turn-macro"', 'control = "turn-table"')
    session = ready(sleeve(tmp_path, radii, ("x = -231.0\nz = 42.35", f"x = {x}\nz = 42.35")))
    turn(session)
    session.zero.store()
    assert session.machine.tables.geometry[1][0] == pytest.approx(x, abs=0.0011)
    assert session.state("T1 geometry") is RowState.STORED
    assert session.desk.estimate("T1 geometry", "x").expanded > 0.003
    session.close()


def test_an_axis_that_lies_off_zero_is_what_the_control_holds_for_x(tmp_path: Path):
    session = ready(sleeve(tmp_path, ("resolution = 0.001\n", "resolution = 0.001\naxis_x = -2.5\n")))
    assert session.machine.offset("G54") == (-1.25, 0.0, 0.0)
    turn(session)
    session.zero.store()
    assert session.machine.tables.geometry[1][0] == pytest.approx(-231.0, abs=0.0011)
    session.close()


def test_a_zero_is_proved_by_a_tool_that_counts_with_it_and_a_piece_comes_where_none_stands(tmp_path: Path):
    session = ready(sleeve(tmp_path))
    face(session)
    session.zero.store()
    session.to_index_place()
    session.turn_turret(session.job.setup.tool(3))
    session.machine.tables.geometry[3] = (-229.412, 0.0)
    with pytest.raises(DatumError, match="reaches in Z is not known, and G54 was found with another tool"):
        session.prove("G54")
    session.turn_turret(session.job.setup.tool(1))
    session.machine.tables.geometry[1] = (-231.0, 0.0)
    assert session.prove("G54").holds
    session.bring_near()
    session.spindle()
    session.cut_along(6.0, 1.0)
    session.spindle()
    session.machine.jog((session.machine.place[0], session.machine.place[1] - 9.0), 500)
    with pytest.raises(GuardError, match="in the way of a fresh piece"):
        session.new_stock()
    session.bring_near()  # away from the diameter it lies against before along it
    session.new_stock()
    session.close()


def test_a_family_follows_one_that_was_measured_and_is_chosen_by_one_key(tmp_path: Path):
    session = ready(sleeve(tmp_path))
    with pytest.raises(DatumError, match="No part of the family"):
        pending(session.desk, "G55")
    face(session)
    session.zero.store()
    zero = session.machine.tables.work["G54"][1]
    assert [session.state(row) for row in ("G55", "G56")] == [RowState.NOT_WRITTEN, RowState.NOT_WRITTEN]
    choice = pending(session.desk, "G56")
    assert (choice.moves, choice.written) == (pytest.approx(32.0), False)
    assert "+32.000" in choice.told
    choose_member(session.desk, "G56")
    assert session.row == "G56"
    assert session.machine.tables.work["G56"] == pytest.approx((0.0, zero + 32.0))
    chain = session.ledger.chain_of_values("G56")
    assert chain is not None
    assert chain.axis("z").u == pytest.approx(session.ledger.chain_of_values("G54").axis("z").u)  # type: ignore[union-attr]
    with pytest.raises(DatumError, match="reaches in X is not known"):
        session.prove("G56")
    turn(session)
    session.zero.store()
    assert session.prove("G56").holds
    session.close()


def test_a_family_follows_a_feeler_and_what_an_undo_brings_back(tmp_path: Path):
    session = ready(sleeve(tmp_path))
    face(session)
    session.zero.store()
    first = session.machine.tables.work["G54"][1]
    x, z = session.machine.place
    session.machine.jog((x, z + 3.0), 100.0)
    session.machine.jog((x - 30.0, z + 3.0), 100.0)
    session.touch(Method.FELT_FACE)
    face_at = session.zero.face_in_program
    assert face_at is not None
    session.zero.measured(face_at.value - 0.25)  # the same face, told a quarter of a millimetre nearer to the chuck
    session.zero.store()
    second = session.machine.tables.work["G54"][1]
    assert second - first == pytest.approx(0.25, abs=0.01)
    assert pending(session.desk, "G55").value == pytest.approx(second + 15.0)
    session.desk.take_back()
    assert pending(session.desk, "G55").value == pytest.approx(first + 15.0)
    choose_member(session.desk, "G55")
    assert pending(session.desk, "G56").value == pytest.approx(first + 32.0), "G55 follows, and nothing follows it"
    session.close()


def test_a_target_in_the_jaws_stops_the_store(tmp_path: Path):
    session = ready(sleeve(tmp_path, ('"seat: ⌀48 z -40', '"seat: ⌀48 z -53')))
    face(session)
    with pytest.raises(SecondLookError, match="behind the jaws"):
        session.zero.store()
    assert session.machine.tables.work == {}
    session.close()


def test_a_store_that_fails_leaves_table_and_book_as_they_were(tmp_path: Path, monkeypatch):
    session = ready(sleeve(tmp_path))
    face(session)
    session.machine.tables.work["common"] = (0.0, 0.5)
    with pytest.raises(RunStopped, match="common shift"):
        session.zero.store()
    assert "G54" not in session.machine.tables.work
    session.machine.tables.work.pop("common")

    def full(*_: object) -> None:
        raise BookWriteError("The disk is full", "Nothing was entered", "Make room")

    monkeypatch.setattr(session.ledger, "add_all", full)
    with pytest.raises(BookWriteError):
        session.zero.store()
    assert "G54" not in session.machine.tables.work
    assert session.ledger.history("G54") == []
    monkeypatch.undo()
    session.zero.store()
    session.ledger.add(EntryKind.LOCKED, "G54", None)
    face(session)
    with pytest.raises(DatumError, match="G54 is locked"):
        session.zero.store()
    session.close()


def test_a_readout_without_a_control_is_set_and_a_new_tool_finds_the_zero_again(tmp_path: Path):
    session = ready(sleeve(tmp_path, READOUT))
    face(session)
    _, program = session.zero.store()
    assert program is None
    turn(session)
    session.zero.store()
    with pytest.raises(DatumError, match="runs no programs"):
        session.look_program("G54")
    to_work(session, 7)
    x, z = session.machine.place
    session.machine.jog((x - 30.0, z), 500)
    session.touch(Method.FELT_FACE)
    session.zero.measured(session.zero.face_in_program.value)  # type: ignore[union-attr]
    session.zero.store()
    session.machine.jog((x, z + 2), 500)
    session.machine.jog((x, z - 9), 500)
    session.touch(Method.FELT_DIAMETER)
    session.zero.measured(session.zero.known_diameter(bore=False).value)  # type: ignore[union-attr]
    session.zero.store()
    tip, place = session.machine.tip(), session.targets.place()
    assert place is not None
    assert place[0] == pytest.approx(tip[0], abs=0.004)
    assert place[1] == pytest.approx(tip[1] - TRUE_ZERO, abs=0.012)
    session.close()


def test_typed_positions_say_that_nobody_can_tell(tmp_path: Path):
    """Worked example: machine −310.420, geometry 42.350, measured 86.15 for 85.00 gives −353.920."""
    out85 = ("jaws 30 high ⌀150, 52 out", "jaws 30 high ⌀150, 85 out")
    long = ("⌀48 to 40,", "⌀48 to 90,")
    session = sleeve(tmp_path, TYPED, KNOWN_T1, out85, long)
    with pytest.raises(DatumError, match="worked at its own control"):
        session.home()
    with pytest.raises(DatumError, match="Where the axes stand is not known"):
        session.zero.begin(Method.FACE)
    session.type_position(-182.640, -310.420)
    assert session.displayed() == session.zero.typed == (-182.640, -310.420)
    session.zero.begin(Method.FACE)
    proposal = session.zero.measured(86.15)
    assert proposal.value == pytest.approx(-353.920)
    assert any("Nobody can tell" in finding.why for finding in session.zero.findings)
    session.zero.later = 0.25
    session.zero.slide = 0.1
    assert session.zero.measured(86.15).value == pytest.approx(-353.920 + 0.25 + 0.1)
    session.zero.later = 0.0
    session.zero.measured(86.15)
    session.zero.store()
    assert session.targets.place()[1] == pytest.approx(1.15), "the tip stands where it cut, the slide as it is"  # type: ignore[index]
    session.zero.slide = 0.0
    assert session.targets.place()[1] == pytest.approx(1.05), "back on its mark it stands so much nearer"  # type: ignore[index]
    session.zero.begin(Method.FACE)
    session.zero.measured(86.15)
    session.zero.store()
    session.zero.begin(Method.TURN)
    assert session.zero.measured(48.360).value == pytest.approx(-231.0)
    session.zero.typed = (-258.600, -310.0)
    session.zero.begin(Method.TURN)
    assert session.zero.measured(-30.0).value == pytest.approx(-228.600), "cut beyond the axis"
    session.close()


def test_wear_presetter_dial_and_clamping(tmp_path: Path):
    (tmp_path / "list.csv").write_text("T,X,Z,R\nT1,-115.5,42.35,0.4\n3,-114.706,38.114,\n5,-117.71,128.06,0.4\n")
    centre = ("nose 0.4 sticks 110", "nose 0.4 sticks 110 centre")
    session = ready(sleeve(tmp_path, centre, ("[stand_in]  ", PRESETTER + "\n[stand_in]  ")))
    changes = session.tools.preset(tmp_path / "list.csv")
    assert changes[0].told.startswith("T1 ⌀ −231.000")
    session.tools.take_presets(changes, "list.csv")
    geometry = dict(session.machine.tables.geometry)
    assert geometry.pop(5) == pytest.approx((-235.42 + 0.8, 128.06 - 0.4)), "a bar's centre is nearer to the axis"
    assert geometry == {1: (-231.0, 42.35), 3: (-229.412, 38.114)}
    assert face(session).value == pytest.approx(TRUE_ZERO, abs=0.006)
    session.zero.store()
    tool = session.job.setup.tool(1)
    told, _ = session.tools.wear_after(tool, "x", 40.0, 40.034)
    assert session.machine.tables.wear[1] == pytest.approx((-0.034, 0.0))
    assert "−0.034" in told
    session.tools.wear_after(tool, "z", -30.0, -30.045)
    assert session.machine.tables.wear[1] == pytest.approx((-0.034, 0.045))
    for wanted, actual, why in ((40.0, 20.01, "half or twice"), (40.0, 42.5, "no wear")):
        with pytest.raises(SecondLookError, match=why):
            session.tools.wear_after(tool, "x", wanted, actual)
    assert not session.tools.look_at_wear(tool, "x", 40.0, 40.034)
    assert not session.tools.look_at_wear(tool, "x", 40.0, 40.003)[0].stops
    bar = session.job.setup.tool(5)
    session.tools.new_insert(bar, same_nose=True, allowance=0.2)
    assert session.machine.tables.wear[5] == (-0.2, 0.0)
    session.tools.new_insert(tool, same_nose=False)
    assert session.state("T1 geometry") is RowState.STALE
    (tmp_path / "list.csv").write_text("T,X,Z,R\nT1,-115.5,42.35,0.8\n")
    with pytest.raises(DatumError, match="another nose radius"):
        session.tools.take_presets(session.tools.preset(tmp_path / "list.csv"), "list.csv")
    assert session.new_stock() == [], "parts sit on a back stop: their zeros hold"
    session.close()


@pytest.mark.parametrize(
    ("text", "told"),
    [
        ("", "no column"),
        ("T,X,Z,R\n", "lists no tool"),
        ("T,X,Z,R\nT1,a,2,\n", "is no length"),
        ("T,X,Z,R\nT1,1,2,\n1,3,4,\n", "stands in line 2 too"),
        ("T,X,Z,R\nT=1+1,1,2,\n", "no tool number"),
        ("T,X,Z,R\nT1,1e999,2,\n", "is no length"),
        ("T,X,Z,R\nT1,1_0,2,\n", "is no length"),
        ("T,X,Z,R\nT1,1,2,99\n", "nose radius"),
        ("T,X,Z,R\n1,12,345,50,0,4\n", "more columns than the first line"),  # commas for points
        ("T,X,Z,R,X\nT1,1,2,,3\n", "two columns “X”"),
        ('T,X,Z,R,N\nT1,1,2,,"A\nT2,1,2,,B\n', "never closed"),  # a quote that nobody closes takes in all that follows
    ],
)
def test_a_broken_presetters_list_changes_nothing(tmp_path: Path, text, told):
    session = sleeve(tmp_path, ("[stand_in]  ", PRESETTER + "\n[stand_in]  "))
    (tmp_path / "list.csv").write_text(text)
    with pytest.raises(TableFileError, match=told):
        session.tools.preset(tmp_path / "list.csv")
    session.close()


def test_a_presetters_list_of_europe_is_read_and_one_that_could_be_two_things_is_not():
    columns = PresetterColumns(
        number="T", x="X", z="Z", nose="R", x_is="radius", length_units="mm", spread=0.01, separator=";"
    )
    (tool,) = parse_presetter("T;X;Z;R\nT3;12,345;-50;0,4;\n", "p", columns)
    assert (tool.number, tool.x, tool.z, tool.nose) == (3, pytest.approx(24.69), -50.0, 0.4)
    with pytest.raises(TableFileError, match="is no length"):
        parse_presetter("T;X;Z;R\nT3;12,345;-50.5;0,4\n", "p", columns)


def test_targets_count_down_ring_and_are_corrected_between_passes(tmp_path: Path):
    session = ready(sleeve(tmp_path, KNOWN_T1))
    store_both(session)
    work = session.targets
    seat = work.choose(1)
    progress = work.plan_from(51.0)
    assert progress.stops == pytest.approx((49.7, 48.4, 48.0, 48.0)), "2.6 roughing in 2 cuts, 0.4 last, one spring"
    session.feed_to("x 52 z 3")
    x, z = work.to_go()
    assert (x.to_stop, x.to_target, x.stage) == (
        pytest.approx(2.3, abs=0.002),
        pytest.approx(4.0, abs=0.002),
        ApproachStage.AWAY,
    )
    assert z.to_stop == pytest.approx(43.0)
    assert not work.bell()
    for diameter, stage, rings in (
        (51.0, ApproachStage.NEAR, False),
        (49.8, ApproachStage.CLOSE, True),
        (49.7, ApproachStage.AT, True),
        (49.7, ApproachStage.AT, False),
        (49.6, ApproachStage.PAST, True),
    ):
        session.feed_to(f"x {diameter}")
        assert work.to_go()[0].stage is stage
        assert work.bell() is rings
    session.feed_to("x 49.7")
    session.spindle()
    session.feed_to("z -20")
    session.feed_to("z 3")
    session.spindle()
    assert work.pass_done() is not None
    offer = work.measured(49.74)
    assert offer.told == "measured 49.740 mm, shown 49.700 mm: set 49.740 mm?"
    told, _ = work.take_offer()
    assert "shows 49.740" in told
    assert work.place() == pytest.approx((49.74, 3.0))
    assert work.progress is not None
    assert work.progress.stops == pytest.approx((48.4, 48.0, 48.0)), "0.67 a side is one cut"
    with pytest.raises(SecondLookError, match="half or twice"):
        work.measured(24.87)
    with pytest.raises(DatumError, match="too far apart"):
        work.measured(44.0)
    for _ in range(4):
        work.pass_done()
    assert seat.name in work.done
    assert work.next().name == "rim"
    work.done |= {"face", "rim"}
    assert work.finished
    session.close()


def test_inside_targets_count_the_other_way(tmp_path: Path):
    session = sleeve(tmp_path, KNOWN_T1, ('"face: z 0"', '"bore: ⌀31.25 z -40 inside depth 0.5 finish 0.1"'))
    target = session.job.setup.targets[0]
    assert target.to_go_x(30.0) == pytest.approx(1.25)
    assert target.stops(30.0) == pytest.approx([30.525, 31.05, 31.25])
    assert target.stops(31.3) == []
    session.close()


def test_the_set_up_is_changed_in_words_checked_as_a_whole_and_taken_back(tmp_path: Path):
    session = sleeve(tmp_path)
    before = (tmp_path / "turning.toml").read_text()
    session.change("stock", "bar ⌀60 front 2 back 32")
    assert session.job.setup.stock.diameter == 60
    text = (tmp_path / "turning.toml").read_text()
    assert "# what a tool keeps" in text, "comments stay"
    with pytest.raises(DatumError, match="smaller than the part"):
        session.change("stock", "bar ⌀40")
    session.undo_change()
    assert (tmp_path / "turning.toml").read_text() == before
    ready(session)
    with pytest.raises(BriskAnchorError, match="in the way of the new set-up"):
        session.change("stock", "bar ⌀80 front 12 back 32")
    assert (tmp_path / "turning.toml").read_text() == before
    assert session.targets_from_drawing() == 4
    names = [target.name for target in session.job.setup.targets]
    assert names[3:] == ["bore ⌀31.25", "groove chuck-side wall", "groove front wall", "part off"]
    walls = [target.z for target in session.job.setup.targets[4:6]]
    assert walls == pytest.approx([-26.0, -23.02]), "the blade, 3.02 wide, is referred to its edge towards the chuck"
    assert session.targets_from_drawing() == 0
    session.change_approach(5.0, 0.5)
    assert session.job.setup.approach.near == 5.0
    (tmp_path / "turning.toml").write_text(before + "# somebody else\n")
    with pytest.raises(ExportError, match="another window or an editor"):
        session.change("stock", "bar ⌀60 front 2 back 32")
    session.close()


def test_targets_of_an_inch_job_are_written_in_inches(tmp_path: Path):
    session = sleeve(tmp_path)
    from brisk_anchor.services.turning.turning_session import target_words

    target = replace(session.job.setup.targets[1], x=25.4, z=-50.8, depth=0.0, spring=0)
    assert target_words(target, 25.4) == "seat: ⌀1 z -2"
    session.close()


def test_how_the_lathe_was_left_is_found_again(tmp_path: Path):
    session = ready(sleeve(tmp_path))
    face(session)
    session.ledger.add(EntryKind.NAMED, "G55", None)
    session.file.save(session.machine)
    before_store = (tmp_path / "lathe-wren.json").read_text()
    session.zero.store()
    left = session.machine.place, session.machine.tables, session.machine.metal.area, session.machine.cut_at
    session.close()
    again = TurningSession.open(tmp_path / "turning.toml", tmp_path)
    assert (again.machine.place, again.machine.tables, again.machine.cut_at) == (left[0], left[1], left[3])
    assert again.machine.metal.area == pytest.approx(left[2])
    assert again.state("G54") is RowState.STORED
    assert history_lines(again, "G54")[0][1] == "stored"
    again.machine.tables.work["G54"] = (0.0, -300.0)
    assert again.state("G54") is RowState.DIFFERS
    assert not again.desk.is_known("G54", "z")
    again.close()
    (tmp_path / "lathe-wren.json").unlink()
    (tmp_path / "lathe-wren.json").write_text(before_store)
    killed = TurningSession.open(tmp_path / "turning.toml", tmp_path)
    held = killed.machine.tables.work["G54"][1]
    assert held == pytest.approx(left[1].work["G54"][1]), "killed between book and file: the book is newer"
    killed.close()
    (tmp_path / "lathe-wren.json").unlink()
    anew = TurningSession.open(tmp_path / "turning.toml", tmp_path)
    assert anew.machine.tables.work["G54"][1] == pytest.approx(left[1].work["G54"][1]), "the book knows it"
    anew.close()


@pytest.mark.parametrize(
    "spoil",
    [
        lambda d: d | {"machine": "Otter"},
        lambda d: d | {"at": [9999.0, 0.0]},
        lambda d: d | {"stock": [[[0, 0], [1, 1]]]},
        lambda d: d | {"stock": [[[0.0, 0.0], [1.0, 1.0], [1.0, 0.0], [0.0, 1.0]]]},
        lambda d: d | {"work": {"G54": ["a", 1]}},
        lambda d: d | {"more": 1},
    ],
)
def test_a_broken_file_of_the_lathe_is_refused_whole(tmp_path: Path, spoil):
    session = ready(sleeve(tmp_path))
    session.file.save(session.machine)
    path = tmp_path / "lathe-wren.json"
    path.write_text(json.dumps(spoil(json.loads(path.read_text()))))
    with pytest.raises(StateError):
        session.file.load(session.machine)
    session.close()


@pytest.mark.parametrize(
    ("before", "after", "told"),
    [
        ("⌀48 to 40", "⌀48 to 10", "comes after one"),
        ("bore ⌀31.25", "bore ⌀44", "as large as the outside"),
        ("groove ⌀42 20 to 26", "groove ⌀50 20 to 26", "smaller than"),
        ("chamfer 1 front", "chamfer 1 at 7", "no edge at Z"),
        ("T3 groover width 3.02 edge chuck", "T3 groover width 3.02", "reference edge"),
        ("depth gauge ±0.02 to 150", "depth gauge to 150", "has no ±"),
        ("from 45 50 52 55 60", "from 45 50", "No bar on the shelf"),
        ("52 out", "80 out", "Nothing of it would be held"),
        ("T7 parting", "T9 parting", "there is no such place"),
        ('row = "G54"', 'row = "G99"', "no row G99"),
        ("RS-09-55 G55 55", "RS-09-55 G54 55", "one row"),
        ('control = "turn-macro"', 'control = "skip-macro"', "of no lathe"),
        ("seat: ⌀48 z -40", "seat: 48 z -40", "before a diameter"),
        ("stations = 8", "stations = 99", "stations: it must be at most 24"),
        ("offset = 7\nx", "offset = 9\nx", "how far T7 really reaches"),
        ("travel_low = [-330.0, -470.0]", "travel_low = [-330.0, 470.0]", "low and high are exchanged"),
        ("home = [0.0, 0.0]", "home = [0.0, 90.0]", "home has Z 90, outside its travel"),
        ("index_at = [0.0, -150.0]", "index_at = [1.0, -150.0]", "index_at has X 1, outside its travel"),
    ],
)
def test_a_fault_in_the_file_is_told_with_its_line(tmp_path: Path, before, after, told):
    with pytest.raises(JobError, match=told) as caught:
        sleeve(tmp_path, (before, after))
    assert caught.value.findings[0].place.startswith("turning.toml")


GAUGES = ["depth gauge ±0.2 to 150", "micrometer ±0.004 from 25 to 50"]


@pytest.mark.parametrize(("key", "words"), [("zero", "chuck face"), ("gauges", GAUGES)])
def test_what_was_measured_before_the_set_up_changed_is_not_stored(tmp_path: Path, key, words):
    """It counted by the zero and the gauge as they were; how near a warning comes is no part of it."""
    session = ready(sleeve(tmp_path))
    face(session)
    session.change("approach", [3.0, 0.3])
    assert session.zero.proposal is not None
    session.change(key, words)
    with pytest.raises(DatumError, match="Nothing is measured yet"):
        session.zero.store()
    session.close()


def test_what_counts_in_one_work_offset_is_not_stored_under_another(tmp_path: Path):
    session = ready(sleeve(tmp_path))
    proposal = face(session)
    session.machine.active_row = "G55"
    with pytest.raises(DatumError, match="G55 is in force now, and what was measured counts in G54"):
        session.zero.store()
    session.machine.active_row = "G54"
    assert session.zero.store()[0] == proposal
    session.close()


def test_a_control_without_macros_is_set_looked_at_and_proved(tmp_path: Path):
    session = ready(sleeve(tmp_path, ('control = "turn-macro"', 'control = "turn-table"')))
    store_both(session)
    assert session.machine.tables.geometry[1][0] == pytest.approx(-231.0, abs=0.0021), (
        "a step of radius is two of diameter"
    )
    proof = session.prove("G54")
    assert proof.holds
    assert proof.values[1][1] == pytest.approx(0.0, abs=0.006)
    session.close()


@pytest.mark.parametrize("words", ["x", "x 1 q 2", "x 1 z", "x abc", "x 1e9"])
def test_a_place_in_words_that_means_nothing_is_refused(tmp_path: Path, words):
    session = sleeve(tmp_path)
    with pytest.raises(NumberEntryError):
        session.feed_to(words)
    session.close()


def test_a_drill_is_swept_for_x_and_felt_for_z(tmp_path: Path):
    drill = ('"T7 parting width', '"T6 drill size 12 sticks 90",\n  "T7 parting width')
    real = (
        "[[stand_in.tool]]\noffset = 7",
        "[[stand_in.tool]]\noffset = 6\nx = -231.3\nz = 95.0\n\n[[stand_in.tool]]\noffset = 7",
    )
    session = ready(sleeve(tmp_path, drill, real, KNOWN_T1))
    face(session)
    session.zero.store()
    to_work(session, 6)
    session.touch(Method.DIAL)
    assert session.zero.measured(0.0).value == pytest.approx(-231.3, abs=0.001)
    session.zero.store()
    with pytest.raises(DatumError, match="touches nothing along X"):
        session.zero.begin(Method.FELT_DIAMETER)
    session.touch(Method.FELT_FACE)
    assert session.zero.measured(session.zero.face_in_program.value).value == pytest.approx(95.0, abs=0.002)  # type: ignore[union-attr]
    session.close()


def test_sheet_taper_and_the_next_step(tmp_path: Path):
    session = ready(sleeve(tmp_path))
    with pytest.raises(BriskAnchorError, match="not been stored"):
        write_turning_sheet(session, tmp_path)
    assert "bring the tool near" in next_step(session)[0]
    face(session)
    assert next_step(session)[0].startswith("Enter: store G54 Z")
    session.zero.store()
    paths = write_turning_sheet(session, tmp_path)
    assert [path.name for path in paths] == ["turning-rs-09-g54.svg", "turning-rs-09-g54.pdf"]
    assert paths[1].read_bytes().startswith(b"%PDF")
    assert b"<svg" in paths[0].read_bytes()[:600]
    many = TurningSheet(
        "RS", "", (), 0.0, "G54", (0.0, 9.0, 9.0), below=False, zeros=(("G54",) * 6,) * 5, tools=(), notes=()
    )
    full = replace(
        many, tools=tuple((f"T{n}", *["x"] * 6) for n in range(1, 25)), notes=tuple(f"N{n}" for n in range(60))
    )
    drawn = turning_sheet(full)["svg"].decode()
    assert "T24" in drawn, "every station of the turret is there"
    assert re.search(r"and \d+ more", drawn), "what has no room is counted"
    assert "more" not in turning_sheet(replace(full, notes=("N0",)))["svg"].decode()
    assert "+0.020 mm" in session.zero.taper(40.0, 40.02, 100.0)
    with pytest.raises(DatumError, match="no taper"):
        session.zero.taper(40.0, 40.02, 0.0)
    session.machine.homed = False
    assert next_step(session)[0].startswith("⟨h⟩: home")
    session.close()


def test_how_a_second_window_left_the_lathe_is_not_written_over(tmp_path):
    first, second = ready(sleeve(tmp_path)), ready(sleeve(tmp_path))
    path = second.file.path
    assert path is not None
    face(first)  # it is proposed before the other window writes the lathe's file
    second.home()
    kept = path.read_bytes()
    with pytest.raises(ExportError, match="Another window moved this lathe"):
        first.zero.store()
    assert first.desk.figure("G54", "z") == 0
    assert first.ledger.last("G54", EntryKind.STORED) is None
    with pytest.raises(ExportError):
        first.home()
    first.close()
    assert path.read_bytes() == kept
    second.home()
    second.close()
    assert sleeve(tmp_path).machine.homed


def test_the_book_of_a_lathe_from_the_command_line(tmp_path: Path, monkeypatch):
    monkeypatch.setenv("BRISK_ANCHOR_HOME", str(tmp_path))
    session = ready(sleeve(tmp_path, KNOWN_T1))
    face(session)
    session.zero.store()
    session.close()
    kept = json.loads((tmp_path / "lathe-wren.json").read_text())

    def said(*words: str) -> str:
        result = CliRunner().invoke(app_for(list(words)), list(words))
        return result.output + (str(result.exception) if result.exception else "")

    job = ("--job", str(tmp_path))
    assert "G54           stored" in said("book", "list", *job)
    listed = json.loads(said("book", "list", "--json", "--search", "T1 geo", *job))
    assert [(row["row"], row["values"]) for row in listed] == [("T1 geometry", {"x": -231.0, "z": 42.35})]
    assert "measured from the jaws" in said("book", "show", "G54", *job)
    assert "by face, T1; set by O3101" in said("book", "history", "G54", *job)
    assert "This job has no row G99" in said("book", "show", "G99", *job)
    assert "it is a job to turn" in said("book", "compare", *job)
    assert "no row G77" in said("sheet", str(tmp_path), "G77", "--out", str(tmp_path / "out"))
    assert "g54.svg" in said("sheet", str(tmp_path), "G54", "--out", str(tmp_path / "out"))
    assert "G55 has not been stored" in said("sheet", str(tmp_path), "G55", "--out", str(tmp_path / "out"))
    left = json.loads((tmp_path / "lathe-wren.json").read_text())
    assert {**left, "stock": ""} == {**kept, "stock": ""}, "what is in force at the lathe stays"
