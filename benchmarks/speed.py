"""Dry-run speed against the machine's own time; touches a second; blocks a second."""

from __future__ import annotations

import statistics
import time

from brisk_anchor.nc.profile.control_profile import shipped_profile
from brisk_anchor.nc.read.interpreter import Interpreter
from brisk_anchor.services.machine.runs import Run
from brisk_anchor.services.session.session import Session
from brisk_anchor.standin.scene import build_scene
from brisk_anchor.standin.scene_file import load_scene

REPEATS = 15


def main() -> None:
    """Print medians."""
    scene, profile = build_scene(load_scene("heron-gl114")), shipped_profile("skip-macro")
    program = Session(scene, None, profile, seed=None).programs.full_program("G54")
    times, scans = [], []
    for _ in range(REPEATS):
        machine = scene.stand_in(seed=1)
        started = time.perf_counter()
        run = Run(program.text, profile, machine)
        scans.append(time.perf_counter() - started)
        run.to_end()
        times.append(time.perf_counter() - started)
    median = statistics.median(times)
    print(
        f"dry run of O{program.number}: machine {machine.seconds:.1f} s, here {median * 1000:.1f} ms "
        f"(reading {statistics.median(scans) * 1000:.1f} ms): {machine.seconds / median:.0f} × (median of {REPEATS})"
    )
    machine = scene.stand_in(seed=1, position=(-434.0, -250.0, -365.0))
    started = time.perf_counter()
    count = 400
    for i in range(count):
        machine.skip((-454.0 if i % 2 else -414.0, -250.0, -365.0), 60.0, 0)
        machine._position = (-434.0, -250.0, -365.0)
    print(f"touches: {count / (time.perf_counter() - started):.0f} a second")
    text = "#101=0\nWHILE [#101 LT 20000] DO1\n#101=#101+1\nEND1\nM30"
    interpreter = Interpreter(text, profile, scene.stand_in())
    started = time.perf_counter()
    interpreter.run()
    print(f"macro blocks: {interpreter.blocks_run / (time.perf_counter() - started):.0f} a second")
