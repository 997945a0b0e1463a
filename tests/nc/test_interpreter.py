"""The interpreter: what it does, and everything it refuses, with line and reason."""

from __future__ import annotations

import re

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from brisk_anchor.core.errors import NcError
from brisk_anchor.nc.read.interpreter import Interpreter, Status
from tests.nc.collector import Collector


def run(text, profile, machine=None, limit=5000):
    machine = machine or Collector()
    interpreter = Interpreter(text, profile, machine)
    interpreter.run(limit)
    return interpreter, machine


@pytest.mark.parametrize(
    ("expression", "value"),
    [
        ("1+2*3", 7.0),
        ("[1+2]*3", 9.0),
        ("10-2-3", 5.0),
        ("12/3/2", 2.0),
        ("-[2]", -2.0),
        ("7MOD4", 3.0),
        ("SQRT[16]", 4.0),
        ("ABS[-2.5]", 2.5),
        ("SIN[30]", 0.5),
        ("ATAN[1]/[-1]", 135.0),
        ("ROUND[2.5]+ROUND[-2.5]", 0.0),
        ("FIX[-1.7]+FUP[1.2]", 1.0),
        ("#[100+1]", 42.0),
        ("##102", 42.0),
        ("#150+1", 1.0),
        ("EXP[0]", 1.0),
        ("ATAN[1]", 45.0),
        ("ATAN[1,-1]+0", 135.0),
        ("POW[2,10]", 1024.0),
        ("12 AND 10", 8.0),
        ("12 OR 3 XOR 1", 14.0),
        ("LN[EXP[2]]", 2.0),
        ("TAN[45]*COS[60]", 0.5),
        ("ACOS[0]-ASIN[1]", 0.0),
    ],
)
def test_expressions(profile, expression, value):
    interpreter, _ = run(f"#101=42\n#102=101\n#110={expression}\nM30", profile)
    assert interpreter.status is Status.ENDED
    assert interpreter.common[110] == pytest.approx(value, abs=1e-12)


@pytest.mark.parametrize(
    ("condition", "holds"),
    [
        ("#150 EQ #0", True),
        ("#150 EQ 0", False),
        ("#150 NE #0", False),
        ("0 EQ #0", False),
        ("#150 LT 1", True),
        ("2 GE 2", True),
        ("1 GT 2", False),
    ],
)
def test_null_is_not_zero_but_counts_as_zero(profile, condition, holds):
    interpreter, _ = run(f"#101=0\nIF [{condition}] THEN #101=1\nM30", profile)
    assert (interpreter.common[101] == 1) is holds


def test_moves_go_by_offset_length_and_mode(profile):
    _, machine = run(
        "G21 G90 G54\nG0 X10. Y20.\nG43 H20\nG0 Z5.\nG55\nG1 X0. F100\nG91\nX-1. Y2.\nG90 G53 G0 Z0.\n"
        "G49\nG0 Z#150\nM30",
        profile,
    )
    assert machine.moves == [
        ("rapid", (-90.0, -30.0, 0.0), 2),
        ("rapid", (-90.0, -30.0, -45.0), 4),
        ("feed", (-10.0, -30.0, -45.0), 100.0),
        ("feed", (-11.0, -28.0, -45.0), 100.0),
        ("rapid", (-11.0, -28.0, 0.0), 9),
    ]


def test_loops_branches_and_subprograms(profile):
    text = """O100
#100=0
WHILE [#100 LT 3] DO1
#100=#100+1
G65 P200 A#100 X10.
END1
IF [#101 EQ 6] GOTO 50
#102=99
N50 M98 P300
M30
O200
#101=#101+#1
#24=#24+1
M99
O300
IF [#24 NE #0] THEN #102=1
M99"""
    interpreter, _ = run(text, profile)
    assert interpreter.status is Status.ENDED
    assert interpreter.common[100] == 3
    assert interpreter.common[101] == 6
    assert 102 not in interpreter.common


def test_skip_position_is_read_in_the_frame_of_the_profile(profile):
    machine = Collector(stops=[(-3.0, 0.0, 0.0)])
    text = "G91 G31 X-10. F100\n#101=#5061\n#102=#5061+#5021-#5041\n#103=#5221\nPOPEN\nDPRNT[X#102[44]*N#101[20]]\nM30"
    interpreter, _ = run(text, profile, machine)
    assert interpreter.common[101] == pytest.approx(97.0)
    assert interpreter.common[102] == pytest.approx(-3.0)
    assert interpreter.common[103] == -100.0
    assert interpreter.printed == ["X-3.0000 N97"]
    shut = Interpreter("DPRNT[X#102[44]]\nM30", profile, Collector())
    shut.run()
    assert "the printer is closed" in shut.alarm.text


def test_offset_write_rounds_to_the_resolution_and_keeps_other_axes(profile):
    _, machine = run("G90 G10 L2 P2 X-1.23456 Z3.\nM30", profile)
    assert machine.offsets["G55"] == pytest.approx((-1.2346, -20.0, 3.0), abs=1e-12)


def test_alarm_and_stop_carry_number_and_text(profile):
    interpreter, machine = run("#3000=105 (G54 X JUMPS)\nG0 X1.\nM30", profile)
    assert (interpreter.alarm.number, interpreter.alarm.text, interpreter.alarm.line) == (105, "G54 X JUMPS", 1)
    assert not machine.moves
    interpreter, _ = run("M0\n#101=1\nM30", profile)
    assert interpreter.status is Status.STOPPED
    interpreter.run()
    assert interpreter.common[101] == 1


# Refused while reading: nothing has moved. (text, line, reason)
UNREADABLE = [
    ("G0 X1.\nG0 X1.2.3\nM30", 2, "no figure"),
    ("G0 X\nM30", 1, "no figure"),
    ("(open\nM30", 1, "opened and not closed"),
    ("G0 X1.)\nM30", 1, "never opened"),
    ("#100=[1+2\nM30", 1, "missing"),
    ("#100=FOO[1]\nM30", 1, "FOO is no function"),
    ("IF [1 EQ 1] G0\nM30", 1, "THEN"),
    ("IF [1] GOTO 5\nM30", 1, "condition"),
    ("WHILE [1 EQ 1] DO1\nM30", 1, "never ended"),
    ("END1\nM30", 1, "no DO 1"),
    ("N5 G0\nN5 G0\nM30", 2, "twice"),
    ("O1\nM30\nO1\nM30", 3, "two programs"),
    ("G0 X1. @\nM30", 1, "no word"),
    ("#100=1 G0\nM30", 1, "not understood"),
    ("", 1, "no program"),
    ("%\n%", 1, "no program"),
    ("G0 X" + "1" * 500, 1, "longer"),
    ("G0 X1\x07\nM30", 1, "cannot be printed"),
    ("(PL\xc4TTE\u2028 G0 X9.)\nM30", 1, "cannot be printed"),
    ("G1 \u01315. F100\nM30", 1, "“\u0131” is no character"),
    ("#100=" + "[" * 60 + "1" + "]" * 60, 1, "nested too deeply"),
    ("DPRNT[A#1]\nM30", 1, "missing"),
]


@pytest.mark.parametrize(("text", "line", "reason"), UNREADABLE)
def test_what_cannot_be_read_is_refused_before_anything_moves(profile, text, line, reason):
    with pytest.raises(NcError, match=reason) as caught:
        Interpreter(text, profile, Collector())
    assert caught.value.line == line
    assert caught.value.one_line().startswith(f"Line {line}: ")


# Refused when the block is reached. (block, reason)
REFUSED = [
    ("G2 X1. Y1. R5.", "no feed|too small"),
    ("G5 X1.", "G5 is not known"),
    ("G0.5 X1.", "G0.5 is not known"),
    ("M66", "M66 is not known"),
    ("M3 M5", "contradict"),
    ("S-5", "makes no sense"),
    ("Q5", "Q has no meaning"),
    ("G38.2 X1. F100", "no skip move"),
    ("G54.1 P99", "no row"),
    ("G28", "names no axis"),
    ("G95 G1 X1. F0.1", "does not turn"),
    ("G68 X0 Y0", "wants R"),
    ("G18 G68 R5.", "XY plane"),
    ("G68 R5. X0 Y0 Z1.", "Z has no meaning"),
    ("G10 L10 P5", "wants R"),
    ("G10 L2 P1 R5.", "no rotation"),
    ("G1 F100 G3 X1. Y0.", "contradict"),
    ("G3 X1. Y0. F100", "needs I and J"),
    ("G3 X1. Y0. I5. R5. F100", "at once"),
    ("G3 X-100. Y50. R5. F100", "too small|where it begins"),
    ("G3 X-100. Y-50. I1. J0. F100", "ends .* mm from it"),
    ("G92.1 X5.", "X has no meaning"),
    ("G0 G1 X1.", "contradict"),
    ("G90 G91", "contradict"),
    ("G54 G55", "contradict"),
    ("M0 M30", "contradict"),
    ("X1.", "how to move is not known"),
    ("G1 X1.", "no feed"),
    ("G1 X1. F-5.", "makes no sense"),
    ("G31 X1.", "no feed"),
    ("G31 F100", "names no axis"),
    ("G53 G0", "names no axis"),
    ("G91 G53 G0 Z0.", "absolute"),
    ("G91 G10 L2 P1 X1.", "different things"),
    ("G10 L2 P9 X1.", "no row"),
    ("G10 P1 X1.", "no row"),
    ("G43", "no variable"),
    ("G43 H7", "empty in the tool table"),
    ("G0 X1. X2.", "X stands twice"),
    ("G0 X1. P3.", "P has no meaning"),
    ("G0 X[1E0]", "no function|missing|word"),
    ("GOTO 99", "no N99"),
    ("G65 P77", "no subprogram O0077"),
    ("G65 P77 G1", "cannot be given"),
    ("G4", "time to wait"),
    ("G4 X999.", "0 to 600"),
    ("M99", "for ever"),
    ("#5041=1", "cannot be written"),
    ("#100=#5061", "no skip move"),
    ("#100=#4711", "no variable this control knows"),
    ("#100=1/0", "divides by zero"),
    ("#100=SQRT[-1]", "below zero"),
    ("#100=ASIN[2]", "outside"),
    ("#100=LN[0]", "zero or less"),
    ("#100=EXP[9999]", "too large"),
    ("#100=POW[-1,0.5]", "below zero"),
    ("#100=POW[0,-1]", "too large"),
    ("#100=POW[2]", "two figures"),
    ("#100=1.5 AND 1", "whole numbers"),
    ("#1.5=1", "no variable"),
    ("G0 X999999.", "nowhere"),
]


@pytest.mark.parametrize(("block", "reason"), REFUSED)
def test_what_is_not_known_is_an_alarm_with_its_line(profile, block, reason):
    try:
        interpreter, machine = run(f"(head)\n{block}\nG0 X1.\nM30", profile)
    except NcError as error:
        assert re.search(reason, error.reason)
        return
    assert interpreter.status is Status.ALARM
    assert interpreter.alarm.line == 2
    assert re.search(reason, interpreter.alarm.text), interpreter.alarm.text
    assert not machine.moves


@pytest.mark.parametrize(
    ("text", "reason"),
    [("N1 GOTO 1\nM30", "circles"), ("G65 P5\nM30\nO5\nG65 P5\nM99", "nested"), ("G21", "without M2, M30")],
)
def test_runaway_programs_stop(profile, text, reason):
    interpreter, _ = run(text, profile)
    assert interpreter.status is Status.ALARM
    assert reason in interpreter.alarm.text


WORDS = st.sampled_from(
    "G0 G1 G31 G53 G90 G91 G54 G10 L2 P1 X1. Y-2 Z#101 F100 #101=1 #[ ] [ IF THEN GOTO WHILE DO1 END1 EQ ( ) DPRNT[ "
    "M30 M99 O5 N7 G65 P5 #5061 SQRT[4] / * + - # . 1e9 \t % ; ü".split(" ")
)


@settings(max_examples=300, deadline=None)
@given(st.lists(st.lists(WORDS, max_size=6).map(" ".join), max_size=12).map("\n".join))
def test_any_text_ends_in_a_clean_run_or_a_clean_alarm(profile, text):
    try:
        interpreter, _ = run(text, profile, limit=300)
    except NcError as error:
        assert error.reason
        return
    assert interpreter.status in (Status.ENDED, Status.ALARM, Status.STOPPED)
    assert (interpreter.status is Status.ALARM) == (interpreter.alarm is not None)


@pytest.mark.parametrize(
    ("words", "written", "feed"),
    [
        ("G21 F300.", 300.0, 300.0),
        ("G20 F10.", 10.0, 254.0),
        ("G20 G93 F2.", 2.0, 2.0),
        ("G20 S100 M3 G95 F.01", 0.01, 0.254),
        ("G21 F300.\nG94", 300.0, 300.0),  # what holds already is no change of what F means
    ],
)
def test_a_feed_is_told_as_its_word_has_it(profile, words, written, feed):
    interpreter, _ = run(words, profile)
    assert interpreter.modal.written_feed == pytest.approx(written)
    assert float(interpreter.modal.feed_word[1:]) == pytest.approx(written)
    assert interpreter.modal.feed == pytest.approx(feed)
