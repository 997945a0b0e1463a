"""Each step as its text in both languages, written out by hand."""

from __future__ import annotations

import pytest

from brisk_anchor.core.errors import PlanError
from brisk_anchor.core.expressions import Name, Number, RowValue, WearInTable, plus
from brisk_anchor.nc.profile.control_profile import parse_profile, shipped_profile, shipped_text
from brisk_anchor.nc.programs.steps import (
    CallTool,
    Check,
    Compute,
    Guarded,
    KeepAngle,
    KeepResult,
    MarkTool,
    NothingFailed,
    NothingYet,
    OperatorStop,
    Orient,
    Rapid,
    React,
    ReadBack,
    Report,
    SafeState,
    SetWear,
    Sort,
    SpindleStop,
    Store,
    TableAt,
    TiltedPlane,
    TurnTable,
    ZeroWithin,
)
from brisk_anchor.nc.write.macro_writer import MacroWriter
from brisk_anchor.nc.write.parameter_writer import ParameterWriter

A = Name("a")
SORT = Sort("v", A, (1.0, 2.0), (0.5, 2.5), 2, 3)
SORTED = [
    "#102=0 (0 IN, 1 CANNOT TELL, 2 CUT AGAIN, 3 SCRAP)",
    "IF [#101 LT 1.] THEN #102=1",
    "IF [#101 GT 2.] THEN #102=1",
    "IF [#101 LT 0.5] THEN #102=2",
    "IF [#101 GT 2.5] THEN #102=3",
]
SIZE = (Number(2), Number(1), 0.5, 104, "SIZE", "size")
STORE = Store("G54", (("x", Number(-1.25)), ("z", A)))
HELD = ReadBack("G54", (("x", Number(-1.25)), ("r", Number(0.5))))


def written(writer, *steps):
    writer.allocate(("a",))
    writer.allocate(("v",))
    for step in steps:
        writer.step(step)
    return [line.text for line in writer.lines]


@pytest.mark.parametrize(
    ("steps", "lines"),
    [
        ([Compute("a", plus(RowValue("G54", "x"), -2.5), "why")], ["#101=#5221-2.5 (WHY)"]),
        ([SORT], SORTED),
        ([Sort("v", A, (None, 2.0), (0.5, None), 2, 3)], [SORTED[0], SORTED[2], SORTED[3]]),
        ([React("v", 3, "alarm", "SCRAP", 120)], ["IF [#102 EQ 3] THEN #3000=120 (SCRAP)"]),
        ([React("v", 1, "stop", "LOOK", 120)], ["IF [#102 EQ 1] THEN #3006=1 (LOOK)"]),
        ([React("v", 2, "flag #620", "", 120)], ["#620=#102 (VERDICT KEPT)"]),
        (
            [React("v", 3, "block M60", "", 120)],
            ["IF [#102 NE 3] GOTO 9001", "M60 (A BLOCK OF THE SHOP S OWN)", "N9001"],
        ),
        (
            [ZeroWithin("a", 0.002, "noise", "v")],
            [
                "IF [ABS[#101] LE 0.002] THEN #101=0 (NOISE)",
                "IF [#102 GE 2] THEN #101=0 (WHAT IS OUT IS NO DRIFT, A PERSON DECIDES)",
            ],
        ),
        ([ZeroWithin("a", 0.002, "noise")], ["IF [ABS[#101] LE 0.002] THEN #101=0 (NOISE)"]),
        (
            [SetWear(12, "length wear", plus(WearInTable(12, "length wear"), -0.01))],
            ["#10012=#10012-0.01 (WRITE THE LENGTH WEAR OF T12)"],
        ),
        ([SetWear(12, "radius wear", Number(0.02))], ["#12012=0.02 (WRITE THE RADIUS WEAR OF T12)"]),
        ([KeepResult(620, Number(3.5), "kept")], ["#620=3.5 (KEPT)"]),
        ([STORE], ["G10 L2 P1 X-1.25 Z#101 (WRITE G54)"]),
        (
            [KeepAngle("G54", Number(1.5))],
            ["#531=1.5 (ANGLE G54)", "(A PROGRAM IN G54 TURNS ITS COORDINATES BY G68 X0. Y0. R#531)"],
        ),
        ([KeepAngle("G54", Number(0.0))], ["#531=0. (ANGLE G54)"]),
        ([TurnTable("B", Number(-90.0))], ["G91 G0 B-90.", "G90"]),
        ([TableAt((("A", 30.0),))], ["G90 G53 G0 A30."]),
        ([OperatorStop("LOOK"), OperatorStop("LOOK", optional=True)], ["M0 (LOOK)", "M1 (LOOK)"]),
        ([MarkTool(12, usable=False)], ["#812=1 (T12 IS NOT TO BE USED)"]),
        ([MarkTool(12, usable=True)], ["#812=0 (T12 MAY BE USED AGAIN)"]),
        ([CallTool(12)], ["IF [#812 GT 0] THEN #3000=116 (T12 IS NOT TO BE USED)", "M5", "M9", "T12 M6"]),
        (
            [NothingYet(), Check(*SIZE, "go on"), NothingFailed()],
            [
                "#103=0",
                "IF [ABS[2.-1.] GT 0.5] THEN #103=1",
                "IF [#103 NE 0] THEN #3000=110 (A CHECK FAILED, NOTHING STORED)",
            ],
        ),
        ([NothingFailed()], []),
        ([Check(*SIZE, "stop")], ["IF [ABS[2.-1.] GT 0.5] THEN #3006=1 (SIZE)"]),
        ([Check(*SIZE)], ["IF [ABS[2.-1.] GT 0.5] THEN #3000=104 (SIZE)"]),
        ([Rapid(x=1.0, z=-2.0)], ["G90 G53 G0 X1. Z-2."]),
        ([Guarded("way", z=Number(-3.25))], ["G65 P7302 Z-3.25 (WAY)"]),
        ([SpindleStop()], ["M5", "M9"]),
        ([Orient(half=True), Orient(half=False)], ["M19 R180.", "M19"]),
        ([HELD], ["IF [ABS[#5221+1.25] GT 0.0002] THEN #3000=106 (G54 X WAS NOT TAKEN)"]),
        (
            [Report(("SOLVED",), (("M", Number(1), 0), ("X", Number(2.5), -1), ("Y", A, -1)))],
            ["DPRNT[BRISK*1*SOLVED*M1*X2.5000*Y#101[44]]"],
        ),
        ([TiltedPlane((620, 621, 622))], ["(A PROGRAM LIES IN THAT PLANE BY G68.2 X0. Y0. Z0. I#620 J#621 K#622)"]),
    ],
)
def test_a_step_in_the_macro_language(steps, lines):
    assert written(MacroWriter(shipped_profile("skip-macro")), *steps) == lines


@pytest.mark.parametrize(
    ("steps", "lines"),
    [
        ([Compute("a", plus(RowValue("G54", "x"), -2.5), "why")], ["#101=[#5221-2.5] (WHY)"]),
        ([SORT], ["#102=-1 (JUDGED BY THE APPLICATION)"]),
        (
            [SORT, React("v", 3, "alarm", "SCRAP", 120)],
            ["#102=-1 (JUDGED BY THE APPLICATION)", "#103=SQRT[2.5-#101] (SCRAP)"],
        ),
        (
            [SORT, React("v", 2, "alarm", "MORE", 120)],
            ["#102=-1 (JUDGED BY THE APPLICATION)", "#103=SQRT[#101-0.5] (MORE)"],
        ),
        ([STORE], ["G90 G10 L2 P1 X-1.25 Z#101 (WRITE G54)"]),
        ([KeepAngle("G54", Number(1.5))], []),
        ([CallTool(12)], ["M5", "M9", "T12 M6"]),
        ([Check(*SIZE)], ["#103=SQRT[0.5-ABS[2.-1.]] (SIZE)"]),
        ([NothingYet(), NothingFailed()], []),
        ([Rapid(x=1.0, z=-2.0)], ["G90 G53 G0 X1. Z-2."]),
        (
            [Guarded("way", z=Number(-3.25))],
            ["G90 G38.3 Z[-3.25-#5383] F3000. (WAY)", "#103=[1/[1-#5070]] (UNEXPECTED CONTACT)"],
        ),
        (
            [HELD],
            [
                "#103=SQRT[0.0002-ABS[#5221+1.25]] (G54 X WAS NOT TAKEN)",
                "#103=SQRT[0.0002-ABS[#5230-0.5]] (G54 R WAS NOT TAKEN)",
            ],
        ),
    ],
)
def test_a_step_without_branches(steps, lines):
    assert written(ParameterWriter(shipped_profile("probe-params")), *steps) == lines


@pytest.mark.parametrize(
    "step",
    [
        React("v", 1, "stop", "LOOK", 120),
        ZeroWithin("a", 0.002, "noise"),
        SetWear(12, "length wear", Number(0.0)),
        MarkTool(12, usable=False),
        Check(*SIZE, "go on"),
        Check(*SIZE, "stop"),
        Orient(half=True),
    ],
)
def test_what_a_language_cannot_do_is_refused_and_not_left_out(step):
    with pytest.raises(PlanError):
        written(ParameterWriter(shipped_profile("probe-params")), SORT, step)


def test_a_verdict_that_ends_the_program_leaves_the_control_as_any_end_does():
    """Printer closed, absolute positions, the shop's own tail: it went without the tail."""
    own = parse_profile(
        shipped_text("skip-macro").replace('last_word = "M30"', 'last_word = "M30"\ntail = ["M9", "G28 G91 Z0."]'),
        "own",
    )
    writer = MacroWriter(own)
    writer.step(SafeState())
    lines = written(writer, SORT, React("v", 3, "end", "SCRAP", 120))
    at = lines.index("IF [#102 NE 3] GOTO 9001 (SCRAP)")
    assert lines[at + 1 :] == ["PCLOS", "G90", "M9", "G28 G91 Z0.", "M30", "N9001"]
    writer.step(Check(*SIZE))
    assert [line.text for line in writer.lines[-4:]] == [
        "WHILE [ABS[2.-1.] GT 0.5] DO3",
        "PCLOS",
        "#3000=104 (SIZE)",
        "END3",
    ]
