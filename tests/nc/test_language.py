"""What each word does, against figures worked out by hand: planes, arcs, shifts, units, repeats, modal variables."""

from __future__ import annotations

import math
import re
from itertools import pairwise

import pytest
from hypothesis import given
from hypothesis import strategies as st

from brisk_anchor.core.errors import NcError
from brisk_anchor.nc.profile.control_profile import Profile, shipped_profile
from brisk_anchor.nc.read.arcs import CHORD, arc_centre, arc_points, arc_sweep
from brisk_anchor.nc.read.expressions import ExpressionError
from brisk_anchor.nc.read.interpreter import Interpreter, Status
from brisk_anchor.nc.read.modal import PLANE_AXES
from brisk_anchor.nc.read.scanner import scan_program
from tests.nc.collector import Collector


def run(text, profile, machine=None):
    machine = machine or Collector()
    interpreter = Interpreter(text + "\nM30", profile, machine)
    interpreter.run(5000)
    assert interpreter.status is Status.ENDED, interpreter.alarm
    return interpreter, machine


def changed(profile, **change):
    return Profile.model_validate(profile.model_dump() | change)


# G54 of the collector is -100 -50 -200, G55 is -10 -20 -30. (text, where it ends)
ENDS = [
    ("G90 G54 G0 X1. Y2. Z3.", (-99.0, -48.0, -197.0)),
    ("G90 G55 G0 X1. Y2. Z3.", (-9.0, -18.0, -27.0)),
    ("G20 G90 G54 G0 X1. Y-2.", (-74.6, -100.8, 0.0)),
    ("G20 G91 G0 X1.\nG21 X1.", (26.4, 0.0, 0.0)),
    ("G90 G54 G52 X5. Y5.\nG0 X0. Y0. Z0.", (-95.0, -45.0, -200.0)),
    ("G90 G54 G52 X5.\nG52 X0.\nG0 X0.", (-100.0, 0.0, 0.0)),
    ("G90 G54 G0 X0. Y0. Z0.\nG92 X10.\nG0 X0.", (-110.0, -50.0, -200.0)),
    ("G90 G54 G0 X0. Y0. Z0.\nG92 X10.\nG92.1\nG0 X1.", (-99.0, -50.0, -200.0)),
    ("G90 G54 G0 X0. Y0. Z0.\nG92 X10.\nG92.2\nG92.3\nG0 X0.", (-110.0, -50.0, -200.0)),
    ("G90 G10 L2 P0 X1. Y2. Z3.\nG54 G0 X0. Y0. Z0.", (-99.0, -48.0, -197.0)),
    ("G90 G10 L20 P7 X-7. Y-8. Z-9.\nG54.1 P7\nG0 X0. Y0. Z0.", (-7.0, -8.0, -9.0)),
    ("G90 G54 G68 X0. Y0. R90.\nG0 X10. Y0.", (-100.0, -40.0, 0.0)),
    ("G90 G54 G68 X0. Y0. R90.\nG0 X10. Y0.\nG91 X5. Y1.\nG90 G69", (-101.0, -35.0, 0.0)),
    ("G90 G54 G68 X10. Y0. R180.\nG0 X0. Y0.", (-80.0, -50.0, 0.0)),
    ("G90 G54 G0 X9.\nG28 X9.", (0.0, 0.0, 0.0)),
    ("G90 G54 G43 H20 G0 Z0.\nG49", (0.0, 0.0, -50.0)),
    ("G90 G54 G43.1 Z10.\nG0 Z0.", (0.0, 0.0, -190.0)),
    ("G91 G0 X.1\n" + "X.1\n" * 99 + "X-10.", (0.0, 0.0, 0.0)),
    ("O1\nM98 P2 L3\nM30\nO2\nG91 G0 X1.\nM99", (3.0, 0.0, 0.0)),
    ("O1\nG65 P2 L2 A4.\nM30\nO2\n#1=#1+1\nG91 G0 X#1\nM99", (10.0, 0.0, 0.0)),
    ("O1\nM98 P2\nG91 G0 X1.\nN5 G91 G0 Y1.\nM30\nO2\nM99 P5", (0.0, 1.0, 0.0)),
    ("/G91 G0 X1.\nG91 G0 Y1.", (1.0, 1.0, 0.0)),
]


@pytest.mark.parametrize(("text", "end"), ENDS)
def test_where_blocks_end(profile, text, end):
    _, machine = run(text, profile)
    assert machine.position == pytest.approx(end, abs=1e-9)


def test_block_delete_leaves_marked_blocks_out(profile):
    machine = Collector()
    interpreter = Interpreter("/G91 G0 X1.\nG91 G0 Y1.\nM30", profile, machine)
    interpreter.block_delete = True
    interpreter.run()
    assert machine.position == (0.0, 1.0, 0.0)


def test_an_axis_not_named_stays_to_the_last_bit(profile):
    machine = Collector()
    machine.position = (0.1 + 0.2, -1 / 3, 1e-7)
    run("G90 G54 G0 X1.", profile, machine)
    assert machine.position[1:] == (-1 / 3, 1e-7)


@pytest.mark.parametrize(
    ("text", "feed"),
    [
        ("G94 G1 X10. F500", 500.0),
        ("G20 G94 G1 X1. F10", 254.0),
        ("G93 G91 G1 X10. F2", 20.0),
        ("M3 S1000\nG95 G1 X10. F0.2", 200.0),
    ],
)
def test_feed_modes(profile, text, feed):
    _, machine = run(text, profile)
    assert machine.moves[-1][2] == pytest.approx(feed)


def test_a_new_feed_mode_needs_a_new_feed(profile):
    interpreter = Interpreter("G94 G1 X1. F500\nG93\nX2.\nM30", profile, Collector())
    interpreter.run()
    assert interpreter.alarm.line == 3
    assert "no feed" in interpreter.alarm.text


@pytest.mark.parametrize(("letter", "seconds"), [("X2.", 2.0), ("P500", 0.5), ("U1.5", 1.5)])
def test_dwell_letters_have_the_units_of_the_profile(profile, letter, seconds):
    _, machine = run(f"G4 {letter}", profile)
    assert machine.moves == [("dwell", pytest.approx(seconds), 1)]


def test_figures_without_a_point_as_least_increments(profile):
    fine = changed(profile, input=profile.input.model_dump() | {"integers": "least increment"})
    _, machine = run("G91 G0 X10000 Y10. Z-1", fine)
    assert machine.position == pytest.approx((1.0, 10.0, -0.0001))
    _, machine = run("#101=10\nG91 G0 X#101 Y[5+5]", fine)
    assert machine.position == (10.0, 10.0, 0.0)


def test_semicolon_comments_where_the_profile_has_them(profile):
    with_it = changed(profile, input=profile.input.model_dump() | {"semicolon_comments": True})
    _, machine = run("G91 G0 X1. ; X5. (not) read", with_it)
    assert machine.position == (1.0, 0.0, 0.0)


def test_modal_state_can_be_read(profile):
    text = "G91 G18 G55\n#101=#4002\n#102=#4003\n#103=#4014\n#104=#4006\nG90 G17 G1 X0 F300\n#105=#4001\n#106=#4109"
    interpreter, _ = run(text, profile)
    assert [interpreter.common[n] for n in range(101, 107)] == [18, 91, 55, 21, 1, 300]


def test_straight_probes_with_their_flag(profile):
    ngc = changed(
        profile,
        moves=profile.moves.model_dump() | {"skip": "G91 G38.3"},
        skip={"words": ["G38.2", "G38.3", "G38.4", "G38.5"], "contact_flag": 5070, "after_miss": "end position"},
        l20_sets_position=True,
    )
    machine = Collector(stops=[(-3.0, 0.0, 0.0)])
    interpreter, _ = run("G91 G38.2 X-10. F100\n#101=#5070\nG38.3 X-5. F100\n#102=#5070\n#103=#5061", ngc, machine)
    assert (interpreter.common[101], interpreter.common[102]) == (1.0, 0.0)
    assert interpreter.common[103] == pytest.approx(92.0)
    interpreter = Interpreter("G91 G38.2 X-10. F100\nM30", ngc, Collector())
    interpreter.run()
    assert "without contact" in interpreter.alarm.text
    machine = Collector()
    machine.position = (-103.0, 0.0, 0.0)
    run("G90 G54 G10 L20 P1 X1.", ngc, machine)
    assert machine.offsets["G54"][0] == pytest.approx(-104.0)
    run("G90 G54 G10 L20 P2 X1.", ngc, machine)
    assert machine.offsets["G55"][0] == pytest.approx(-104.0)


ANGLE = st.floats(-math.pi, math.pi)


@given(
    ANGLE, st.floats(0.2, 6.0), st.floats(0.5, 200), st.sampled_from([17, 18, 19]), st.booleans(), st.floats(-20, 20)
)
def test_arcs_stay_on_their_circle_and_turn_the_right_way(first, turn, radius, plane, clockwise, rise):
    axes = a, b, c = PLANE_AXES[plane]
    last = first + (-turn if clockwise else turn)
    start, end = [5.0, 6.0, 7.0], [5.0, 6.0, 7.0]
    start[a], start[b] = 30 + radius * math.cos(first), -40 + radius * math.sin(first)
    end[a], end[b], end[c] = 30 + radius * math.cos(last), -40 + radius * math.sin(last), start[c] + rise
    words = {"IJK"[a]: 30 - start[a], "IJK"[b]: -40 - start[b]}
    centre = arc_centre(tuple(start), tuple(end), axes, words, clockwise=clockwise)
    assert centre == pytest.approx((30, -40), abs=1e-9)
    sweep = arc_sweep(tuple(start), tuple(end), centre, axes, clockwise=clockwise)
    assert sweep == pytest.approx(-turn if clockwise else turn, abs=1e-6)
    points = [tuple(start), *arc_points(tuple(start), tuple(end), centre, axes, sweep)]
    assert points[-1] == tuple(end)
    for before, after in pairwise(points):
        assert math.hypot(after[a] - 30, after[b] + 40) == pytest.approx(radius, abs=1e-6)
        middle = math.hypot((before[a] + after[a]) / 2 - 30, (before[b] + after[b]) / 2 + 40)
        assert radius - middle <= CHORD * 1.01
    if abs(turn - math.pi) > 0.05:
        by_radius = {"R": radius if turn < math.pi else -radius}
        assert arc_centre(tuple(start), tuple(end), axes, by_radius, clockwise=clockwise) == pytest.approx(
            (30, -40), abs=1e-3
        )


def test_a_whole_circle_and_a_helix_in_blocks(profile):
    _, machine = run("G91 G17 G1 F600\nG2 X0. Y0. I5. J0.\nG3 X0. Y0. I-5. J0. Z-2.", profile)
    assert machine.position == pytest.approx((0.0, 0.0, -2.0), abs=1e-9)
    turned = [move[1] for move in machine.moves]
    assert max(x for x, _, _ in turned) == pytest.approx(10.0, abs=1e-2)
    assert min(x for x, _, _ in turned) == pytest.approx(-10.0, abs=1e-2)
    with pytest.raises(ExpressionError, match="where it begins"):
        arc_centre((0, 0, 0), (0, 0, 0), (0, 1, 2), {"R": 5.0}, clockwise=True)


def test_stand_in_refuses_what_would_break_the_probe(scene, profile):
    for text, reason in (
        ("M3 S500", "turn the spindle"),
        ("T6 M6", "magazine"),
        ("G10 L10 P20 R1.", "calibrated|length of the probe"),
    ):
        interpreter = Interpreter(f"{text}\nM30", profile, scene.stand_in())
        interpreter.run()
        assert re.search(reason, interpreter.alarm.text)
    interpreter = Interpreter("T20 M6\nM5\nM8\nM9\nM30", profile, scene.stand_in())
    assert interpreter.run() is Status.ENDED


def test_a_probe_pulled_off_a_wall_signals_where_it_comes_free(scene):
    machine = scene.stand_in(seed=None, position=(-434.0, -250.0, -365.0))
    touched = machine.skip((-410.0, -250.0, -365.0), 800.0, 1)
    freed = machine.skip((-434.0, -250.0, -365.0), 60.0, 1, away=True)
    assert freed.contact
    assert freed.latched[0] == pytest.approx(touched.latched[0] - 0.006, abs=2e-4)
    assert not machine.skip((-440.0, -250.0, -365.0), 60.0, 1, away=True).contact


def test_a_long_program_streams_as_it_would_run_whole(profile):
    text = "%\nO1 (long)\nG21 G90 G54\nG0 X1.\nM98 P7 L2\n#500=#500+1.\nM30\nO7\nG91 G1 Z-1. F100\nG90\nM99\n%"
    whole, streamed = Collector(), Collector()
    Interpreter(text, profile, whole).run()
    interpreter = Interpreter.streamed(lambda: iter(text.split("\n")), profile, streamed)
    assert interpreter.run() is Status.ENDED
    assert streamed.moves == whole.moves
    for line, reason in (
        ("GOTO 5", "straight through"),
        ("WHILE [1 EQ 1] DO1", "straight through"),
        ("G0 X1Q", "no figure"),
    ):
        with pytest.raises(NcError, match=reason) as caught:
            Interpreter.streamed(lambda line=line: ["O1", "G0 X1.", line, "M30"], profile, Collector())
        assert caught.value.line == 3
    endless = ["O1", "M98 P7", "M30", "O7", "N1 GOTO 1"]
    looping = Interpreter.streamed(lambda: endless, profile, Collector())
    assert looping.run(500) is Status.ALARM
    assert "round in circles" in looping.alarm.text
    cut = Interpreter.streamed(lambda: ["O1", "G0 X1."], profile, Collector())
    assert cut.run() is Status.ALARM
    assert "ends without" in cut.alarm.text


def lathe_words(profile):
    return changed(profile, input=profile.input.model_dump() | {"increments_uvw": True})


@pytest.mark.parametrize(
    ("block", "moved"),
    [
        ("G90 X10. W5.", (10.0 - 100.0, 0.0, 5.0)),
        ("G91 X10. W5.", (10.0, 0.0, 5.0)),
        ("G90 U3. V-2.", (3.0, -2.0, 0.0)),
        ("G90 G53 X-7.", (-7.0, 0.0, 0.0)),
    ],
)
def test_steps_beside_positions_each_go_their_own_way(profile, block, moved):
    interpreter, machine = run(f"G0 {block}", lathe_words(profile))
    assert interpreter.alarm is None
    assert machine.position == pytest.approx(moved)


@pytest.mark.parametrize("block", ["G90 G53 G0 X1. W5.", "G0 X1. U2.", "G92 W1.", "G90 G53 G0 U1."])
def test_steps_that_mean_nothing_are_refused(profile, block):
    machine = Collector()
    interpreter = Interpreter(f"{block}\nM30", lathe_words(profile), machine)
    interpreter.run()
    assert re.search("no meaning|same axis", interpreter.alarm.text)
    assert machine.position == (0.0, 0.0, 0.0)


@pytest.mark.parametrize("row", [0, 1, 2])
def test_l20_makes_the_present_place_read_so_in_any_row_and_in_the_common_shift(profile, row):
    """Afterwards, with that row active, the program position is what was asked for, shifts and angles included."""
    machine = Collector()
    machine.angles = {"B": 30.0}
    machine.offsets["common"] = (1.0, 2.0, 3.0)
    machine.angle_offsets = {"G54": {"B": 5.0}, "G55": {"B": -7.0}, "common": {"B": 2.0}}
    places = changed(profile, l20_sets_position=True)
    select = "G55" if row == 2 else "G54"
    text = f"G54 G52 X4.\nG0 X50. Y60. Z70.\nG90 G10 L20 P{row} X9. Y8. Z7. B11.\n{select}\n"
    interpreter, _ = run(text + "#101=#5041\n#102=#5042\n#103=#5043\nG0 B11.", places, machine)
    assert interpreter.alarm is None
    assert [interpreter.common[n] for n in (101, 102, 103)] == pytest.approx([9.0, 8.0, 7.0])
    assert machine.angles["B"] == pytest.approx(30.0)


def test_where_the_last_block_ended_and_the_second_reference_place(profile):
    at = changed(profile, reference={"second": (-50.0, -60.0, -70.0)})
    interpreter, machine = run("G91 G30 X0. Z0.\n#101=#5001\n#102=#5201\n#103=#7001", at)
    assert machine.position == (-50.0, 0.0, -70.0)
    assert [interpreter.common[n] for n in (101, 102, 103)] == [50.0, 0.0, 0.0]


def test_a_line_that_was_read_before_keeps_its_own_number_and_its_own_control():
    macro, other = shipped_profile("skip-macro"), shipped_profile("table-only")
    for before in range(3):
        program = "\n".join(["%", "O2100", *["G90"] * before, "#100=1", "M30", "%"])
        blocks = scan_program(program, macro)[0].blocks
        assert [(block.line, block.source) for block in blocks][-2:] == [(3 + before, "#100=1"), (4 + before, "M30")]
    with pytest.raises(NcError) as caught:
        scan_program("O2100\n#100=1\nM30", other)  # known by now, but to a control that has variables
    assert caught.value.line == 2
