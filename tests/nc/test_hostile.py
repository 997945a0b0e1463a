"""Any text ends in a clean run or a clean alarm: drawn programs on a collector, spoiled real ones on the stand-in."""

from __future__ import annotations

import random

import pytest

from brisk_anchor.core.errors import NcError
from brisk_anchor.nc.read.interpreter import Interpreter, Status
from brisk_anchor.services.machine.runs import Run
from brisk_anchor.services.session.session import Session
from tests.nc.collector import Collector
from tests.nc.zoo import LANGUAGES, drawn, spoiled

CLEAN = (Status.ENDED, Status.ALARM, Status.STOPPED)


@pytest.mark.parametrize("seed", range(8))
def test_drawn_programs(seed):
    source = random.Random(seed)
    for number in range(300):
        text = drawn(source)
        try:
            interpreter = Interpreter(text, LANGUAGES[number % len(LANGUAGES)], Collector())
        except NcError as error:
            assert error.reason
            continue
        assert interpreter.run(500) in CLEAN, text
        assert (interpreter.status is Status.ALARM) == (interpreter.alarm is not None)


@pytest.mark.parametrize("seed", range(4))
def test_spoiled_programs_on_the_stand_in_never_store_what_is_not_guarded(scene, profile, seed):
    program = Session(scene, None, profile, seed=None).programs.full_program("G54").text
    source = random.Random(seed)
    before = scene.stand_in().offset("G54")
    for _ in range(40):
        text = spoiled(program, source)
        machine = scene.stand_in(seed=None)
        try:
            run = Run(text, profile, machine)
        except NcError:
            continue
        run.interpreter.run(3000)
        assert run.interpreter.status in CLEAN
        if run.interpreter.status is Status.ALARM:
            assert run.failure() is not None
            # Only a block that ran can have written the row: none did where the alarm stands before the first of them.
            writes = [n for n, line in enumerate(text.splitlines(), 1) if "G10" in line]
            alarm = run.interpreter.alarm
            if not writes or (alarm is not None and alarm.line < writes[0]):
                assert machine.offset("G54") == before
