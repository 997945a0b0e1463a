"""Measuring put into cutting programs: state kept, run on the stand-in, cut again, and out again without a trace."""

from __future__ import annotations

import functools
import re
from importlib import resources

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from typer.testing import CliRunner

from brisk_anchor.cli.commands import app
from brisk_anchor.core.errors import BriskAnchorError
from brisk_anchor.nc.profile.control_profile import parse_profile, shipped_profile, shipped_text
from brisk_anchor.nc.read.operations import modal_at, operations_of
from brisk_anchor.services.insert.weave_proof import cut_as_before
from brisk_anchor.services.insert.weaving import WeaveError, again_of, difference, take_apart, unweave, weave
from brisk_anchor.services.machine.runs import Run
from brisk_anchor.services.plan.plan_file import PlanFile
from brisk_anchor.services.plan.planning import planned
from brisk_anchor.services.session.session import Session
from brisk_anchor.services.session.tool_shelf import take_reference
from brisk_anchor.standin.motion import MoveKind
from brisk_anchor.standin.scene import build_scene
from brisk_anchor.standin.scene_file import load_scene

CUTTING = (resources.files("brisk_anchor.services") / "examples" / "plans" / "gl-114-boss.nc").read_text()


def plan(*measure, tool_check=()):
    return PlanFile.model_validate(
        {
            "form": "brisk-anchor-plan-1",
            "units": "mm",
            "name": "woven",
            "measure": list(measure),
            "tool_check": list(tool_check),
        }
    )


@functools.cache
def top_alone():
    """The demo job and a plan that touches its top."""
    session = Session(build_scene(load_scene("heron-gl114")), None, shipped_profile("skip-macro"), seed=None)
    return session, planned(session, plan({"feature": "top"}))


BOSS = {"feature": "boss", "keep": ["D #610"]}


def run(session, text):
    """The text on a twin; what was cut (moves at feed with a cutter), the run."""
    machine = session.scene.stand_in(seed=None, position=session.setup.machine.home)
    machine.offsets = {**session.machine.offsets, "G54": (-470.0, -286.0, -502.0)}
    done = Run(text, session.profile, machine)
    done.to_end()
    feeds = [m for m in machine.motions if m.kind is MoveKind.FEED and m.feed in (400.0, 600.0, 500.0, 150.0)]
    return [(m.end, m.feed) for m in feeds], done


@pytest.fixture
def shelf(quiet):
    """A session whose setter has its reference."""
    take_reference(quiet, -440.0)
    return quiet


def test_operations_and_what_is_modal_are_read_from_the_text():
    lines = CUTTING.splitlines()
    found = [(o.tool, o.title, o.changes) for o in operations_of(lines)]
    assert found == [(12, "FACE THE BOSS", True), (5, "SPOT AND DRILL", True)]
    state = modal_at(lines, operations_of(lines)[0].after)
    assert (state.tool, state.offset, state.feed, state.spindle, state.length) == (12, "G54", "600.", 3, "12")
    assert state.coolant == frozenset()
    within = ["T1 M6", "X1.", "(SECOND)", "G81 Z-5. R2. F100.", "G98 X5.", "M30"]
    assert [(o.title, o.first, o.changes) for o in operations_of(within)] == [("T1", 0, True), ("SECOND", 2, False)]
    assert modal_at(within, 5).cycle
    assert "line 2" in modal_at(["T1 M6", "IF [#1 EQ 0] GOTO 5", "M30"], 2).unsure


@pytest.mark.parametrize("after", [[1], [1, 2], [2]])
def test_a_measurement_stands_once_and_everything_is_cut_as_before(quiet, after):
    program = take_apart(CUTTING)
    text = weave(quiet, program, planned(quiet, plan(BOSS)), after)
    before, plain = run(quiet, CUTTING)
    cut, done = run(quiet, text)
    assert plain.failure() is None
    assert done.failure() is None
    assert cut == before
    assert len(before) == 4
    assert sum("SOLVED" in line for line in done.printed) == len(after)
    assert done.interpreter.common[610] == pytest.approx(24.31, abs=0.001)
    programs = [line.split(" ")[0] for line in text.splitlines() if line.startswith("O")]
    assert programs == ["O3114", "O7313", "O7301", "O7302"]
    assert text.count("M98 P7313") == len(after)
    assert unweave(take_apart(text)) == CUTTING


def test_state_is_kept_when_a_person_has_changed_it_and_the_same_tool_goes_on(quiet):
    """The second operation goes on with the same tool: what is modal comes back as it is then, not as it was read."""
    text = CUTTING.replace("N20 T5 M6\nG54 G0 X104. Y36.\nS2600 M3\nG43 H5 Z40. M8\n", "G0 X104. Y36.\nM8\n")
    woven = weave(quiet, take_apart(text), planned(quiet, plan(BOSS)), [1])
    assert "TOOL STILL IN THE WORK" in woven
    before, plain = run(quiet, text.replace("F600.", "F500."))
    cut, done = run(quiet, woven.replace("F600.", "F500."))
    assert done.failure() is None
    assert cut == before
    assert done.interpreter.modal.spindle_speed == plain.interpreter.modal.spindle_speed == 3200
    low = woven.replace("G0 Z40.\nM9\n(BRISK", "M9\n(BRISK")
    assert low != woven
    assert run(quiet, low)[1].interpreter.alarm.number == 112
    # The same program in inches: what is compared there was read in inches, and stopped nothing.
    woven = weave(quiet, take_apart(inches(text)), planned(quiet, plan(BOSS)), [1])
    assert run(quiet, woven)[1].failure() is None
    low = re.sub(r"G0 Z1\.5748\d*\nM9\n\(BRISK", "M9\n(BRISK", woven)
    assert low != woven
    assert run(quiet, low)[1].interpreter.alarm.number == 112


EARLY = CUTTING.replace("S3200 M3\n", "S3200 M3\nT5\n").replace("N20 T5 M6", "N20 M6")
"""The next tool is named while the one before cuts, and changed to by M6 alone."""


def plain(text):
    """The same for a control without program numbers."""
    return text.replace("%\n", "").replace("O3114 (", "(").replace("M30", "M2").replace("G91 G28 Z0.\nG90\n", "")


@pytest.mark.parametrize("language", ["skip-macro", "probe-params"])
def test_the_tool_that_was_prepared_is_the_one_that_comes_next(language, scene):
    """The call of the probe prepares the probe: M6 alone would leave it in, and start it with the cutter's speed."""
    session = Session(scene, None, shipped_profile(language), seed=None)
    text = EARLY if session.profile.speaks.subprograms else plain(EARLY)
    woven = weave(session, take_apart(text), planned(session, plan(BOSS)), [1])
    assert woven.count("(PREPARED AS BEFORE)") == 1
    before, _ = run(session, text)
    cut, done = run(session, woven)
    assert done.failure() is None
    assert cut == before
    assert done.machine.tool_in_spindle == 5
    assert unweave(take_apart(woven)) == text


@pytest.mark.parametrize(
    ("change", "more"),
    [
        (("X120.", "X120."), []),
        # M7 of the operation before stays on with M8 of the next, and an M9 at its end says nothing of its beginning.
        (("M8\nG1 Z-8.8", "M7\nG1 Z-8.8", "G0 Z40.\nM9\n(SPOT", "G0 Z40.\n(SPOT"), ["M7"]),
        (("G0 Z40.\nM9\n(SPOT", "G0 Z40.\n(SPOT", "H5 Z40. M8", "H5 Z40."), ["M8"]),
        # What is called may have set no feed yet, and F0 is none.
        (
            ("G1 Z-8.8 F400.\nX120. F600.\n", "M98 P800\n"),
            ["IF [#193 LE 0] THEN #193=1. (THERE WAS NO FEED YET)"],
        ),
        (("G21 G17 G90", "G64 G21 G17 G90"), []),  # the measuring does not touch it
    ],
)
def test_more_that_the_next_operation_counts_on_comes_back(quiet, change, more):
    text = CUTTING
    for old, new in zip(change[::2], change[1::2], strict=True):
        assert old in text
        text = text.replace(old, new)
    woven = weave(quiet, take_apart(text), planned(quiet, plan(BOSS)), [1])
    back = woven.split("ALL BACK AS IT WAS)\n")[1].split("(BRISK ANCHOR 1 END)")[0].splitlines()
    assert [line for line in back if line not in ("G#191", "F#193", "G#192", "G0")] == more
    assert [line for line in back if line not in more] == ["G#191", "F#193", "G#192", "G0"]


def test_a_safe_state_that_sets_more_than_is_kept_gives_it_back_or_is_refused(scene):
    text = shipped_text("probe-params").replace('"G40 G49 G80"', '"G40 G49 G80 G64"')
    session = Session(scene, None, parse_profile(text, "own"), seed=None)
    ready = planned(session, plan(BOSS))
    exact = plain(CUTTING).replace("G21 G17", "G61 G21 G17")
    woven = weave(session, take_apart(exact), ready, [1])
    assert woven.split("F600.")[2].split("(BRISK")[0].split() == ["G90", "G0", "G61"]
    assert run(session, woven)[1].interpreter.modal.path == 61
    macro = shipped_text("skip-macro").replace('"G40 G49 G69 G80"', '"G40 G49 G69 G80 G64"')
    session = Session(scene, None, parse_profile(macro, "own"), seed=None)
    with pytest.raises(BriskAnchorError, match=r"corners are cut exactly .* calls another .* sets G64"):
        weave(session, take_apart(CUTTING.replace("X120. F600.", "M98 P9")), planned(session, plan(BOSS)), [1])


def test_positions_by_distances_that_only_the_control_knows_stop_before_anything_moves(quiet):
    text = CUTTING.replace("X120. F600.", "M98 P800").replace("M30\n", "M30\nO800\nG91\nM99\n")
    done = run(quiet, weave(quiet, take_apart(text), planned(quiet, plan(BOSS)), [1]))[1]
    assert done.interpreter.alarm.number == 122
    assert done.machine.tool_in_spindle == 12
    said = text.replace("N20 T5 M6\nG54 G0", "N20 T5 M6\nG90 G54 G0")
    before, _ = run(quiet, said)
    cut, done = run(quiet, weave(quiet, take_apart(said), planned(quiet, plan(BOSS)), [1]))
    assert done.failure() is None
    assert cut == before


def short_comments(scene, longest):
    text = shipped_text("skip-macro").replace("longest = 72", f"longest = {longest}")
    return Session(scene, None, parse_profile(text, "own"), seed=None)


def test_marks_are_never_cut_where_comments_are_short(scene):
    session, text = short_comments(scene, 44), CUTTING.rstrip()
    woven = weave(session, take_apart(text), planned(session, plan(BOSS)), [1])
    title = "MEASURE BOSS DI"  # 44 characters, less 20 of the mark, 7 of AFTER 1 and 2 blanks
    assert [(one.title, one.places) for one in take_apart(woven).woven] == [(title, 1)]
    assert unweave(take_apart(woven)) == text


def test_comments_shorter_than_a_mark_are_refused(scene):
    session = short_comments(scene, 20)
    with pytest.raises(WeaveError, match=r"has 20 characters.* needs 2[0-9]"):
        weave(session, take_apart(CUTTING), planned(session, plan(BOSS)), [1])


@pytest.mark.parametrize(
    ("change", "told"),
    [
        (("X120. F600.", "X120. F601."), "! The move of line 10 has a feed of 601, not 600: look"),
        (("X120.", "X121."), "! The move of line 10 ends elsewhere"),
        (("S2600 M3", "S2500 M3"), "! The move of line 18 is cut with M3 S2500, not M3 S2600"),
        (("S2600 M3", "S2600 M4"), "! The move of line 18 is cut with M4 S2600, not M3 S2600"),
        (("Z40. M8\nG1 Z-6.", "Z40.\nG1 Z-6."), "! The move of line 18 has another coolant"),
        (("T5 M6", "T12 M6"), "! The move of line 18 is cut with T12, not T5"),
        (("Z-16. F150.\n", ""), "! 4 moves were cut before and 3 are now"),
        (("(SPOT AND DRILL)", "(SPOT)"), "It ends well on the stand-in, and the same moves are cut: 4"),
    ],
)
def test_what_is_cut_otherwise_is_told(quiet, change, told):
    """Place, feed, and the state in which it is cut; T12 with the length of T5 is another in nothing but the tool."""
    assert change[0] in CUTTING
    changed = CUTTING.replace(*change)
    assert cut_as_before(quiet, CUTTING, changed).startswith(told)


@pytest.mark.parametrize("by_itself", [{"z_home": False}, {"ending": "return"}, {"z_home": False, "ending": "stop"}])
def test_what_is_put_in_ends_at_home_whatever_its_plan_does_by_itself(quiet, by_itself):
    own = PlanFile.model_validate(plan(BOSS).model_dump() | by_itself)
    woven = weave(quiet, take_apart(CUTTING), planned(quiet, own), [1])
    assert "(UP TO THE CLEAR HEIGHT)\nG90 G53 G0 Z0.\nDPRNT[BRISK*1*END" in woven
    assert woven.count("M99\n(BRISK ANCHOR 1 END)") == 1
    assert cut_as_before(quiet, CUTTING, woven).endswith("the same moves are cut: 4")


@pytest.mark.parametrize("language", ["skip-macro", "probe-params", "inches"])
def test_with_the_fixture_elsewhere_nothing_moves(language, scene):
    """A program is kept for years: what is put in goes to places of the machine, not of the offset."""
    text = shipped_text("skip-macro").replace('units = "mm"', 'units = "inch"').replace('safe = ["G21', 'safe = ["G20')
    profile = parse_profile(text, "own") if language == "inches" else shipped_profile(language)
    session = Session(scene, None, profile, seed=None)
    program = take_apart(CUTTING if profile.speaks.subprograms else plain(CUTTING))
    woven = weave(session, program, planned(session, plan(BOSS)), [1])
    expected, room = session.rows.expected("G54"), 5.0  # its jump limit: less than three times 2 mm, as it may lie off
    for off, stops in ((0.0, False), (0.95, False), (1.05, True), (-40.0, True)):
        machine = session.scene.stand_in(seed=None, position=session.setup.machine.home)
        machine.offsets |= {"G54": (expected["x"], expected["y"] + off * room, expected["z"])}
        done = Run(woven, session.profile, machine)
        done.to_end()
        if not stops:
            assert done.failure() is None
            continue
        assert done.interpreter.block.comment == "G54 HAS CHANGED Y"
        assert machine.tool_in_spindle == 12


def test_the_touches_of_a_tool_that_is_looked_at_are_no_cuts(shelf):
    woven = weave(
        shelf, take_apart(CUTTING), planned(shelf, plan(tool_check=[{"tool": 12, "tolerance": 0.05}])), [1, 2]
    )
    assert cut_as_before(shelf, CUTTING, woven) == "It ends well on the stand-in, and the same moves are cut: 4"


def inches(text):
    """The same cutting program with its lengths in inches."""
    words = re.compile(r"(?<=[XYZIJKRF])-?\d+\.\d*")
    lines = [words.sub(lambda found: f"{float(found[0]) / 25.4:.5f}", line) for line in text.splitlines(keepends=True)]
    return "".join(lines).replace("G21", "G20")


def test_a_broken_tool_ends_the_program_and_a_whole_one_does_not(shelf):
    check = {"tool": 12, "tolerance": 0.05}
    program = take_apart(CUTTING)
    woven = weave(shelf, program, planned(shelf, plan(tool_check=[check])), [1, 2])
    cut, done = run(shelf, woven)
    assert done.failure() is None
    assert len(cut) >= 4
    # T12 was sharpened: 0.018 longer than its table says.
    assert next(line for line in done.printed if "TOOLCHECK" in line).split("D")[-1].strip() == "0.0180"
    strict = weave(shelf, program, planned(shelf, plan(tool_check=[{"tool": 12, "tolerance": 0.01}])), [1])
    assert run(shelf, strict)[1].interpreter.alarm.number == 111


def test_cut_again_once_then_an_alarm_and_never_when_too_much_is_off(quiet):
    """The stand-in cuts nothing, so the boss (24.31) is as large as before when it was cut again."""
    one = plan({**BOSS, "size_limit": 0.1, "on_fail": "go on"})
    ready = planned(quiet, one)
    again = again_of(ready, 611)
    assert (again.low, again.high, again.outside) == (23.9, 24.1, True) or again.high == pytest.approx(25.5)
    text = weave(quiet, take_apart(CUTTING), ready, [1], again.__class__(610, 611, 23.9, 24.1, True))
    cut, done = run(quiet, text)
    assert done.interpreter.alarm.number == 113
    assert done.interpreter.common[611] == 1
    assert len([c for c in cut if c[1] == 600.0]) == 2
    good = weave(quiet, take_apart(CUTTING), ready, [1], again.__class__(610, 611, 24.2, 24.5, True))
    assert run(quiet, good)[1].failure() is None
    small = weave(quiet, take_apart(CUTTING), ready, [1], again.__class__(610, 611, 24.4, 24.5, True))
    assert run(quiet, small)[1].interpreter.alarm.number == 114
    assert unweave(take_apart(text)) == CUTTING


@pytest.mark.parametrize(
    ("text", "missing"),
    [
        (EARLY.replace("(FACE THE BOSS)\nN10 T12", "T12\n(FACE THE BOSS)\nN10"), "its tool"),
        (CUTTING.replace("X120. F600.", "X120. F600.\nG91").replace("T5 M6\nG54", "T5 M6\nG90 G54"), "G90"),
        (CUTTING.replace("X120. F600.", "M98 P9"), r"G90, as line 10 calls another program"),
        (CUTTING.replace("G54 G0 X88.", "G0 X88.").replace("X120. F600.", "G55\nX120. F600."), "its offset"),
        (CUTTING.replace("G54 G0 X88. Y36.\n", "G0 X88.\n"), "where it begins"),
        (CUTTING.replace("S3200 M3\n", "M3\n").replace("F600.", "F600.\nS900"), "its speed"),
        (CUTTING.replace("G1 Z-8.8 F400.", "G1 Z-8.8"), "its feed"),
        (CUTTING.replace("X120. F600.", "G18 X120. F600."), "G17"),
    ],
)
def test_an_operation_that_counts_on_what_stands_before_it_is_not_cut_again(quiet, text, missing):
    """Cut once more it would find what it left behind itself: another tool, distances for positions."""
    ready = planned(quiet, plan({**BOSS, "size_limit": 0.1, "on_fail": "go on"}))
    with pytest.raises(WeaveError, match=rf"does not say {missing}"):
        weave(quiet, take_apart(text), ready, [1], again_of(ready, 611))


def test_without_variables_of_its_own_state_the_text_tells_it_or_it_is_refused(scene):
    session = Session(scene, None, shipped_profile("probe-params"), seed=None)
    text = plain(CUTTING)
    program = take_apart(text)
    woven = weave(session, program, planned(session, plan(BOSS)), [1])
    before, _ = run(session, text)
    cut, done = run(session, woven)
    assert done.failure() is None
    assert cut == before
    assert unweave(take_apart(woven)) == text
    ready = planned(session, plan(BOSS))
    for changed, reason in (
        (text.replace("N20 T5 M6\n", ""), "same tool goes on"),
        (text.replace("G43 H12 Z40. M8", "G43 H12 Z40. M8\nM98 P55"), "calls another program"),
        (text.replace("G21 ", ""), "in mm or inches"),
        (text.replace("G54 ", "", 1), "which offset it works in"),
        (text.replace("X120. F600.", "X120. F#<slow>"), r"does not tell the feed .* F#<SLOW>"),
        (text.replace("G43 H12 Z40. M8", "G43 H12 Z40. M8\nG#31"), "does not tell which codes hold"),
    ):
        with pytest.raises(BriskAnchorError, match=reason):
            weave(session, take_apart(changed), ready, [1])
    with pytest.raises(WeaveError, match="more than 400000 lines"):
        take_apart("\n" * 400_001)
    with pytest.raises(WeaveError, match="cannot jump back"):
        weave(session, program, ready, [1], again_of(ready, 611))


@pytest.mark.parametrize(
    ("text", "after", "reason"),
    [
        (CUTTING.replace("G0 Z40.\nM9", "#150=3\nG0 Z40.", 1), [1], "uses #150"),
        (CUTTING, [7], "no operation 7"),
        (CUTTING, [], "After which"),
        (CUTTING.replace("X120. F600.", "G41 X120. F600."), [1], "compensation"),
        *[
            (CUTTING.replace("X120. F600.", code), [1], f"{reason}.* End it with G{end} there")
            for code, reason, end in (
                ("G68 X0 Y0 R5.", "turned", 69),
                ("G68.2 X0 Y0 Z0 I0 J30. K0", "turned", 69),
                ("G51 X0 Y0 P1020", "scaled", 50),
                ("G51.1 X0", "mirrored", 50.1),
                ("G16", "polar", 15),
                ("G12.1", "go round a face", 13.1),
                ("G66 P8100 A1.", "every move of the probe", 67),
                ("G43.4 H12", "held while axes turn", 49),
            )
        ],
        (CUTTING.replace("G43 H12 Z40. M8", "G43 H12 Z40. M8\nG54.1 P#500"), [1], "does not tell which offset"),
        (CUTTING.replace("N20 T5 M6\n", ("(SECOND)\n")).replace("T12 M6", "T#500 M6"), [1], "tell which tool"),
        (EARLY.replace("\nT5\n", "\nT#500\n"), [1], r"which tool is prepared .* line 8 works T#500 out"),
        (EARLY.replace("\nT5\n", "\nT5\nM98 P9\n"), [1], r"which tool is prepared .* calls another program"),
        (EARLY.replace("\nT5\n", "\n/T5\n"), [1], r"which tool is prepared .* can be skipped"),
        (CUTTING.replace("G43 H5 Z40. M8", "Z40. M8"), [1], "goes on with the length code"),
        (CUTTING.replace("G43 H5 Z40.", "H5 Z40."), [1], "goes on with the length code"),
        (CUTTING.replace("X104. Y36.\n", "X104. Y36.\nG91\n"), [1], "begins in Z by a distance"),
        (CUTTING.replace("S2600 M3\n", "").replace("Z-16. F150.", "Z-16. F150.\nS2600 M3"), [1], "spindle runs"),
        ("X1\n", [1], "no tool change"),
        ("(BRISK ANCHOR 1 BEGIN X)\n" + CUTTING, [1], "no partner"),
    ],
)
def test_what_cannot_be_put_in_is_told(quiet, text, after, reason):
    with pytest.raises(BriskAnchorError, match=reason):
        weave(quiet, take_apart(text), planned(quiet, plan(BOSS)), after)


@settings(max_examples=40, deadline=None)
@given(
    newline=st.sampled_from(["\n", "\r\n"]),
    tail=st.sampled_from(["", "\n", "\n\n", "\n%", "\n%\n"]),
    after=st.lists(st.integers(1, 3), min_size=1, max_size=3),
    extra=st.lists(st.text("GXYZ 0123.;%é\t", max_size=12), max_size=3),
)
def test_out_again_without_a_trace(newline, tail, after, extra):
    """Whatever the ends of its lines and its last line, and however often something is put in."""
    session, ready = top_alone()
    comments = (f"({words.strip('%;')})" for words in extra)
    body = ["O100 (X)", "T1 M6", "G43 H1 Z50.", *comments, "T2 M6", "X5.", "T3 M6", "M30"]
    text = newline.join(body) + tail.replace("\n", newline)
    count = len(take_apart(text).operations)
    once = weave(session, take_apart(text), ready, [min(n, count) for n in after])
    twice = weave(session, take_apart(once), ready, [1])
    assert unweave(take_apart(twice), 2) == once
    assert unweave(take_apart(twice)) == text
    assert [w.number for w in take_apart(twice).woven] == [1, 2]


def test_weaving_from_the_command_line(tmp_path):
    cutting, out, back = tmp_path / "c.nc", tmp_path / "w.nc", tmp_path / "b.nc"
    cutting.write_bytes(CUTTING.replace("\n", "\r\n").encode("latin-1") + b"(\xe9)")

    def call(*words, code=0):
        result = CliRunner().invoke(app, ["weave", *map(str, words)])
        assert result.exit_code == code, f"{result.output} {result.exception}"
        return result.output

    assert "FACE THE BOSS" in call(cutting)
    told = call(cutting, "--measure", "boss", "--keep", "D #610", "--after", "1", "--out", out)
    assert "+(BRISK ANCHOR 1 BEGIN" in told
    assert "the same moves are cut" in told
    assert "1  MEASURE" in call(out)
    with pytest.raises(BriskAnchorError, match="is no number"):
        CliRunner().invoke(app, ["weave", str(out), "--remove", "²"], catch_exceptions=False)
    call(out, "--remove", "all", "--out", back)
    assert back.read_bytes() == cutting.read_bytes()
    assert difference("a\n", "a\n", "x") == []
