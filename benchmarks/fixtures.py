"""Random fixtures of many places: does each ± hold, is no sign wrong, does nothing meet when the table turns?

Tombstones of 2 to 8 faces with 1 to 12 places each, the centre up to 50 µm from where it is said, faces up to 0.2° off,
parts off by their own; one part is measured and all rows follow it, or every face has its own row, in both probing
profiles. `python -m benchmarks fixtures [--count N]`; exits 1 where a figure is outside its limits.
"""

from __future__ import annotations

import math
import os
import sys
import time
from concurrent.futures import ProcessPoolExecutor
from functools import partial

import numpy as np

from brisk_anchor.core.errors import CrashError
from brisk_anchor.nc.profile.control_profile import shipped_profile
from brisk_anchor.services.job.job_models import FixtureFile, JobFile, MachineDescription, PartFile
from brisk_anchor.services.job.twin import compose
from brisk_anchor.services.plan.face_plans import plan_of_places
from brisk_anchor.services.plan.planning import planned, program_of
from brisk_anchor.services.plan.proving import Case, Prover, row_errors
from brisk_anchor.services.session.session import Session
from brisk_anchor.standin.scene import build_scene

COUNT = 200
"""Fixtures where none are asked for; `--count 1000` is the whole of it."""
PARTS = 3
"""Sets of parts a fixture."""
LOW, HIGH, BEYOND = 93.5, 97.5, 1 / 5000
PROBE = {
    "tool_number": 20,
    "name": "probe",
    "ball_diameter": 6.0,
    "effective_radius": 2.994,
    "length": 150.0,
    "u_repeatability": 0.0005,
    "u_radius": 0.0005,
    "u_length": 0.002,
    "stem_diameter": 4.0,
    "stem_length": 50.0,
    "body_diameter": 40.0,
    "body_length": 70.0,
    "over_travel": 5.0,
}


def files(seed: int, *, exact: bool = False) -> tuple[JobFile, MachineDescription, PartFile, FixtureFile]:
    """A fixture of chance, its machine and its job; `exact` has nothing that lies off."""
    rng = np.random.default_rng(seed)
    count = int(rng.integers(2, 9))
    columns, rows = ((1, 1), (1, 3), (2, 2), (2, 3), (3, 4), (1, 6), (2, 6), (1, 2))[int(rng.integers(8))]
    width, height = columns * 60.0 + 40.0, rows * 55.0 + 40.0
    distance = math.ceil(max(60.0, width / 2 / math.tan(math.pi / count) if count > 2 else 60.0)) + 2.0
    sense = int(rng.choice((-1, 1)))
    shift, turn, off = ((0.0,) * 3, (0.0,) * 3, (0.0,) * 3) if exact else ((0.02,) * 3, (0.2,) * 3, (0.015,) * 3)
    sunk = height + 60.0
    machine = {
        "form": "brisk-anchor-machine-file-1",
        "units": "mm",
        "name": "mill",
        "kind": "horizontal mill",
        "profile": "skip-macro",
        "connection": "stand-in",
        "travel_low": (-1400.0, -1200.0, -1400.0),
        "travel_high": (0.0, 0.0, 0.0),
        "home": (-700.0, 0.0, 0.0),
        "table": (-1200.0, -1500.0, -200.0, -500.0, -sunk - 40.0),
        "rapid": 30000.0,
        "acceleration": 3000.0,
        "probe": PROBE,
        "rotary": [
            {
                "letter": "B",
                "direction": (0.0, 1.0, 0.0),
                "centre": (-700.0, -sunk, -900.0),
                "sense": sense,
                "angle_rapid": 7200.0,
                "u_centre": 0.0 if exact else 0.025,
                "u_direction": 0.0 if exact else 0.002,
            }
        ],
    }
    fixture = {
        "form": "brisk-anchor-fixture-1",
        "units": "mm",
        "name": "TS",
        "kind": "tombstone",
        "on": "rotary table",
        "at": (-700.0, -sunk, -900.0),
        "faces": {"count": count, "width": width, "height": height, "distance": distance, "thickness": 20.0},
        "places": {"columns": columns, "rows": rows, "pitch": (60.0, 55.0), "first": (25.0, 25.0, 0.0)},
        "variation": {"shift": shift, "turn": turn},
    }
    part = {
        "form": "brisk-anchor-part-1",
        "units": "mm",
        "name": "P",
        "solid": [
            {
                "name": "block",
                "shape": "block",
                "low": (0.0, 0.0),
                "high": (50.0, 40.0),
                "bottom": -20.0,
                "top": 0.0,
                "holes": [{"at": (25.0, 20.0), "diameter": 24.0}],
            }
        ],
        "feature": [
            {
                "name": "bore",
                "title": "bore",
                "kind": "bore",
                "solid": "block",
                "place": (25.0, 20.0, 0.0),
                "size": 24.0,
            }
            | {"size_limit": 0.3, "depth": 7.0},
            {"name": "top", "title": "top", "kind": "surface", "solid": "block", "place": (8.0, 8.0, 0.0)}
            | {"walls": ["BELOW"]},
        ],
        "variation": {"shift": off, "turn": (0.0, 0.0, 0.0 if exact else 0.05)},
    }
    job = {
        "form": "brisk-anchor-job-1",
        "units": "mm",
        "name": "J",
        "title": "J",
        "machine": "m.toml",
        "part": "p.toml",
        "fixture": "f.toml",
        "seat": (0.0, 0.0, 20.0),
        "clear_height": 40.0,
        "start_uncertainty": 1.5,
        "turn_uncertainty": 0.5,
        "repeat": {"offsets": "derived"},
        "offset": [
            {
                "row": "G54.1 P1",
                "title": "P",
                "jump_limit": 5.0,
                "x": {"feature": "bore", "drawing": 25.0},
                "y": {"feature": "bore", "drawing": 20.0},
                "z": {"feature": "top", "drawing": 0.0},
            }
        ],
    }
    return (
        JobFile.model_validate(job),
        MachineDescription.model_validate(machine),
        PartFile.model_validate(part),
        FixtureFile.model_validate(fixture),
    )


def one(seed: int, profile_name: str, *, exact: bool = False) -> tuple[list[tuple[float, float]], int, int, str]:
    """Errors with their ±, collisions, runs that stopped, and why one could not be tried."""
    job, machine, part, fixture = files(seed, exact=exact)
    faces = fixture.faces.count if fixture.faces else 1
    if profile_name == "probe-params":  # nine rows: one a face
        repeat = job.repeat.model_copy(update={"offsets": "face"})
        rows = [row.model_copy(update={"row": "G54"}) for row in job.offset]
        if faces > 6:
            return [], 0, 0, ""
        job = job.model_copy(update={"repeat": repeat, "offset": rows})
    scene = build_scene(compose(job, machine, part, fixture, 0))
    profile = shipped_profile(profile_name)
    if any(row.row not in profile.all_rows for row in scene.setup.rows):
        return [], 0, 0, ""  # more rows than the control has
    session = Session(scene, None, profile, seed=None)
    ready = planned(session, plan_of_places(session.setup, "base"))
    program = program_of(session, ready)
    prover = Prover(Case.of(session, ready, program))
    errors: list[tuple[float, float]] = []
    crashed = stopped = 0
    for part_number in (0,) if exact else range(1, PARTS + 1):
        real = prover.scene(part_number)
        run = prover.run(real, part_number, noisy=not exact)
        run.to_end()
        failure = run.failure()
        if failure is not None:
            crashed += isinstance(failure, CrashError)
            stopped += not isinstance(failure, CrashError)
            continue
        errors += [(e.error, e.expanded) for e in row_errors(prover.session, prover.case, real, run)]
    return errors, crashed, stopped, ""


def _large() -> None:
    """48 parts: how long a plan takes to be written, and to be proved on 50 sets of parts."""
    from brisk_anchor.services.plan.proving import prove

    job, machine, part, fixture = files(1)
    faces = fixture.faces.model_copy(update={"count": 4, "width": 220.0, "height": 260.0, "distance": 115.0})
    places = fixture.places.model_copy(update={"columns": 3, "rows": 4})
    fixture = fixture.model_copy(update={"faces": faces, "places": places})
    started = time.perf_counter()
    session = Session(
        build_scene(compose(job, machine, part, fixture, 0)), None, shipped_profile("skip-macro"), seed=None
    )
    opened = time.perf_counter()
    ready = planned(session, plan_of_places(session.setup, "face"))
    program = program_of(session, ready)
    written = time.perf_counter()
    outcome = prove(session, ready, program, 50)
    proved = time.perf_counter()
    print(
        f"48 parts, {ready.touch_count} touches, {len(program.lines)} lines: opened in {opened - started:.2f} s, "
        f"written in {written - opened:.2f} s, 50 sets of parts proved in {proved - written:.1f} s, "
        f"{outcome.right} right"
    )


def main() -> None:
    """Print the table, and leave with 1 where something is outside its limits."""
    args = sys.argv[1:]
    count = int(args[args.index("--count") + 1]) if "--count" in args[:-1] else COUNT
    good = True
    with ProcessPoolExecutor(os.cpu_count()) as pool:
        for profile in ("skip-macro", "probe-params"):
            errors, crashed, stopped = [], 0, 0
            for found, hits, stops, _ in pool.map(partial(one, profile_name=profile), range(count), chunksize=4):
                errors += found
                crashed, stopped = crashed + hits, stopped + stops
            inside = 100 * float(np.mean([abs(e) <= x for e, x in errors]))
            beyond = float(np.mean([abs(e) > 2 * x for e, x in errors]))
            fine = LOW <= inside <= HIGH and beyond <= BEYOND and not crashed
            good = good and fine
            print(
                f"{profile:<14}{count} fixtures, {len(errors)} figures: ± holds in {inside:.2f} %, beyond twice it "
                f"{beyond:.5f}, collisions {crashed}, stopped {stopped}{'' if fine else ' !'}"
            )
        exact = [
            e
            for found, *_ in pool.map(partial(one, profile_name="skip-macro", exact=True), range(count // 4))
            for e in found
        ]
    worst = max(abs(e) for e, _ in exact) * 1000
    good = good and worst < 0.5
    print(f"nothing off, no noise: worst error {worst:.3f} µm of {len(exact)} figures{'' if worst < 0.5 else ' !'}")
    _large()
    if not good:
        raise SystemExit(1)
