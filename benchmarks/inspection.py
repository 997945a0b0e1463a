"""Verdicts, corrections, the control's own sums, and a book of many parts.

Whether a part on its limit is accepted once in twenty; what answering does to scatter and to a drift; whether the
control judges and corrects by the application's figures; how quickly ten thousand parts are opened and gone through.
`python -m benchmarks inspection [--count N]`; exits 1 where a figure is outside its limits.
"""

from __future__ import annotations

import asyncio
import math
import statistics
import sys
import tempfile
import time
from dataclasses import replace
from pathlib import Path

import numpy as np
from textual import events

from brisk_anchor.core.features.solving import solve
from brisk_anchor.core.features.stated import Stated
from brisk_anchor.core.features.touches import Stylus, Touch
from brisk_anchor.core.inspection.characteristic import Characteristic, Evidence, What, judge
from brisk_anchor.core.inspection.correction import CorrectionRule, CutPart, Way, expected_growth, propose
from brisk_anchor.core.inspection.many_parts import scatter_of
from brisk_anchor.core.inspection.verdict import Limits, Verdict
from brisk_anchor.core.kinds import FeatureKind
from brisk_anchor.nc.profile.control_profile import shipped_profile
from brisk_anchor.nc.programs.reports import parse_reports
from brisk_anchor.nc.read.port import LENGTH_WEAR, RADIUS_WEAR
from brisk_anchor.services.demo.demo_job import demo_files
from brisk_anchor.services.job.jobs import load_job
from brisk_anchor.services.plan.plan_file import parse_plan
from brisk_anchor.services.plan.planning import planned, program_of
from brisk_anchor.services.plan.proving import Case, Prover
from brisk_anchor.services.results.inspection import Inspection
from brisk_anchor.services.results.measuring import measure_asked
from brisk_anchor.services.session.job_opening import open_job
from brisk_anchor.services.session.session import Session
from brisk_anchor.standin.cutting import cut_scene
from brisk_anchor.standin.scene import build_scene
from brisk_anchor.tui.app import BriskAnchorApp

H7 = Limits(38.0, 38.025, 38.0125)
_REPEAT, _RADIUS = 0.001, 0.0005
STYLUS = Stylus(20, "probe", 6.0, 3.0, 150.0, _REPEAT, _RADIUS, 0.0, 4.0, 50.0, 40.0, 70.0)
"""A probe whose scatter and radius are stated, and nothing else."""


def _measured(size: float, rng: np.random.Generator) -> tuple[Verdict, float]:
    """The verdict on a bore of that true size, from four touches that scatter and a radius that is off."""
    off = float(rng.normal(0.0, _RADIUS))
    touches = []
    for n, (dx, dy) in enumerate(((1.0, 0.0), (-1.0, 0.0), (0.0, 1.0), (0.0, -1.0))):
        reach = size / 2 - (3.0 + off) + float(rng.normal(0.0, _REPEAT))
        touches.append(Touch(f"t{n}", (dx * reach, dy * reach, -10.0), (dx, dy, 0.0), STYLUS, _REPEAT))
    feature = solve("bore", FeatureKind.BORE, tuple(touches), stated=Stated())
    actual = judge(Characteristic("1", "bore", What.SIZE, 38.0, H7), Evidence({"bore": feature}, {}))
    return actual.verdict, actual.u


def verdicts(count: int) -> bool:
    """How often a true value on a limit, or one standard uncertainty beyond it, is accepted."""
    rng = np.random.default_rng(20)
    u = statistics.median(_measured(38.0125, rng)[1] for _ in range(50))
    good = True
    for beyond, wanted, off in ((0.0, 5.0, 0.7), (u, 0.4, 0.2)):
        accepted = sum(_measured(H7.high + beyond, rng)[0] is Verdict.IN for _ in range(count))
        share = 100 * accepted / count
        good = good and abs(share - wanted) <= off
        print(
            f"true value {beyond / u:.0f} u beyond a limit: accepted {share:.2f} % of {count} (wanted {wanted} ± {off})"
        )
    return good


def _process(
    rule: CorrectionRule, drift: float, noise: np.ndarray, measured: np.ndarray, spread: float, *, plain: bool = False
) -> np.ndarray:
    """True deviations of parts, each answered by what was measured of it; `spread` is the ± of that.

    `plain` is the sum alone: nobody knows how parts scatter.
    """
    wear, parts, found, seen = 0.0, [], [], []
    for n, (e, m) in enumerate(zip(noise, measured, strict=True)):
        true = float(e) + drift * n + 2 * wear
        found.append(true)
        seen.append(true + float(m))
        parts.append(CutPart(seen[-1], spread, seen[-1] / 2, wear))
        scatter = None if plain else scatter_of(seen[-50:])
        wear = propose(parts[-40:], wear, Way("radius wear", 1), rule, diameter=True, scatter=scatter).new
    return np.array(found)


def corrections(processes: int = 200, parts: int = 100) -> bool:
    """What answering does to scatter alone and to a steady drift; figures in standard deviations of the process."""
    rng = np.random.default_rng(21)
    good = True
    for share in (1.0, 0.5, 0.2):
        rule = CorrectionRule(share, 0.0, 1e6)
        quiet = np.zeros(parts)
        ends = np.concatenate(
            [_process(rule, 0.0, rng.normal(0, 1, parts), quiet, 0.0, plain=True)[20:] for _ in range(processes)]
        )
        lag = float(_process(rule, 0.01, np.zeros(200), np.zeros(200), 0.0, plain=True)[-1])
        grown, wanted = float(ends.std()), expected_growth(share)
        good = good and abs(grown / wanted - 1) < 0.03 and abs(lag / (0.01 / share) - 1) < 0.03
        print(
            f"share {share}: scatter × {grown:.3f} (formula {wanted:.3f}), lag {lag / 0.01:.2f} parts ({1 / share:.2f})"
        )
    rule = CorrectionRule(limit=1e6)
    for u in (0.05, 0.25):
        alone, left = [], {0.1: [], 0.3: []}
        for _ in range(processes):
            noise, measured = rng.normal(0, 1, parts), rng.normal(0, u, parts)
            alone.append(_process(rule, 0.0, noise, measured, 2 * u).std() / noise.std())
            for drift, taken in left.items():
                end = _process(rule, drift, noise, measured, 2 * u)[-20:].mean()
                taken.append(100 * (1 - end / (drift * (parts - 10.5))))
        growth = float(np.mean(alone))
        taken = {drift: float(np.mean(values)) for drift, values in left.items()}
        good = good and growth <= 1.05 and taken[0.3] >= 95
        told = ", ".join(f"of {drift} σ a part {value:.1f} %" for drift, value in taken.items())
        print(f"default rule, ± {2 * u:.1f} σ: scatter × {growth:.3f} (≤ 1.05); drift taken out {told} (≥ 95 of 0.3)")
    return good


PLAN = """form = "brisk-anchor-plan-1"
units = "mm"
name = "inspect"
{measures}
[[judge]]
balloon = "1"
unsure = "go on"
again = "go on"
scrap = "go on"
{more}
[[judge]]
balloon = "6"
unsure = "go on"
again = "go on"
scrap = "go on"
{more}
"""


def control(count: int) -> bool:
    """Whether the control's figures are the application's, to its resolution, on parts of chance."""
    good = True
    names = ("top", "left", "front", "seat", "pocket", "floor")
    measures = "\n".join(f'[[measure]]\nfeature = "{name}"' for name in names)
    for name in ("skip-macro", "probe-params"):
        with tempfile.TemporaryDirectory() as folder:
            job = load_job(demo_files(Path(folder), "batch"))
        session = Session(build_scene(job.scene(0)), None, shipped_profile(name), seed=None)
        more = "correct = true" if session.profile.speaks.branches else ""
        ready = planned(session, parse_plan(PLAN.format(measures=measures, more=more), "plan"))
        prover = Prover(Case.of(session, ready, program_of(session, ready)))
        prover.case.offsets["G54"] = (-450.0, -270.0, -505.0)
        rng = np.random.default_rng(22)
        worst, answers = 0.0, 0
        verdicts_differ = 0
        for number in range(count):
            metal = {"seat": float(rng.uniform(-0.02, 0.02)), "floor": float(rng.uniform(-0.04, 0.04))}
            run = prover.run(cut_scene(prover.case.scene, metal, {"seat": 0.015}), number)
            for column, tool in ((RADIUS_WEAR, 12), (LENGTH_WEAR, 14)):
                run.machine.write_tool(tool, column, round(float(rng.uniform(-0.05, 0.05)), 4))
            run.to_end()
            report = parse_reports(run.printed)
            ours = (report.solved[4]["D"], report.solved[6]["Z"] + 505.0)
            for (value, code), mine, one in zip(report.judged.values(), ours, ready.inspecting.judgements, strict=True):
                worst = max(worst, abs(value - mine))
                if code >= 0:
                    near = min(abs(mine - v) for pair in (one.accept, one.reject) for v in pair if v is not None)
                    expected = 0 if _between(mine, one.accept) else 1
                    if not _between(mine, one.reject):
                        expected = one.below if mine < (one.reject[0] or -math.inf) else one.above
                    verdicts_differ += code != expected and near > 2e-4
            for tool, old, new in report.corrected:
                answer = ready.inspecting.corrections[0 if tool == 12 else 1]
                off = (ours[0] if tool == 12 else ours[1]) - answer.target
                state = report.judged[1 if tool == 12 else 2][1]
                expected = 0.0 if abs(off) <= answer.dead or state >= 2 else answer.factor * answer.share * off
                if abs(abs(off) - answer.dead) > 2e-4:
                    worst = max(worst, abs(new - old - expected))
                answers += new != old
        good = good and worst <= 2e-4 and not verdicts_differ
        told = f"{answers} wear offsets answered" if more else "no wear is reached by a program here"
        print(
            f"{name}: {count} parts, control's figures within {1000 * worst:.2f} µm of ours, "
            f"{verdicts_differ} verdicts differ, {told}"
        )
    return good


def _between(value: float, limits: tuple[float | None, float | None]) -> bool:
    low, high = limits
    return (low is None or value >= low) and (high is None or value <= high)


def many(count: int) -> bool:
    """A book of so many parts with twenty characteristics: opened, and gone through by keys."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        job = demo_files(folder / "job", "batch")
        with open_job(job, folder / "data", roll=0) as session:
            inspection = Inspection(session)
            measure_asked(inspection)
            part = inspection.part_now()
            lines = [replace(line, balloon=f"{n}") for n in range(1, 21) for line in (part.lines[n % len(part.lines)],)]
            made = [replace(part, serial=str(n), lines=tuple(lines), source="made up") for n in range(count)]
            made = [
                replace(p, at=f"2026-10-{1 + n // 400:02d}T{n % 24:02d}:00:{n % 60:02d}+00:00")
                for n, p in enumerate(made)
            ]
            for first in range(0, count, 500):
                inspection.enter_all(made[first : first + 500])
            opened = []
            for _ in range(5):
                began = time.perf_counter()
                Inspection(session)
                opened.append(time.perf_counter() - began)
        view, keys = asyncio.run(_gone_through(job, folder, count))
    slow = statistics.quantiles(keys, n=20)[-1]
    print(
        f"{count} parts × 20 in the book: read in {statistics.median(opened):.2f} s, view 8 shown in {view:.2f} s, "
        f"keys {1000 * statistics.median(keys):.0f} ms, 95 % under {1000 * slow:.0f} ms"
    )
    return view < 0.5 and slow < 0.05


async def _gone_through(job: Path, folder: Path, count: int) -> tuple[float, list[float]]:
    """Seconds until the view shows a part, and for each key until all of it is told what to show."""
    app = BriskAnchorApp(lambda: open_job(job, folder / "data", roll=0), folder, speed=2000.0)
    async with app.run_test(size=(160, 44)) as pilot:
        while app.view_state is None:
            await asyncio.sleep(0.01)
        await pilot.pause()
        began = time.perf_counter()
        app.post_message(events.Key("8", "8"))
        while not (found := app.query("#results")) or found.first().part is None:  # type: ignore[attr-defined]
            await asyncio.sleep(0.002)
        view = found.first()
        shown = time.perf_counter() - began
        while len(view.inspection.parts) < min(400, count):  # type: ignore[attr-defined]
            await asyncio.sleep(0.01)
        await pilot.pause()
        keys = []
        for step in (1, 1, -1, 1, -1) * 12:
            for do in (view.move, view.older):  # type: ignore[attr-defined]
                at = time.perf_counter()
                do(step)
                keys.append(time.perf_counter() - at)
                await pilot.pause()
        app.view_state.session.book.close()  # type: ignore[union-attr]
    return shown, keys


def main() -> None:
    """Everything; fewer parts where `--count` says so."""
    count = int(sys.argv[sys.argv.index("--count") + 1]) if "--count" in sys.argv else 10_000
    good = [verdicts(count), corrections(), control(max(50, count // 10)), many(count)]
    if not all(good):
        sys.exit(1)
