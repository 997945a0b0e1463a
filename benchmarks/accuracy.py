"""Bias without noise, spread with noise over 200 runs against the theoretical bound, coverage of the stated ±."""

from __future__ import annotations

import math

import numpy as np

from brisk_anchor.nc.profile.control_profile import shipped_profile
from brisk_anchor.services.measure.measurement_request import build_measurement, point_at
from brisk_anchor.services.session.session import Session
from brisk_anchor.standin.scene import build_scene
from brisk_anchor.standin.scene_file import load_scene

RUNS = 200


def main() -> None:
    """Print bias and spread of bore, boss and face on the stand-in."""
    scene, profile = build_scene(load_scene("heron-gl114")), shipped_profile("skip-macro")
    drawn = {feature.name: feature for feature in scene.setup.features}

    def measure(session: Session, name: str):
        return session.runner.measure(build_measurement(session.setup, point_at(session.setup, drawn[name]))).feature

    quiet = Session(scene, None, profile, seed=None)
    noisy = Session(scene, None, profile, seed=2026)
    print(f"{'feature':<8}{'axis':<6}{'bias, no noise':>16}{'spread':>12}{'bound':>12}{'ratio':>8}{'inside ±':>10}")
    for name in ("bore", "boss", "top", "bush", "pad"):
        clean = measure(quiet, name)
        runs = [measure(noisy, name) for _ in range(RUNS)]
        for axis in clean.axes:
            x, y, z = clean.touches[-1].position
            true = scene.true_value(name, axis, (x, y, z - scene.setup.stylus.length))
            bias = (clean.coordinate(axis) - true) * 1000
            values = np.array([run.coordinate(axis) for run in runs])
            i = clean.axes.index(axis)
            bound = math.sqrt(runs[0].covariance[i][i])
            spread = float(values.std(ddof=1))
            inside = float(np.mean(np.abs(values - true) <= 2 * runs[0].standard_uncertainty(axis)))
            print(
                f"{name:<8}{axis:<6}{bias:>13.3f} µm{spread * 1000:>9.3f} µm{bound * 1000:>9.3f} µm"
                f"{spread / bound:>8.3f}{inside:>9.1%}"
            )
    known = 100 / math.sqrt(2 * (RUNS - 1)) * 2
    print(f"{RUNS} runs each; a spread of {RUNS} runs is itself known to ±{known:.0f} % (k = 2)")
