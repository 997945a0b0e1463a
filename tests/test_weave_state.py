"""Cutting programs as people write them: operations found, state told, what is put in where they would collide."""

from __future__ import annotations

import re

import pytest

from brisk_anchor.core.errors import BriskAnchorError, PlanError
from brisk_anchor.nc.profile.control_profile import parse_profile, shipped_profile, shipped_text
from brisk_anchor.nc.read.operations import (
    OwnStart,
    begins_otherwise,
    code_of,
    comment_of,
    main_end,
    modal_at,
    operations_of,
    own_start,
    words_of,
)
from brisk_anchor.nc.read.scanner import scan_program
from brisk_anchor.services.insert.modal_restore import ModalStateError
from brisk_anchor.services.insert.program_text import read_text
from brisk_anchor.services.insert.weave_editor import WeaveEditor
from brisk_anchor.services.insert.weave_proof import cut_as_before
from brisk_anchor.services.insert.weaving import WeaveError, again_of, take_apart, unweave, weave
from brisk_anchor.services.machine.runs import Run
from brisk_anchor.services.plan.plan_file import PlanFile
from brisk_anchor.services.plan.planning import planned
from brisk_anchor.services.session.session import Session


def plan(*measure, **more):
    data = {"form": "brisk-anchor-plan-1", "units": "mm", "name": "woven", "measure": list(measure), **more}
    return PlanFile.model_validate(data)


ZOO = {
    "lines numbered, tool called before": (
        ["O1", "N1 T7", "N2 G0 G54 X0 Y0", "N3 M6", "N4 G43 H7 Z5.", "N5 G1 Z-1. F100", "N6 M30"],
        [(7, "T7", 3, 6)],
    ),
    "comments before the change belong to it": (
        ["(A)", "T1 M6", "G1 X1. F5", "", "(B, ROUGH)", "N20", "T2 M06 (END MILL)", "X2.", "M30", "(LOST)"],
        [(1, "A", 0, 4), (2, "B, ROUGH END MILL", 4, 8)],
    ),
    "a comment of its own with moves before it": (
        ["T1 M6 (DRILL)", "G0 X1.", "(FIRST ROW)", "G0 X2.", "(SECOND ROW)", "X3.", "M30"],
        [(1, "DRILL", 0, 2), (1, "FIRST ROW", 2, 4), (1, "SECOND ROW", 4, 6)],
    ),
    "a semicolon comment, no end": (["t3 m6 ; reamer", "g1 z-3. f30"], [(3, "reamer", 0, 2)]),
    "no tool at all": (["G0 X1.", "M30"], []),
    "a subprogram behind the end": (["T1 M6", "M98 P5", "M30", "O5", "T9 M6", "M99"], [(1, "T1", 0, 2)]),
}


@pytest.mark.parametrize("name", ZOO)
def test_operations_of_programs_as_people_write_them(name):
    lines, wanted = ZOO[name]
    assert [(o.tool, o.title, o.first, o.after) for o in operations_of(lines)] == wanted
    assert main_end(lines) <= len(lines)


@pytest.mark.parametrize(
    ("lines", "wanted"),
    [
        (["G20 G91 G18"], {"codes": {"units": 20, "distance": 91, "plane": 18}}),
        (["G54", "G54.1 P12 X1."], {"offset": "G54.1 P12"}),
        (["G59.3"], {"offset": "G59.3"}),
        (["G43 H5 Z1.", "G49"], {"length": ""}),
        (["G43 H5", "G44 H5"], {"length": ""}),  # counted the other way: not brought back as G43
        (["F100 S2000 M3 M8", "M5 M9"], {"feed": "100", "speed": "2000", "spindle": 5, "coolant": frozenset()}),
        (["M7", "M8"], {"coolant": frozenset((7, 8))}),
        (["G83 X1. Z-9. Q2. R1. F60"], {"cycle": True}),
        (["G83 X1. Z-9. R1. F60", "G80"], {"cycle": False}),
        (["G81 Z-1. R1. F60", "G0 X2."], {"cycle": False}),
        (["G41 D1"], {"codes": {"compensation": 41}}),
        (["(G91 M3)", "; G18", "O10 (G20)"], {"codes": {}, "spindle": 5}),
        (["#1=5", "WHILE [#1 GT 0] DO1"], {"unsure": "line 2 branches (WHILE)"}),
        (["G65 P9000"], {"unsure": "line 1 calls another program"}),
        (["M97 P100"], {"unsure": "line 1 calls another program"}),
        (["M198 P100"], {"unsure": "line 1 calls another program"}),
        (["T5", "M6", "T7"], {"tool": 5, "prepared": 7, "preselected": True, "spindle": 5}),
        (["S900 M3", "T5 M6"], {"tool": 5, "prepared": 5, "preselected": False, "spindle": 5}),
        (["T5", "M98 P1", "T7", "/T8"], {"prepared_open": "line 4 can be skipped"}),
        (["T5", "M98 P1", "T7", "/M8"], {"prepared_open": ""}),
        (["G64 P.01 Q0.02 X1.", "G1 X2."], {"path": "G64 P.01 Q0.02"}),
        (["G54 B90.", "G55 G53 A-5"], {"angles": {"B": ("G54", False, "90."), "A": ("G55", True, "-5")}}),
        (["B90.", "G91 B5."], {"angles": {}, "angles_open": {"B": "line 2 turns B by G91 B5."}}),
        (["B90. T3", "G1 X5. ,B2.", "X9. , C1."], {"angles": {"B": ("", False, "90.")}, "tool": 0, "prepared": 3}),
        (["T5 M6", "G65 P9000 T7."], {"tool": 5, "prepared": 5, "preselected": False}),
        (["B90.", "G65 P1 B5."], {"angles": {}, "angles_open": {"": "line 2 calls another program"}}),
        (["B90.", "G10 L2 P1 B5.", "#1=ABS[#2]"], {"angles": {"B": ("", False, "90.")}, "angles_open": {}}),
        (["O100 SUB"], {"unsure": ""}),
        (["T4", "M6"], {"tool": 4}),
        (["G52 X0. Y-2.5"], {"shifted": True}),
        (["G52 X#101"], {"shifted": True}),
        (["G52 X4.", "G52 X0. Y0.000 Z-0."], {"shifted": False}),
        (["G92 X0. Y0."], {"shifted": True}),
        (["G92 X3.", "G92.1"], {"shifted": False}),
        (["F100", "G1 X1. F#500"], {"worked_out": {"F": "line 2 works F#500 out when it runs"}}),
        (["F#500", "F80"], {"worked_out": {}, "feed": "80"}),
        (["G54", "G54.1 P[#1+2] X0"], {"worked_out": {"P": "line 2 works P[#1+2] out when it runs"}}),
        (["G54.1 P#1", "G55"], {"worked_out": {}, "offset": "G55"}),
        (["M98 P#1", "IF [#1 GT [2]] GOTO 5", "X[ABS[#2]]"], {"worked_out": {}}),
        (["T4 M6", "T#3", "M6"], {"tool": 0, "worked_out": {"T": "line 2 works T#3 out when it runs"}}),
        (["G43 H#5 Z9."], {"length": "H#5"}),
        (["G1", "/G91"], {"unsure": "line 2 can be skipped"}),
        (["G#510", "G1"], {"worked_out": {"G": "line 1 works G#510 out when it runs"}}),
    ],
    ids=str,
)
def test_what_the_text_says_is_modal(lines, wanted):
    state = modal_at(lines, len(lines))
    assert {name: getattr(state, name) for name in wanted} == wanted


@pytest.mark.parametrize(
    ("group", "members"),
    [
        ("motion", (0, 1, 2, 3)),
        ("plane", (17, 18, 19)),
        ("distance", (90, 91)),
        ("feed mode", (93, 94, 95)),
        ("units", (20, 21)),
        ("compensation", (40, 41, 42)),
        ("rotation", (68, 68.2, 68.3, 68.4, 69)),
        ("scaling", (50, 51)),
        ("mirror", (50.1, 51.1)),
        ("polar", (15, 16)),
        ("polar contour", (12.1, 13.1)),
        ("modal call", (66, 66.1, 67)),
        ("length", (43, 43.4, 43.5, 44, 49)),
    ],
)
def test_of_the_codes_of_a_group_the_last_one_holds(group, members):
    for code in (tenths / 10 for tenths in range(1000)):
        assert modal_at([f"G{code:g}"], 1).codes.get(group) == (code if code in members else None)
    assert modal_at([f"G{code:04.1f}" for code in members], len(members)).codes[group] == members[-1]


def test_words_and_comments_are_told_apart():
    assert code_of("g1 x1. (X9) ; y2") == "G1 X1."
    assert comment_of("G1 (ONE) X2 (TWO)") == "ONE TWO"
    assert words_of("G01 X-.5 Y+3 Z#1 (F9)") == [("G", 1.0), ("X", -0.5), ("Y", 3.0)]


BODY = ["O77", "T12 M6", "G54 G0 X1.", "G43 H12 Z60.", "S900 M3", "M5", "T5 M6", "G43 H5 Z60.", "M30"]


def boss(session, **more):
    return planned(session, plan({"feature": "boss", "keep": ["D #610"], **more}))


def test_nothing_is_put_in_under_a_shift_it_could_not_bring_back(quiet):
    text = "\n".join([*BODY[:4], "G52 X4.", *BODY[4:]])
    with pytest.raises(ModalStateError, match="A shift stands on top of the offset"):
        weave(quiet, take_apart(text), boss(quiet), [1])
    ended = text.replace("M5", "M5\nG52 X0. Y0. Z0.")
    assert "G52 X0. Y0. Z0." in weave(quiet, take_apart(ended), boss(quiet), [1])


def test_numbers_and_labels_that_are_taken_are_not_used(quiet):
    lines = [*BODY[:-1], "N9011 N9016"[:5], "M30", "O7313", "M99"]
    text = "\n".join(lines).replace("G54 G0 X1.", "G54 G0 X1. Y0.") + "\n"
    woven = weave(quiet, take_apart(text), boss(quiet), [1], again_of(boss(quiet), 611))
    routines = scan_program(woven, quiet.profile)
    assert [routine.number for routine in routines] == [77, 7313, 7314, 7301, 7302]
    assert "GOTO 9012" in woven
    assert unweave(take_apart(woven)) == text
    for number in (7301, 7302):
        with pytest.raises(WeaveError, match=f"O{number} of its own"):
            weave(quiet, take_apart(f"{text}O{number}\nM99\n"), boss(quiet), [1])


def test_a_jump_back_goes_to_the_tool_and_hangs_on_a_size(quiet):
    program = take_apart("\n".join([*BODY[:5], "(SECOND)", "G0 X2.", *BODY[5:]]))
    again = again_of(boss(quiet), 611)
    for after in ([2], [1, 3]):
        with pytest.raises(WeaveError, match="begins with its tool"):
            weave(quiet, program, boss(quiet), after, again)
    for made, count, reason in (
        (plan({"feature": "boss", "keep": ["X #610"]}), 611, "keeps no size"),
        (plan({"feature": "boss", "keep": ["D #610"]}), 610, "holds the size already"),
        (plan({"feature": "boss", "keep": ["D #610"]}, {"feature": "bore"}), 611, "one measurement"),
        (plan({"feature": "top", "keep": ["Z #610"]}), 611, "keeps no size"),
    ):
        with pytest.raises(WeaveError, match=reason):
            again_of(planned(quiet, made), count)
    assert (again.low, again.high) == (22.5, 25.5)


@pytest.mark.parametrize(
    ("lines", "row"),
    [
        ([], "G54"),
        (["G54.1 P3"], "G54.1 P3"),
        (["G54.1 P7", "M98 P5", "G54.1P3"], "G54.1 P3"),
        (["G54.1 P07"], "G54.1 P7"),
        (["G57"], "G57"),
        (["M98 P5"], ""),  # it selects another: the program stops before anything is measured
        (["G54.1 P3", "M98 P5"], "whether G54.1 P3 is active"),
        (["G54.1 P3", "IF [#1 EQ #0] GOTO 3", "N3", "G54.1 P4"], "whether G54.1 P4 is active"),
        (["/G54.1 P3"], "whether G54.1 P3 is active"),
        (["G54.1 P49"], "no offset G54.1 P49"),
    ],
)
def test_after_the_measuring_the_offset_is_the_one_before_it_or_it_never_begins(quiet, lines, row):
    other = "O5\nG54.1 P7\nM99\n"
    text = "\n".join([*BODY[:5], *lines, "G4 P1. F90", *BODY[5:]]) + "\n" + other
    assert "\nF#" not in weave(quiet, take_apart("\n".join(BODY)), boss(quiet), [1])  # there was none yet
    if "offset" in row or "active" in row:
        with pytest.raises(ModalStateError, match=f"(?i){row}"):
            weave(quiet, take_apart(text), boss(quiet), [1])
        return
    machine = quiet.scene.stand_in(seed=None, position=quiet.setup.machine.home)
    machine.offsets = dict.fromkeys(quiet.profile.all_rows, (-470.0, -286.0, -502.0)) | {"common": (0.0, 0.0, 0.0)}
    done = Run(weave(quiet, take_apart(text), boss(quiet), [1]).replace("T5 M6", "M30"), quiet.profile, machine)
    done.to_end()
    if row:
        assert done.failure() is None
        assert done.interpreter.modal.offset == row
    else:
        assert done.interpreter.alarm.number == 119
        assert not machine.hits


NONE, FLOOD, BOTH = frozenset[int](), frozenset((8,)), frozenset((7, 8))


@pytest.mark.parametrize(
    ("lines", "says"),
    [
        (["G54 G0 X1. Y2.", "Z5."], OwnStart(True, False, False, NONE, True, False)),
        (["X1.", "y#5", "Z5. M3 M8"], OwnStart(True, False, True, NONE, True, False)),
        (["G0 X1. Y2. Z5. M4 M9"], OwnStart(True, False, True, BOTH, True, False)),
        (
            ["M8", "G53 G0 Z0", "G28 Z0", "G90 X1. Y[2]", "Z5."],
            OwnStart(True, False, False, frozenset((8,)), True, True),
        ),
        (["G10 L2 P1 X5. Y6.", "G0 X1.", "Z5. (Y2.)"], OwnStart(False, False, False, NONE, True, False)),
        (["G43 H5 Z40.", "X1. Y2."], OwnStart(False, True, False, NONE, True, False)),
        (["G81 Z-5. R2. F90"], OwnStart(False, False, False, NONE, True, False)),
        (["G91 X1. Y2."], OwnStart(False, True, False, NONE, True, True)),
        (["G91 Z-3. M7"], OwnStart(False, False, False, frozenset((7,)), False, True)),
        (["M98 P5", "X1. Y2."], OwnStart(False, True, True, NONE, True, False)),
        (["M29 S500"], OwnStart(False, True, True, NONE, True, False)),
        (["G90 X1. Y1.", "G1 Z-1.", "M3"], OwnStart(True, False, False, NONE, True, True)),  # it cuts before it turns
    ],
)
def test_what_an_operation_says_itself_before_it_cuts(lines, says):
    text = ["T1 M6", "G0 X0 Y0", "M3 M8", "T2 M6", *lines, "T3 M6", "G0 X9. Y9. M3 M8", "M30"]
    assert own_start(text, operations_of(text)[1]) == says


def test_an_offset_of_a_control_s_own_is_told_from_the_next_where_an_operation_is_cut_again():
    lines = ["G59 P1", "T1 M6", "G0 X1. Y2.", "S9 M3", "G43 H1 Z5.", "G1 Z1. F9", "G59 P2", "T2 M6", "M30"]
    assert begins_otherwise(lines, operations_of(lines)[0], {"G59"}) == "its offset"
    same = [line.replace("P2", "P1") for line in lines]
    assert begins_otherwise(same, operations_of(same)[0], {"G59"}) == ""


START = ["O77", "G21 G17 G90 G94", "T12 M6", "G54 G0 X10. Y20.", "G43 H12 Z60.", "S900 M3", "G1 Z50. F90", "M8"]


@pytest.mark.parametrize(
    ("next_one", "back"),
    [
        (["T5 M6", "M3 M9", "G43 H5 Z60.", "G1 Z50."], ["BACK OVER THE PLACE", "G1"]),  # above where it was
        (["G91 G28 Z0.", "G90", "T5 M6", "M3 M9", "X30. Y40.", "G43 H5 Z60."], ["G1"]),  # at feed
        (["T5 M6", "M3", "G0 X30. Y40.", "G43 H5 Z60.", "G1 Z50."], ["M8"]),
    ],
)
def test_what_the_next_operation_takes_over_is_there_after_the_measuring(quiet, next_one, back):
    text = "\n".join([*START, *next_one, "M30"]) + "\n"
    woven = weave(quiet, take_apart(text), boss(quiet), [1])
    assert cut_as_before(quiet, text, woven).startswith("It ends well")
    block = woven[: woven.index("(BRISK ANCHOR 1 END)")].splitlines()[-5:]
    for word in back:
        assert any(word in line for line in block)
    assert any("BACK OVER" in line for line in block) == ("BACK OVER THE PLACE" in back)
    assert ("M8" in block) == ("M8" in back)


def test_a_tool_that_would_cut_with_a_standing_spindle_is_told(quiet, scene):
    text = "\n".join([*START, "T5 M6", "G0 X1. Y2.", "G43 H5 G1 Z50.", "M30"])
    for session in (quiet, Session(scene, None, shipped_profile("probe-params"), seed=None)):
        with pytest.raises(ModalStateError, match="the next one does not start it"):
            weave(session, take_apart(text), boss(session), [1])
        assert "BRISK" in weave(session, take_apart(text.replace("G0 X1.", "M3 G0 X1.")), boss(session), [1])
    with pytest.raises(ModalStateError, match="does not say in X and Y where it begins"):
        weave(session, take_apart(text.replace("G0 X1. Y2.", "M3")), boss(session), [1])


def test_controls_that_differ_bring_the_offset_back_in_their_own_way(scene):
    text = shipped_text("skip-macro")
    numbered = parse_profile(text.replace('active_row_reads = "code"', 'active_row_reads = "number"'), "own")
    session = Session(scene, None, numbered, seed=None)
    program = take_apart("\n".join(BODY) + "\n")
    assert "G[53+#" in weave(session, program, boss(session), [1])
    extended = take_apart("\n".join(BODY).replace("G54 G0", "G54.1 P3 G0") + "\n")
    assert "\nG54.1 P3\n" in weave(session, extended, boss(session), [1])
    assert re.search(r"IF \[#\d+ NE 10\] THEN #3000=119", weave(session, extended, boss(session), [1]))
    assert re.search(r"IF \[#\d+ GT 6\] THEN #3000=119", weave(session, program, boss(session), [1]))
    no_call = parse_profile(text.replace('[call]\ntool = "T{number} M6"', "[dummy]\n").replace("[dummy]\n", ""), "own")
    with pytest.raises(PlanError, match="does not say how a tool is called"):
        weave(Session(scene, None, no_call, seed=None), program, boss(session), [1])
    table = Session(scene, None, shipped_profile("table-only"), seed=None)
    with pytest.raises(BriskAnchorError, match="cannot probe"):
        weave(table, program, boss(session), [1])


def test_the_stand_in_says_what_it_can_of_both_programs(quiet):
    good = "\n".join(BODY) + "\n"
    assert "the same moves are cut: 0" in cut_as_before(quiet, good, good)
    assert "Not tried" in cut_as_before(quiet, good.replace("S900", "?S900"), good)
    assert "Not compared" in cut_as_before(quiet, good.replace("X1.", "X2000."), good)
    assert cut_as_before(quiet, good, good.replace("X1.", "X2000.")).startswith("! With measuring")
    more = good.replace("S900 M3", "S900 M3\nG1 X2. F99.")
    assert "2 are now" in cut_as_before(quiet, good, more)


def test_a_program_on_the_desk_is_changed_step_by_step_and_never_its_file(quiet, tmp_path):
    path = tmp_path / "job.nc"
    path.write_bytes(("\r\n".join(BODY) + "\r\n(\xe4)").encode("latin-1"))
    editor = WeaveEditor(quiet, path)
    with pytest.raises(WeaveError, match="Nothing was changed"):
        editor.write()
    section = plan({"feature": "boss", "keep": ["D #610"], "enabled": False}, {"feature": "top"}).measure[0]
    editor.toggle(2)
    editor.toggle(1)
    assert editor.measure(section, 1, None) == "boss is measured after operation 1, 2"
    assert editor.verdict
    assert [woven.places for woven in editor.program.woven] == [2]
    with pytest.raises(PlanError, match="reference"):
        editor.check_tool(12, 0.05, 1)
    assert editor.write().name == "job.measured.nc"
    again = WeaveEditor(quiet, tmp_path / "job.measured.nc")
    again.toggle(1)
    again.going = lambda: False  # nobody waits any longer: what is given up has changed nothing
    with pytest.raises(WeaveError, match="given up"):
        again.measure(section, 1, None)
    assert not again.changed
    assert not again.undo()
    assert again.marked == {1}
    again.going = lambda: True
    assert "out again" in again.take_out()
    assert again.program.text == read_text(path)
    assert again.undo()
    assert again.program.text == editor.program.text
    assert editor.undo()
    assert not editor.changed
    assert path.read_bytes().endswith(b"(\xe4)")


@pytest.mark.parametrize(
    ("data", "reason"), [(b"T1 M6\0", "no text"), (None, "cannot be read"), (b"\xff\xfe", "no tool")]
)
def test_files_that_are_no_programs(quiet, tmp_path, data, reason):
    path = tmp_path / "x.nc"
    if data is not None:
        path.write_bytes(data)
    with pytest.raises(WeaveError, match=reason):
        WeaveEditor(quiet, path)


def test_what_nobody_waits_for_any_longer_is_given_up(quiet, tmp_path):
    text = "%\nO77\nG21 G90 G54\n" + "G4 P1\n" * 50 + "M30\n%\n"
    left = iter([True, True, False])
    with pytest.raises(WeaveError, match="given up"):
        cut_as_before(quiet, text, text, lambda: next(left))
    assert next(left, None) is None
