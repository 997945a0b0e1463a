"""The control: what it refuses, what it remembers, and that a machine comes back as it was left."""

from __future__ import annotations

import json

import pytest

from brisk_anchor.core.errors import GuardError, StateError, TravelError
from brisk_anchor.services.session.session import Session
from brisk_anchor.standin.control import Control, Mode
from brisk_anchor.standin.state import Left, restore, snapshot

ABOVE = (-434.0, -250.0, -300.0)


@pytest.fixture
def control(scene, profile):
    return Control(scene.stand_in(seed=None, position=ABOVE), profile)


def mdi(control, line):
    interpreter = control.begin_mdi(line)
    interpreter.run()
    control.settle()
    return interpreter


def test_typed_lines_keep_their_modal_state_and_stop_at_travel_ends_with_axis_and_amount(control):
    for line in ("G91", "G1 X5. F500", "X5."):
        mdi(control, line)
    assert control.machine.position[0] == pytest.approx(-424.0)
    assert control.mode is Mode.MDI
    mdi(control, "X900.")
    assert isinstance(control.alarm.error, TravelError)
    assert (control.alarm.number, control.alarm.error.axis) == (11, "X")
    assert control.alarm.error.amount == pytest.approx(476.0)
    with pytest.raises(GuardError, match="Alarm 11 stands"):
        control.begin_mdi("G0 X0.")
    control.reset()
    assert control.modal.absolute
    assert [note.ended[:9] for note in control.history] == ["end", "end", "end", "alarm 11:"]


def test_no_program_before_homing_none_with_the_door_open_one_at_a_time(control):
    control.power_off_and_on()
    with pytest.raises(GuardError, match="not been homed"):
        control.begin("G0 X0.\nM30", "a")
    with pytest.raises(GuardError, match="not been homed"):
        control.begin_mdi("X1.")
    mdi(control, "G91")
    control.go_home()
    assert control.machine.position == control.machine.home
    control.open_door(opened=True)
    for refused in (lambda: control.begin("G90\nM30", "a"), lambda: control.jog("x", -1.0), control.go_home):
        with pytest.raises(GuardError, match="door is open"):
            refused()
    with pytest.raises(GuardError, match="^The door is open") as told:
        control.jog("x", 1.0)
    control.raise_alarm(told.value)
    assert control.alarm is None  # a move that is refused is no alarm, which would have to be reset
    control.open_door(opened=False)
    interpreter = control.begin("M0\nM30", "a")
    for refused in (
        lambda: control.begin_mdi("G90"),
        lambda: control.open_door(opened=True),
        lambda: control.choose(Mode.JOG),
        lambda: control.jog("x", -1.0),
    ):
        with pytest.raises(GuardError, match="under way"):
            refused()
    interpreter.run()
    assert control.busy
    control.reset()
    assert control.history[-1].ended == "alarm 4: reset by hand"
    assert control.alarm is None


def test_optional_stop_and_block_delete_follow_the_switches(control):
    text = "M1\n/#101=1\nM30"
    for switched in (False, True):
        control.optional_stop = control.block_delete = switched
        control.memory.common.clear()
        interpreter = control.begin(text, "a")
        interpreter.run()
        assert control.busy is switched
        interpreter.run()
        assert interpreter.common.get(101) == (None if switched else 1.0)
        control.settle()


def test_common_variables_last_until_the_power_goes_kept_ones_longer(control):
    mdi(control, "#100=1")
    mdi(control, "#500=2")
    mdi(control, "#1=9")
    assert mdi(control, "#101=#100+#500").common[101] == 3.0
    mdi(control, "#102=#1")
    assert control.memory.common[102] is None
    control.power_off_and_on()
    assert control.memory.common == {500: 2.0}


def test_clocks_count_machine_time_and_can_be_set(control):
    control.machine.started_hours = 2.0
    interpreter = control.begin("#3001=0\nG4 X1.5\n#101=#3001\n#102=#3002\nM30", "a")
    interpreter.run()
    assert interpreter.common[101] == 1500.0
    assert interpreter.common[102] == pytest.approx(2.0 + 1.5 / 3600)


def test_a_machine_comes_back_as_it_was_left(control, scene, profile):
    for line in ("#500=2.5", "G10 L2 P1 X-1.25", "G0 G53 X-430."):
        mdi(control, line)
    from datetime import UTC, datetime

    now = datetime(2026, 11, 23, tzinfo=UTC)
    data = snapshot(control, now, Left(7, "abc"))
    other = Control(scene.stand_in(seed=None), profile)
    assert restore(other, data, "x") == Left(7, "abc")
    assert other.machine.position == control.machine.position
    assert other.machine.offset("G54") == control.machine.offset("G54")
    assert other.memory.kept(profile) == {500: 2.5}
    assert other.history == control.history


@pytest.mark.parametrize(
    ("change", "reason"),
    [
        ({"machine": "Otter"}, "it is Otter"),
        ({"position": [900.0, 0, 0]}, "X would have to go"),
        ({"offsets": {"G99": [0, 0, 0]}}, "no such row"),
        ({"tool_in_spindle": 7}, "T7"),
        ({"units": "inch"}, "units"),
        ({"hours": -1}, "hours"),
        ({"angles": {"B": 1.0}}, "no axis B"),
        ({"extra": 1}, "extra"),
        ({"offsets": {"G54": [0, 0, "x"]}}, "offsets.G54"),
    ],
)
def test_a_state_that_is_not_this_machines_changes_nothing(control, scene, profile, change, reason):
    from datetime import UTC, datetime

    state = json.loads(snapshot(control, datetime.now(UTC), Left())) | change
    other = Control(scene.stand_in(seed=None), profile)
    before = (other.machine.position, dict(other.machine.offsets))
    with pytest.raises(StateError, match=reason):
        restore(other, json.dumps(state).encode(), "machine.json")
    assert (other.machine.position, other.machine.offsets) == before
    with pytest.raises(StateError):
        restore(other, b"{", "machine.json")


def test_the_workshop_finds_its_machine_again_and_the_book_wins_where_it_is_newer(scene, book, profile, tmp_path):
    path = tmp_path / "machine.json"
    first = Session(scene, book, profile, seed=None, machine_file=path)
    first.panel.jog("z", -10.0)
    first.control.machine.write_offset("G59", (1.0, 2.0, 3.0))
    first.link.settle()
    early = path.read_bytes()
    for drawn in first.setup.features[:2]:
        from brisk_anchor.services.measure.measurement_request import build_measurement, point_at

        first.runner.measure(build_measurement(first.setup, point_at(first.setup, drawn)))
    stored = first.writer.store("G54").values
    again = Session(scene, book, profile, seed=None, machine_file=path)
    assert again.machine.position == first.machine.position
    assert again.control.history[-1].title.startswith("O2254")
    path.write_bytes(early)  # as if the power had gone between book and file
    crashed = Session(scene, book, profile, seed=None, machine_file=path)
    assert crashed.machine.offset("G54") == tuple(stored[axis] for axis in "xyz")
    assert crashed.machine.offset("G59") == (1.0, 2.0, 3.0)
    path.write_text("{")
    with pytest.raises(StateError):
        Session(scene, book, profile, machine_file=path)


def test_a_disk_that_takes_nothing_is_told_and_stops_nothing(scene, profile, tmp_path):
    (tmp_path / "file").write_text("")
    session = Session(scene, None, profile, seed=None, machine_file=tmp_path / "file" / "machine.json")
    session.panel.jog("z", -1.0)
    assert "could not be written" in session.machine_file.failed.what
