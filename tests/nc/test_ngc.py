"""RS-274/NGC: its expressions, parameters, o-words, probing; and controls that take figures alone."""

from __future__ import annotations

import re

import pytest

from brisk_anchor.core.errors import NcError
from brisk_anchor.nc.profile.control_profile import parse_profile, shipped_profile, shipped_text
from brisk_anchor.nc.read.interpreter import Interpreter, Status
from brisk_anchor.nc.read.variables import Memory
from tests.nc.collector import Collector

NGC = shipped_text("probe-params")
WITH_FLOW = NGC.replace("o_words = false", "o_words = true").replace("parameters = false", "parameters = true")
FLOW = parse_profile(WITH_FLOW, "flow")


def run(text, profile=FLOW, machine=None, memory=None):
    interpreter = Interpreter(text + "\nM2", profile, machine or Collector(), memory)
    interpreter.run(5000)
    return interpreter


@pytest.mark.parametrize(
    ("expression", "value"),
    [
        ("2**3**2", 64.0),  # left to right, as every group
        ("2*3**2", 18.0),
        ("1+2*3-4/2", 5.0),
        ("7 MOD 4 + 1", 4.0),
        ("[-7] MOD 4", 1.0),
        ("[-7] MOD [-4]", 1.0),
        ("FIX[-2.8]", -3.0),
        ("FUP[-2.8]", -2.0),
        ("ROUND[2.5]", 3.0),
        ("ATAN[-1]/[-1]", -135.0),
        ("2 AND 1", 1.0),
        ("2 XOR 1", 0.0),
        ("#31", 0.0),  # never null
        ("[1 LT 2] AND [3 GE 3]", 1.0),
    ],
)
def test_expressions(expression, value):
    assert run(f"#40=[{expression}]").common[40] == value


def test_logic_of_the_standard_binds_like_a_sum_and_with_comparisons_loosest():
    plain = shipped_profile("probe-params")
    assert run("#40=[0 AND 1 + 1]", plain).common[40] == 1.0
    assert run("#40=[1 LT 2 AND 4 LT 3]").common[40] == 0.0
    with pytest.raises(NcError):
        run("#40=[1 LT 2]", plain)


def test_settings_of_a_block_take_effect_together_and_before_its_words():
    interpreter = run("#40=1\n#40=5 #41=#40 G0 X#40")
    assert (interpreter.common[40], interpreter.common[41]) == (5.0, 1.0)
    assert interpreter.machine.moves[-1][1][0] == -100.0 + 1.0


LACKING = "#40=1+2|IF [1 EQ 1] GOTO 5|#40=POW[2,3]|G65 P1|G31 X1 F9|M98 P1|G52 X1|O100|#<a>=1|DPRNT[A]"


@pytest.mark.parametrize("block", LACKING.split("|"))
def test_what_the_standard_lacks_is_refused(block):
    try:
        interpreter = run(block, shipped_profile("probe-params"))
    except NcError:
        return
    assert interpreter.status is Status.ALARM


FLOWS = {
    "o1 if [#40 EQ 0]\n#41=1\no1 elseif [#40 EQ 1]\n#41=2\no1 else\n#41=3\no1 endif": {0: 1, 1: 2, 7: 3},
    "#41=0\no1 while [#41 LT #40]\n#41=[#41+1]\no1 endwhile": {0: 0, 4: 4},
    "#41=0\no1 do\n#41=[#41+1]\no1 while [#41 LT #40]": {0: 1, 4: 4},
    "#41=0\no1 repeat [#40]\no2 repeat [2]\n#41=[#41+1]\no2 endrepeat\no1 endrepeat": {0: 0, 3: 6},
    "#41=0\no1 while [1]\n#41=[#41+1]\no2 if [#41 GE #40]\no1 break\no2 endif\no1 endwhile": {3: 3},
    "#41=0 #42=0\no1 repeat [5]\n#42=[#42+1]\no2 if [#42 LE #40]\no1 continue\no2 endif\n#41=[#41+1]\no1 endrepeat": {
        2: 3,
        9: 0,
    },
}


@pytest.mark.parametrize("text", FLOWS)
def test_o_words(text):
    for given, result in FLOWS[text].items():
        interpreter = run(f"#40={given}\n{text}")
        assert (interpreter.status, interpreter.common[41]) == (Status.ENDED, result)


def test_subs_have_parameters_and_names_of_their_own():
    text = """o<deep> sub
    #<mine>=[#1*10]
    #<_seen>=[#<mine>+#2]
    #1=99
    o7 if [#2 GT 5]
    o<deep> return
    o7 endif
    #<_late>=1
    o<deep> endsub
    #1=3 #<mine>=1
    o<deep> call [#1] [4]
    #40=[#<_seen>*1000+#1*10+#<mine>]
    o<deep> call [2] [6]
    #41=#<_seen>"""
    interpreter = run(text)
    assert interpreter.alarm is None
    assert (interpreter.common[40], interpreter.common[41]) == (34031.0, 26.0)
    assert interpreter.memory.names["_LATE"] == 1.0


@pytest.mark.parametrize(
    ("text", "reason"),
    [
        ("o1 if [1]", "never ended"),
        ("o1 endif", "no beginning"),
        ("o1 if [1]\no2 endif\no1 endif", "no beginning"),
        ("o1 break", "no loop"),
        ("o1 sub\nG0 X1", "never ended"),
        ("o1 sub\no2 sub\no2 endsub\no1 endsub", "inside another"),
        ("o1 if [1]\no1 else\no1 elseif [1]\no1 endif", "after the else"),
        ("o1 dance", "no o-word"),
        ("o9 call [1]", "no o9 sub"),
        ("o1 sub\no1 call\no1 endsub\no1 call", "nested more than"),
        ("o1 while [1]\no1 endwhile", "goes round"),
        ("#40=#<unset>", "has not been set"),
    ],
)
def test_broken_flow_is_told(text, reason):
    try:
        interpreter = run(text)
    except NcError as error:
        assert re.search(reason, error.reason)
    else:
        assert interpreter.alarm is not None
        assert re.search(reason, interpreter.alarm.text)


def test_probing_sets_the_parameters_and_refuses_to_begin_in_contact():
    machine = Collector(stops=[(-95.0, -50.0, -200.0), None])
    interpreter = run(
        "G54 G90 G38.2 X9 F100\n#40=#5061 #41=#5070\nG55\n#42=#5061\nG38.3 X3\n#43=#5070", machine=machine
    )
    assert [interpreter.common[n] for n in (40, 41, 42, 43)] == [5.0, 1.0, 5.0, 0.0]
    assert "ended without contact" in run("G90 G38.2 X9 F100").alarm.text
    machine = Collector()
    machine.probe_signals = True
    assert "signals already" in run("G38.3 X9 F100", machine=machine).alarm.text
    machine.probe_signals = False
    assert "no contact to come free of" in run("G38.4 X9 F100", machine=machine).alarm.text


def test_the_parameter_map_reads_tables_shifts_and_reference_places_and_outlasts_a_program():
    memory = Memory()
    interpreter = run("G59.3\n#40=#5220 #41=#5221 #42=#5161\nG92 X#41\n#43=#5211\n#5341=7.5\n#5=8", memory=memory)
    assert [interpreter.common[n] for n in (40, 41, 42, 43)] == [9.0, -100.0, 0.0, 100.0]
    assert interpreter.machine.offset("G59.1") == (7.5, 0.0, 0.0)
    assert run("#50=[#40+#5]", memory=memory).common[50] == 17.0


def test_a_control_that_takes_figures_alone():
    table = shipped_profile("table-only")
    machine = Collector()
    assert run("G90 G10 L2 P1 X-1234567 Y-2.5", table, machine).status is Status.ENDED
    assert machine.offset("G54") == (-1234.567, -2.5, -200.0)  # least increments without a point
    for block in ("#101=1", "X#101", "G0 X[1+1]", "IF [1 EQ 1] GOTO 2", "G31 X1. F5"):
        try:
            assert run(block, table).status is Status.ALARM
        except NcError as error:
            assert error.line == 1
