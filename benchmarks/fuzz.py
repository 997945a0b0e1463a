"""200,000 hostile programs: none may hang, break the process, or end in anything but a clean run or a clean alarm."""

from __future__ import annotations

import random
import time
from collections import Counter

from tests.nc.collector import Collector
from tests.nc.zoo import LANGUAGES, drawn, spoiled

from brisk_anchor.core.errors import NcError
from brisk_anchor.nc.profile.control_profile import shipped_profile
from brisk_anchor.nc.read.interpreter import Interpreter
from brisk_anchor.services.session.session import Session
from brisk_anchor.standin.scene import build_scene
from brisk_anchor.standin.scene_file import load_scene

PROGRAMS = 200_000


def main() -> None:
    """Print how they ended and the longest time one took."""
    scene, profile = build_scene(load_scene("heron-gl114")), shipped_profile("skip-macro")
    real = Session(scene, None, profile, seed=None).programs.full_program("G54").text
    source, ends, slowest = random.Random(2026), Counter(), 0.0
    started = time.perf_counter()
    for number in range(PROGRAMS):
        text = spoiled(real, source) if number % 20 == 0 else drawn(source)
        began = time.process_time()
        try:
            language = profile if number % 20 == 0 else LANGUAGES[number % len(LANGUAGES)]
            interpreter = Interpreter(text, language, Collector())
            ends[interpreter.run(2000).value] += 1
        except NcError:
            ends["refused"] += 1
        slowest = max(slowest, time.process_time() - began)
    print(", ".join(f"{count} {end}" for end, count in ends.most_common()))
    print(f"{PROGRAMS} programs in {time.perf_counter() - started:.0f} s, the slowest took {slowest * 1000:.0f} ms")
