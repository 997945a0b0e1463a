"""The virtual lathe: what it cuts, what it crashes into, what it refuses."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import pytest

from brisk_anchor.core.errors import CrashError, GuardError, MachineError, ToolError, TravelError
from brisk_anchor.core.turning.setup import Pair
from brisk_anchor.core.turning.shapes import turret_around
from brisk_anchor.core.turning.tools import ToolKind, TurningTool
from brisk_anchor.nc.profile.control_profile import shipped_profile
from brisk_anchor.nc.read.interpreter import Interpreter
from brisk_anchor.nc.read.port import TurningPort
from brisk_anchor.services.turning.turning_samples import sample_job
from brisk_anchor.standin.lathe import LatheReality, LatheStandIn, LatheTables

JOB = sample_job()
REAL: dict[int, Pair] = {1: (-231.0, 42.35), 3: (-229.412, 38.114), 5: (-235.42, 128.06), 7: (-219.9, 37.02)}
JAWS = -435.92 + 30 + 0.38
ZERO = JAWS + 52
"""Where the finished face really belongs, worked out by hand from the demo's figures."""


def lathe(**changes: object) -> LatheStandIn:
    machine = LatheStandIn(replace(JOB.setup, **changes), JOB.reality, LatheTables(), seed=None)  # type: ignore[arg-type]
    machine.go_home()
    machine.index(1, 1, 0)
    return machine


def at(machine: LatheStandIn, diameter: float, z: float, offset: int = 1) -> Pair:
    """Machine position where the real tip stands at a diameter and a Z from the finished face."""
    gx, gz = REAL[offset]
    return diameter + gx, ZERO + z + gz


def feed(machine: LatheStandIn, *places: tuple[float, float], offset: int = 1) -> None:
    for diameter, z in places:
        machine.jog(at(machine, diameter, z, offset), 200.0)


def area(machine: LatheStandIn) -> float:
    return float(machine.metal.area) / 2


def test_it_is_a_turning_port_and_cuts_what_a_tip_passes():
    machine = lathe()
    assert isinstance(machine, TurningPort)
    assert (machine.true_zero, machine.tip()[0]) == (pytest.approx(ZERO), pytest.approx(231.0))
    before = area(machine)
    assert before == pytest.approx((40 + 1.5 + 32) * 26)
    machine.turn_spindle(4, 900, 0)
    feed(machine, (60, 3), (60, 0.5), (-1, 0.5))
    assert (machine.cut_at, machine.cut_along) == (at(machine, -1, 0.5), "x")
    assert area(machine) == pytest.approx(before - 1.0 * 26)
    assert machine.true_length("jaws", 0) == pytest.approx(52.5)
    assert machine.true_length("chuck", 0) == pytest.approx(82.5)
    feed(machine, (60, 0.5), (60, 4), (48, 4), (48, -20))
    assert machine.cut_along == "z"
    assert machine.true_diameter(ZERO - 10) == pytest.approx(48)
    assert machine.true_diameter(ZERO - 25) == pytest.approx(52)
    assert area(machine) == pytest.approx(before - 26 - 2 * 20.5, abs=0.6)  # the lean of the edge leaves a little


def test_beyond_the_axis_it_cuts_the_same_diameter():
    """A tip at program X −30 leaves ⌀30: the outside there is turned by a tool from the other side."""
    turned = (*JOB.setup.tools, TurningTool(2, 2, "beyond", ToolKind.BORING, 60.0, size=10.0))
    machine = LatheStandIn(
        replace(JOB.setup, tools=turned), replace(JOB.reality, geometry={**REAL, 2: (-228.6, 60.0)}), LatheTables()
    )
    machine.go_home()
    machine.index(2, 2, 0)
    machine.turn_spindle(4, 900, 0)
    for diameter, z in ((-80, 8), (-50, 8), (-50, -10)):
        machine.jog((diameter - 228.6, ZERO + z + 60.0), 200.0)
    assert machine.true_diameter(ZERO - 5) == pytest.approx(50)


@pytest.mark.parametrize(
    ("what", "spindle", "places"),
    [
        ("edge of T1 met the part", 5, ((60, 3), (48, 3), (48, -5))),
        ("T1 met the jaws", 4, ((60, 3), (100, 3), (100, -60))),
        ("holder of T1 met the part", 4, ((60, 3), (20, 3), (20, -16))),
    ],
)
def test_anything_but_a_turning_cut_is_a_crash(what, spindle, places):
    machine = lathe()
    if spindle != 5:
        machine.turn_spindle(spindle, 900, 0)
    with pytest.raises(CrashError, match=what):
        feed(machine, *places)
    assert machine.alarm
    assert machine.spindle == 5
    with pytest.raises(GuardError, match="alarm stands"):
        machine.rapid((0.0, 0.0, 0.0), 3)


def test_a_rapid_into_metal_a_tailstock_and_a_turning_turret_crash():
    machine = lathe()
    machine.turn_spindle(4, 900, 0)
    with pytest.raises(CrashError, match="during a rapid in line 7"):
        machine.rapid((48 / 2 - 115.5, 0.0, ZERO - 5 + 42.35), 7)
    machine = lathe(holding=replace(JOB.setup.holding, tailstock=60.0))
    with pytest.raises(CrashError, match="met the tailstock"):
        feed(machine, (100, 60), (40, 60))
    machine = lathe()
    feed(machine, (90, -20))
    with pytest.raises(CrashError, match="turning turret met the"):
        machine.index(3, 3, 0)


def test_a_neighbour_in_the_turret_meets_the_jaws():
    """A bar beside the tool at the work reaches as far as its turn in the turret lets it."""
    tools = (*JOB.setup.tools, TurningTool(2, 2, "boring bar", ToolKind.BORING, 140.0, size=16.0))
    machine = LatheStandIn(
        replace(JOB.setup, tools=tools, holding=replace(JOB.setup.holding, jaw_outside=190.0)),
        replace(JOB.reality, geometry={**REAL, 2: (-232.0, 140.0)}),
        LatheTables(),
    )
    machine.go_home()
    machine.index(1, 1, 0)
    feed(machine, (150, 3))
    with pytest.raises(CrashError, match="T2 beside it met the chuck"):
        feed(machine, (56, 3), (56, 1))
    around = turret_around(machine.setup, machine.tool, machine.reaches(), 28.0)
    assert [other.name for other in around if not other.name.startswith("T")] == ["turret"], "a crash says “the” itself"


def test_limits_empty_stations_and_the_hand():
    machine = lathe()
    with pytest.raises(TravelError, match="past its travel end"):
        machine.jog((10.0, 0.0), 100)
    with pytest.raises(ToolError, match="no station 9"):
        machine.index(9, 9, 0)
    machine.index(2, 0, 0)
    assert machine.tool is None
    with pytest.raises(ToolError, match="is empty"):
        machine.tip()
    machine.index(1, 1, 0)
    feed(machine, (60, 5), (40, 5))
    assert machine.gap("z") == pytest.approx(3.5, abs=1e-5)
    assert machine.feel("z", 0.1) == pytest.approx((at(machine, 40, 1.6)[0], at(machine, 40, 1.6)[1]), abs=0.002)
    with pytest.raises(MachineError, match="no room for a feeler"):
        machine.feel("x", 0.1)
    with pytest.raises(GuardError, match="spindle stands"):
        machine.feel("z", 0.0)
    machine.turn_spindle(4, 900, 0)
    with pytest.raises(GuardError, match="fingers"):
        machine.feel("z", 0.1)
    with pytest.raises(GuardError, match="chuck is not opened"):
        machine.new_stock()
    for name, call in {
        "no probe": lambda: machine.skip((0, 0, 0), 1, 1),
        "M6": lambda: machine.change_tool(1, 1),
        "angle": lambda: machine.orient(0, 1),
        "no speed": lambda: machine.turn_spindle(3, 0, 1),
        "no angle": lambda: machine.write_angle_offset("G54", "R", 1),
        "geometry and wear": lambda: machine.write_tool(1, 10, 1),
    }.items():
        with pytest.raises(MachineError, match=name):
            call()
    with pytest.raises(ToolError, match="no geometry for T1"):
        LatheStandIn(JOB.setup, LatheReality({}), LatheTables())


def test_a_taper_and_a_bore_are_measured_as_they_are():
    machine = LatheStandIn(JOB.setup, replace(JOB.reality, taper=0.001), LatheTables(), seed=None)
    assert machine.true_diameter(machine.jaws + 20) == pytest.approx(52.02)
    with pytest.raises(MachineError, match="no bore"):
        machine.true_diameter(ZERO - 5, inside=True)
    with pytest.raises(MachineError, match="no metal"):
        machine.true_diameter(ZERO + 50)


@pytest.mark.parametrize(
    ("text", "told"),
    [
        ("T0909", "no station 9"),
        ("T0199", "there is no offset 99"),
        ("G10 L10 P1 Y5.", "wants X or Z"),
        ("G10 L10 P40 X5.", "from 1 to 32"),
        ("G10 L12 P1 R5.", "geometry and wear"),
        ("#100=#2799", "no variable"),
        ("M6", "M6 changes no tool"),
        ("G1 X-500. F100.", "travel end"),
    ],
)
def test_what_a_program_cannot_do_is_an_alarm(text, told):
    machine = lathe()
    interpreter = Interpreter(f"{text}\nM30\n", shipped_profile("turn-macro"), machine)
    interpreter.run()
    assert interpreter.alarm is not None
    assert told in interpreter.alarm.text


def test_program_words_move_the_tip_by_work_geometry_and_wear(tmp_path: Path):
    """machine = work + geometry + wear + program, in diameters: −231.08 + 0.08 + 60 and −353.92 + 42.35 + 5."""
    machine = lathe()
    text = (
        "G54 G90\nG10 L2 P1 X0. Z-353.92\nG10 L10 P1 X-231.08 Z42.35\nG10 L11 P1 X0.08\nT0101\n"
        "G0 X60. Z5.\n#101=#5041\n#102=#5021\n#103=#2701\n#2101=0.02\nG0 U2. W-1.\nM30\n"
    )
    interpreter = Interpreter(text, shipped_profile("turn-macro"), machine)
    interpreter.run()
    assert interpreter.alarm is None
    assert machine.place == pytest.approx((-231.08 + 0.08 + 62, -353.92 + 42.35 + 4))
    assert [interpreter.common[n] for n in (101, 102, 103)] == pytest.approx([60.0, -171.0, -231.08])
    assert machine.tables.wear[1] == pytest.approx((0.08, 0.02))
