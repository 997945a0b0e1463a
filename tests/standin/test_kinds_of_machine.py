"""Rotary tables, trunnions, lathes, cutters and an empty spindle in the machine model."""

from __future__ import annotations

from importlib import resources

import pytest

from brisk_anchor.core.errors import CrashError, SceneError, ToolError, TravelError
from brisk_anchor.core.geometry.rotary import table_frame
from brisk_anchor.nc.profile.control_profile import parse_profile, shipped_text
from brisk_anchor.nc.read.interpreter import Interpreter, Status
from brisk_anchor.standin.scene import build_scene
from brisk_anchor.standin.scene_file import parse_scene

TEXT = (resources.files("brisk_anchor.standin") / "scenes" / "heron-gl114.toml").read_text()
MACRO = shipped_text("skip-macro")
TABLE = """
[[machine.rotary]]
letter = "C"
direction = [0, 0, 1]
centre = [-434.0, -250.0, 0.0]
sense = -1
low = -400
high = 400
rapid = 3600
real_shift = [0.03, 0.0, 0.0]
"""
CUTTER = """
[[tool]]
number = 3
name = "end mill 10"
diameter = 10
reach = 30
holder_diameter = 40
length = 120
"""


def machine_of(text, position, **kind):
    for old, new in kind.items():
        text = text.replace(old, new)
    return build_scene(parse_scene(text, "test")).stand_in(seed=None, position=position)


@pytest.fixture(scope="module")
def turning():
    text = TEXT.replace('kind = "vertical mill"', 'kind = "mill with rotary table"')
    return text.replace("[probe]\n", TABLE + "\n[probe]\n", 1).replace(
        'role = "part"', 'role = "part"\non = "rotary table"'
    )


def run(text, machine, profile):
    interpreter = Interpreter(text + "\nM30", profile, machine)
    interpreter.run()
    return interpreter


def test_the_part_turns_about_the_real_centre_not_the_stated_one(turning, profile):
    found = {}
    for angle in (0.0, 180.0):
        machine = machine_of(turning, (-434.0, -250.0, -320.0))
        text = f"""G90 G0 C{angle}
        G53 G0 Z-365.
        G91 G31 X30. F60
        #101=#5061+#5021-#5041
        G90 G53 G1 X-434. F500
        G91 G31 X-30. F60
        #102=#5061+#5021-#5041"""
        interpreter = run(text, machine, profile)
        assert interpreter.status is Status.ENDED
        found[angle] = (interpreter.common[101] + interpreter.common[102]) / 2
    # A bore centre at c goes to 2m − c after half a turn about m, the real centre, at −434 + 0.03.
    assert (found[0.0] + found[180.0]) / 2 == pytest.approx(-433.97, abs=1e-3)


def test_rotary_words_limits_offsets_and_reference(turning, profile):
    machine = machine_of(turning, (-434.0, -250.0, 0.0))
    assert run("G90 G10 L2 P1 C30.\nG0 C15.", machine, profile).status is Status.ENDED
    assert machine.angles["C"] == 45.0
    assert run("G91 G1 C-90. F1800", machine, profile).status is Status.ENDED
    assert machine.angles["C"] == -45.0
    assert machine.motions[-1].seconds == pytest.approx(3.0)
    refused = run("G90 G0 C375.", machine, profile)
    assert isinstance(refused.alarm.error, TravelError)
    assert (refused.alarm.error.axis, refused.alarm.error.amount) == ("C", 5.0)
    assert run("G91 G28 C0.", machine, profile).status is Status.ENDED
    assert machine.angles["C"] == 0.0
    assert "no axis B" in run("G0 B1.", machine, profile).alarm.text


def test_a_table_that_turns_the_part_into_the_probe_is_a_crash(turning, profile):
    machine = machine_of(turning, (-385.0, -299.0, -365.0))
    crashed = run("G90 G0 C90.", machine, profile)
    assert isinstance(crashed.alarm.error, CrashError)
    assert "turning" in crashed.alarm.text
    assert 0.0 < machine.angles["C"] < 90.0


def test_cutters_cut_parts_at_feed_with_the_spindle_on_and_nothing_else(profile):
    text = TEXT.replace("[probe]\n", CUTTER + "\n[probe]\n", 1)
    cut = "G90 G53 G0 X-434. Y-220.\nT3 M6\n{}G53 G0 Z-370.\nG53 G1 Z{} F500"
    machine = machine_of(text, (-434.0, -250.0, 0.0))
    assert run(cut.format("S3000 M3\n", "-400."), machine, profile).status is Status.ENDED
    for words, depth, met in (("", "-400.", "tool met the hub"), ("S3000 M3\n", "-425.", "tool holder met the")):
        crashed = run(cut.format(words, depth), machine_of(text, (-434.0, -250.0, 0.0)), profile)
        assert met in crashed.alarm.text
    machine = machine_of(text, (-434.0, -250.0, 0.0))
    fine = run("T3 M6\nS3000 M3\nG90 G53 G0 Z-360.\nG53 G1 X-410. Z-385. F500", machine, profile)
    assert fine.status is Status.ENDED
    for block, error in (("G91 G31 Z-5. F100", CrashError), ("T20 M6\nM3 S100", ToolError), ("T4 M6", ToolError)):
        assert isinstance(run(block, machine, profile).alarm.error, error)


def test_tool_table_by_word_and_by_variable(profile):
    machine = machine_of(TEXT.replace("[probe]\n", CUTTER + "\n[probe]\n", 1), (-434.0, -250.0, 0.0))
    text = "G90 G10 L10 P3 R100.\nG10 L11 P3 R-0.5\n#13003=5.\n#101=#11003+#10003\nG43 H3\n#102=#5023-#5043"
    interpreter = run(text, machine, profile)
    assert interpreter.alarm is None
    assert interpreter.common[101] == 99.5
    assert interpreter.common[102] == pytest.approx(machine.offset("G54")[2] + 99.5)
    assert machine.tool_value(3, 12) == 5.0
    assert "no tool T9" in run("#11009=1.", machine, profile).alarm.text
    assert "empty in the tool table" in run("#101=#11009", machine, profile).alarm.text


LATHE = """
units = "mm"
[job]
name = "RS-09"
title = "Runner sleeve"
part = "RS-09"
fixture = "chuck"
clear_height = 60.0
start_uncertainty = 1.0
[machine]
name = "Wren"
kind = "lathe"
tool_axis = "+X"
profile = "skip-macro"
travel_low = [-5.0, 0.0, 0.0]
travel_high = [350.0, 0.0, 600.0]
home = [350.0, 0.0, 600.0]
table = [-400.0, -200.0, -300.0, 200.0, -100.0]
rapid = 12000.0
acceleration = 2000.0
position = [300.0, 0.0, 500.0]
"""
SLEEVE = """
[[body]]
name = "RS-09"
role = "part"
at = [0.0, 0.0, 100.0]
[[body.solid]]
name = "sleeve"
shape = "round"
bottom = 0
top = 120
centre = [0, 0]
diameter = 80
"""


def test_a_lathe_probes_across_and_along_in_diameters(profile):
    probe = TEXT[TEXT.index("[probe]\n") : TEXT.index("[offsets]")]
    machine = build_scene(parse_scene(LATHE + probe + SLEEVE, "wren")).stand_in(seed=None)
    assert machine.tip == pytest.approx((300.0 - 150.006, 0.0, 500.0))
    turned = parse_profile(MACRO.replace("[input]", "[input]\ndiameter_x = true\nincrements_uvw = true"), "lathe")
    text = """G90 G53 G0 X500. Z160.
    G31 X360. F60
    #101=#5021
    #102=#5061-#5041+#5021
    G1 U20. F500
    G53 G0 Z300.
    G53 X320.
    G31 Z0. F60
    #103=#5063"""
    interpreter = run(text, machine, turned)
    assert interpreter.alarm is None
    # The ball's end touches ⌀80: the spindle's gauge line stands 150.006 further out, 0.006 late.
    assert interpreter.common[102] / 2 == pytest.approx(40.0 + 150.006 - 0.006, abs=2e-3)
    assert interpreter.common[103] == pytest.approx(220.0 + 3.0 - 0.006, abs=2e-3)
    machine.write_offset("G54", (100.0, 0.0, 0.0))
    assert run("#101=#5221\nG90 G10 L2 P2 X50.", machine, turned).common[101] == 200.0
    assert machine.offset("G55")[0] == 25.0


@pytest.mark.parametrize(
    ("old", "new", "reason"),
    [
        ("sense = -1", "sense = 0", "sense"),
        ("direction = [0, 0, 1]", "direction = [0, 0, 0]", "makes no sense"),
        (TABLE, "", "needs its rotary axes"),
        (TABLE, TABLE + TABLE, "same letter"),
    ],
)
def test_rotary_axes_that_make_no_sense(turning, old, new, reason):
    with pytest.raises(SceneError, match=reason):
        parse_scene(turning.replace(old, new), "test")


def test_a_trunnion_takes_the_part_with_it_and_leaves_the_fixture_on_the_table(turning):
    tilt = TABLE.replace('"C"', '"A"').replace("[0, 0, 1]", "[1, 0, 0]").replace("0.0]\nsense", "-550.0]\nsense")
    text = turning.replace(TABLE, tilt + TABLE).replace("mill with rotary table", "trunnion mill")
    machine = machine_of(text, (0.0, 0.0, 0.0))
    angles = {"A": 35.0, "C": -120.0}
    real = tuple(axis.moved((0.03, 0.0, 0.0)) for axis in machine.machine.rotary)
    place = (-410.0, -230.0, -505.0)
    moved = table_frame(real, angles).point(place)
    for still, turned in zip(machine.solids_at({}), machine.solids_at(angles), strict=True):
        if still.carried:
            assert turned.distance(*moved) == pytest.approx(still.distance(*place), abs=1e-9)
        else:
            assert turned.distance(*place) == still.distance(*place)
    assert {solid.body for solid in machine.solids_at({}) if solid.carried} == {"GL-114"}
