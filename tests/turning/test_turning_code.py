"""Programs for lathes: figures as each table holds them, guards that stop, and refusals before anything is written."""

from __future__ import annotations

from typing import Any

import pytest

from brisk_anchor.core.errors import PlanError, ProfileError
from brisk_anchor.nc.profile.control_profile import Profile, parse_profile, shipped_profile, shipped_text
from brisk_anchor.nc.programs.turning_plan import NearLook, TableFigure, TurningPlan
from brisk_anchor.nc.read.interpreter import Interpreter, Status
from brisk_anchor.nc.write.writer import write_turning
from brisk_anchor.services.demo.demo_job import open_block
from brisk_anchor.services.profile.profile_proof import prove_profile
from brisk_anchor.services.turning.turning_samples import sample_job
from brisk_anchor.standin.lathe import LatheStandIn, LatheTables

JOB = sample_job()
MACRO = shipped_text("turn-macro")


def profile(*changes: tuple[str, str], base: str = MACRO) -> Profile:
    text = base
    for before, after in changes:
        assert before in text, before
        text = text.replace(before, after, 1)
    return parse_profile(text, "own")


def plan(**what: Any) -> TurningPlan:
    return TurningPlan(901, "set", "Wren", "RS-09", "2026-11-29", 7, **what)


def run(text: str, own: Profile, tables: LatheTables | None = None) -> tuple[LatheStandIn, Interpreter]:
    machine = LatheStandIn(JOB.setup, JOB.reality, tables or LatheTables(), seed=None)
    machine.homed = True
    machine.put(JOB.setup.lathe.index_at)
    interpreter = Interpreter(text, own, machine)
    while interpreter.run() is Status.STOPPED:
        pass
    return machine, interpreter


FIGURES = (
    TableFigure("x", 0.5, "G54"),
    TableFigure("z", -353.92, "G54"),
    TableFigure("x", -231.0, number=5, table="geometry"),
    TableFigure("x", -0.034, number=5, table="wear"),
)
RADII = ('[lathe.geometry]\nx = "diameter"', '[lathe.geometry]\nx = "radius"')
WEAR_RADII = ('[lathe.wear]\nx = "diameter"', '[lathe.wear]\nx = "radius"\nsign_x = -1')
BY_VARIABLES = (
    'write = "G10 L10 P{n}"         # the block that writes a row; without it the variables are written\n',
    "",
)
ROWS_IN_RADII = ('work_offset = { x = "diameter" }', 'work_offset = { x = "radius", sign_z = -1 }')
RADIUS_WORDS = ('program = { x = "diameter" }', 'program = { x = "radius" }')


@pytest.mark.parametrize(
    ("changes", "lines"),
    [
        ((), ["G10 L2 P1 X0.5 Z-353.92", "G10 L10 P5 X-231.", "G10 L11 P5 X-0.034"]),
        ((RADII,), ["G10 L10 P5 X-115.5", "G10 L11 P5 X-0.034"]),
        ((WEAR_RADII,), ["G10 L10 P5 X-231.", "G10 L11 P5 X0.017"]),
        ((BY_VARIABLES,), ["#2705=-231.", "G10 L11 P5 X-0.034"]),
        ((ROWS_IN_RADII,), ["G10 L2 P1 X0.25 Z353.92"]),
        (
            (RADIUS_WORDS, ("diameter_x = true ", "diameter_x = false ")),
            ["G10 L2 P1 X0.5 Z-353.92", "G10 L10 P5 X-231."],
        ),
    ],
)
def test_each_table_gets_its_own_figures_and_holds_them(changes, lines):
    own = profile(*changes)
    program = write_turning(plan(writes=FIGURES), own)
    for line in lines:
        assert any(text.text.startswith(line) for text in program.lines), (line, program.text)
    machine, interpreter = run(program.text, own)
    assert interpreter.alarm is None
    assert machine.tables.work["G54"] == pytest.approx((0.5, -353.92))
    assert machine.tables.geometry[5] == pytest.approx((-231.0, 0.0))
    assert machine.tables.wear[5] == pytest.approx((-0.034, 0.0))
    assert prove_profile(own).findings == ()


def test_a_table_that_changed_meanwhile_stops_before_anything_is_written():
    own = profile()
    expected = (TableFigure("z", 42.35, number=1, table="geometry"), TableFigure("z", -300.0, "G54"))
    program = write_turning(plan(writes=FIGURES, expected=expected), own)
    tables = LatheTables({"G54": (0.0, -300.0)}, {1: (0.0, 42.35)})
    assert run(program.text, own, tables)[1].alarm is None
    tables = LatheTables({"G54": (0.0, -300.0)}, {1: (0.0, 42.30)})
    machine, interpreter = run(program.text, own, tables)
    assert interpreter.alarm is not None
    assert (interpreter.alarm.number, interpreter.alarm.text) == (118, "T1 GEOMETRY HAS CHANGED Z")
    assert machine.tables.work == {"G54": (0.0, -300.0)}


def test_a_table_that_does_not_take_a_figure_stops():
    own = profile()
    text = write_turning(plan(writes=FIGURES), own).text.replace("G10 L10 P5 X-231.", "G10 L10 P6 X-231.")
    _, interpreter = run(text, own)
    assert interpreter.alarm is not None
    assert (interpreter.alarm.number, interpreter.alarm.text) == (106, "T5 GEOMETRY WAS NOT TAKEN X")


def test_a_common_shift_stops_it():
    own = profile()
    tables = LatheTables({"common": (0.0, 0.2)})
    _, interpreter = run(write_turning(plan(writes=FIGURES), own).text, own, tables)
    assert interpreter.alarm is not None
    assert interpreter.alarm.number == 108


def test_without_macros_what_must_hold_is_said_in_comments():
    own = shipped_profile("turn-table")
    program = write_turning(plan(writes=FIGURES, expected=FIGURES[2:3]), own)
    assert "(geometry of offset 5 reads X -115.5)".upper() in program.text
    machine, interpreter = run(program.text, own)
    assert interpreter.alarm is None
    assert machine.tables.geometry[5][0] == pytest.approx(-231.0)


@pytest.mark.parametrize(
    ("figures", "changes", "told"),
    [
        ((), (), "would do nothing"),
        ((TableFigure("x", 1.0, number=33, table="wear"),), (), "no offset 33"),
        ((TableFigure("x", 1.0, number=3, table="wear"),), "no wear", "no table of wear"),
    ],
)
def test_what_cannot_be_written_is_refused(figures, changes, told):
    text = MACRO
    if changes:
        cut = text.index("[lathe.wear]")
        text = text[:cut] + text[text.index("[lathe.tip_numbers]") :]
    with pytest.raises(PlanError, match=told):
        write_turning(plan(writes=figures), parse_profile(text, "own"))


def test_a_mill_takes_no_profile_of_a_lathe_and_a_lathe_none_of_a_mill(tmp_path):
    with pytest.raises(ProfileError, match="of a lathe, and this machine is none"):
        open_block(tmp_path, fresh=False, profile=shipped_profile("turn-macro"))
    with pytest.raises(PlanError, match="of no lathe"):
        write_turning(plan(writes=FIGURES), shipped_profile("skip-macro"))


@pytest.mark.parametrize(
    ("changes", "told"),
    [
        ((("diameter_x = true ", "diameter_x = false "),), "do not say the same"),
        ((("x_first = 2700", "x_first = 5201"),), "given twice"),
        ((BY_VARIABLES, ("x_first = 2700", "")), "neither by a block nor"),
        ((('write = "G10 L11 P{n}"', 'write = "G10 L10 P{n}"'),), "the same block"),
        ((('tool = "T{station:02d}{offset:02d}"', 'tool = "T{station}"'),), "lathe.tool"),
    ],
)
def test_a_profile_that_contradicts_itself_is_refused(changes, told):
    with pytest.raises(ProfileError, match=told):
        profile(*changes)


def test_the_look_goes_beside_the_stock_first_and_comes_back():
    own = profile()
    look = NearLook("G54", 1, 1, 62.0, 6.5, (72.0, 21.5), (-1.0, -150.0))
    lines = [line.text.split(" (")[0] for line in write_turning(plan(look=look), own).lines]
    at = lines.index("T0101")
    assert lines[at - 12 : at - 8] == ["G90 G53 G0 X-1.", "G90 G53 G0 Z-150.", "G54", "T0100"]
    assert lines[at : at + 11] == [
        "T0101",
        "G0 Z21.5",
        "G0 X72.",
        "G0 Z6.5",
        "G0 X62.",
        "M0",
        "G0 X72.",
        "G0 Z21.5",
        "G90 G53 G0 X-1.",
        "G90 G53 G0 Z-150.",
        "T0100",
    ]
    table = write_turning(plan(look=look), shipped_profile("turn-table")).text
    assert table.index("MUST STAND WHERE IT MAY") < table.index("T0101"), "without machine moves a person is asked"


@pytest.mark.parametrize("shift", ["", "G52 Z-2.", "G52 X.5", "G92 X0. Z0."])
@pytest.mark.parametrize(
    "changes",
    [
        (),
        (ROWS_IN_RADII,),
        (RADIUS_WORDS, ("diameter_x = true ", "diameter_x = false ")),
        (('units = "mm"', 'units = "inch"'), ("G21 G18", "G20 G18")),
    ],
)
def test_a_shift_that_a_program_before_left_stops_the_look_before_it_goes_near(shift, changes):
    """Places of a program lie elsewhere under it: the tool would go into the stock, or the chuck."""
    own = profile(*changes)
    x, z = JOB.setup.lathe.index_at
    text = write_turning(plan(look=NearLook("G54", 1, 1, 62.0, 6.5, (72.0, 21.5), (x, z))), own).text
    assert text.count("\nG54\n") == 1
    real, zero = JOB.reality.geometry[1], LatheStandIn(JOB.setup, JOB.reality, LatheTables(), seed=None).true_zero
    tables = LatheTables({"G54": (JOB.setup.lathe.axis_x + 0.8, zero)}, {1: (real[0] - 0.8, real[1])})
    machine, interpreter = run(text.replace("\nG54\n", f"\nG54\n{shift}\n"), own, tables)
    if not shift:
        assert interpreter.alarm is None
        return
    assert interpreter.alarm is not None
    assert (interpreter.alarm.number, interpreter.alarm.text) == (108, "A SHIFT STANDS ON TOP")
    assert machine.position[2] == pytest.approx(z, abs=0.01)


def test_text_of_a_person_stays_in_its_comment():
    hostile = TurningPlan(901, "x) G0 X0 (", "W\nM30", "%) T0505", "2026-11-29", 7, writes=FIGURES)
    program = write_turning(hostile, profile())
    codes = [line.text.split("(")[0] for line in program.lines]
    assert not any("G0" in code or "T05" in code or "M30" in code[:-4] for code in codes[:-4])
    assert run(program.text, profile())[1].alarm is None
