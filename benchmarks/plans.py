"""Random set-ups and plans of every feature, in both probing languages: right, stopped, crashed; time, length, speed.

Each set-up is a plate with features of random kinds and sizes in its cells, a probe of random size, a stated
uncertainty and a real part drawn within it, one that lies as low and one as high as that allows, then one drawn three
times as far off.
Without noise, so that an error is one of method: it is the distance of every row the program has set from where the
part really lies. In every third set-up depths are shallow, with and without a depth check; every control profile has
one field at an unusual but legal value. It fails when a program crashes, ends wrong on a part within what is stated, or
stops on one that is deep enough.
"""

from __future__ import annotations

import os
import statistics
import time
from collections import Counter
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, field

import numpy as np

from benchmarks.unusual import unusual_profiles
from brisk_anchor.core.errors import BriskAnchorError
from brisk_anchor.core.features.measuring import propose_depth_check
from brisk_anchor.nc.profile.control_profile import shipped_profile
from brisk_anchor.services.plan.plan_file import PlanFile
from brisk_anchor.services.plan.planning import planned, program_of
from brisk_anchor.services.plan.proving import Case, Prover, prove
from brisk_anchor.services.plan.timing import times_of
from brisk_anchor.services.session.session import Session
from brisk_anchor.standin.scene import Scene, build_scene
from brisk_anchor.standin.scene_file import SceneFile, load_scene

SETUPS = 2000
LANGUAGES = ("hash-macro", "ngc")
SHALLOW = 3
"""Every so many set-ups depths are shallow."""
METHOD = 0.0005
"""How far, mm, a row may be off beside half its last digit."""
BEYOND = 3.0
CELL = 64.0
COLUMNS, LINES = 4, 3
TOP = -530.0
BALLS = (
    (0.5, 0.34, 40.0),
    (1.0, 0.7, 40.0),
    (2.0, 1.4, 40.0),
    (3.0, 1.5, 40.0),
    (4.0, 2.5, 50.0),
    (6.0, 4.0, 50.0),
    (6.0, 4.0, 75.0),
)
"""Diameters of ball and stem, length of the stem, mm."""
THICK = (40.0, 40.0, 40.0, 12.0, 6.0)
"""How thick the plate is, mm; the base lies 30 mm below it."""
IN_CELLS = (
    "bore",
    "boss",
    "slot",
    "web",
    "pocket",
    "block",
    "inside corner",
    "ball",
    "tilted bore",
    "free bore",
    "free boss",
)
ON_PLATE = ("surface", "edge", "outside corner", "top", "plane")


@dataclass
class Tally:
    """What came of all of them."""

    within: Counter[str] = field(default_factory=Counter)
    low: Counter[str] = field(default_factory=Counter)
    high: Counter[str] = field(default_factory=Counter)
    beyond: Counter[str] = field(default_factory=Counter)
    kinds: Counter[str] = field(default_factory=Counter)
    worst: float = 0.0
    bad: int = 0
    over: list[float] = field(default_factory=list)
    lines: list[float] = field(default_factory=list)
    told: list[str] = field(default_factory=list)

    def add(self, other: Tally) -> None:
        """Take another's figures in."""
        self.within += other.within
        self.low += other.low
        self.high += other.high
        self.bad += other.bad
        self.beyond += other.beyond
        self.kinds += other.kinds
        self.worst = max(self.worst, other.worst)
        self.over += other.over
        self.lines += other.lines
        self.told += other.told


def _cell(random: np.random.Generator, kind: str, x: float, y: float, ball: float, u: float, two: bool):
    """A feature in the middle of a cell: its section, and what is cut into the plate or stands on it."""
    deep = ball / 2 + u + float(random.uniform(0.5, 2.0))
    high = deep + u + 1.0
    room = CELL / 2 - ball - 2 * u - 4.0
    least = 27.0 if kind == "inside corner" else max(ball + 2 * u + (8 if two else 3), 9)
    a, b = (float(random.uniform(least, max(1.6 * room, least + 1))) for _ in range(2))
    section = {
        "kind": kind.removeprefix("free "),
        "place": [x, y, 0.0],
        "depth": deep,
        "size_limit": 0.4,
        "solid": "plate",
    }
    hole, slot, solid = None, None, None
    apart = min(float(random.uniform(0.3, 0.5)) * min(a, b), min(a, b) - ball - 2 * u - 3)
    spread = {"spread": apart} if two else {}
    box = {"low": [x - a / 2, y - b / 2], "high": [x + a / 2, y + b / 2]}
    if kind in ("bore", "free bore", "tilted bore"):
        hole = {"at": [x, y], "diameter": a}
        section |= {"size": a} | ({"second_depth": 12.0} if kind == "tilted bore" else {})
    elif kind in ("boss", "free boss"):
        solid = {"shape": "round", "centre": [x, y], "diameter": a, "bottom": 0.0, "top": high}
        section |= {"size": a, "over": True}
    elif kind == "ball":
        solid = {"shape": "ball", "centre": [x, y], "bottom": 2.0, "top": 2.0 + a}
        section = {"kind": "ball", "place": [x, y, 2.0 + a / 2], "size": a, "size_limit": 0.4}
    elif kind in ("slot", "pocket", "inside corner"):
        slot = box | {"depth": high}
        if kind == "slot":
            section |= {"size": a, "walls": ["LEFT", "RIGHT"]}
        elif kind == "pocket":
            section |= {"size": a, "size_y": b}
        else:
            section |= {"place": [x + a / 2, y + b / 2, 0.0], "walls": ["RIGHT", "UP"]}
            spread = {"spread": min(4.0, 0.2 * min(a, b))} if two else {}
    else:
        solid = {"shape": "block", "bottom": 0.0, "top": high} | box
        section |= {"size": a} | ({"walls": ["LEFT", "RIGHT"]} if kind == "web" else {"size_y": b})
        section |= {"over": True}
    if kind.startswith("free"):
        first = float(random.uniform(-180, 70))
        section["headings"] = [first, first + float(random.uniform(70, 140)), first + float(random.uniform(190, 280))]
    if solid is not None:
        section["place"] = [x, y, high] if kind != "ball" else section["place"]
    if kind in ("slot", "web", "pocket", "block", "inside corner"):
        section |= spread
    return section, hole, slot, solid


def _on_plate(random: np.random.Generator, kind: str, wide: float, tall: float, ball: float, u: float, two: bool):
    deep = ball / 2 + u + 1.0
    if kind == "surface":
        return {"kind": "surface", "place": [0.0, tall * 0.4, 0.0], "walls": ["RIGHT"], "depth": deep}
    if kind == "edge":
        return {"kind": "edge", "place": [wide / 2, 0.0, 0.0], "walls": ["UP"], "depth": deep, "spread": 0.7 * wide}
    if kind == "outside corner":
        more = {"spread": 14.0} if two else {}
        return {"kind": "outside corner", "place": [0.0, 0.0, 0.0], "walls": ["LEFT", "DOWN"], "depth": deep, **more}
    place = [CELL * float(random.integers(1, COLUMNS)), CELL * float(random.integers(1, LINES)), 0.0]
    if kind == "plane":
        return {"kind": "plane", "place": place, "walls": ["BELOW"], "spread": 4.0}
    return {"kind": "surface", "place": place, "walls": ["BELOW"]}


def random_setup(number: int, base: SceneFile) -> tuple[SceneFile, PlanFile]:
    """A scene as described and a plan for it."""
    random = np.random.default_rng([number, 7])
    two = bool(random.integers(0, 2))
    u = float(random.choice((0.5, 1.0, 2.0)))
    ball, stem, stem_length = BALLS[int(random.integers(0, len(BALLS)))]
    wide, tall = CELL * COLUMNS, CELL * LINES
    cells = [(CELL * (i + 0.5), CELL * (j + 0.5)) for i in range(COLUMNS) for j in range(LINES)]
    random.shuffle(cells)
    count = int(random.integers(2, 9))
    kinds = [IN_CELLS[(number + 5 * n) % len(IN_CELLS)] for n in range(count)]
    features, holes, slots, solids, names = [], [], [], [], []
    for n, (kind, (x, y)) in enumerate(zip(kinds, cells, strict=False)):
        section, hole, slot, solid = _cell(random, kind, x, y, ball, u, two)
        name = f"{kind.replace(' ', '-')} {'abcdefgh'[n]}"
        if solid is not None:
            solids.append({"name": name} | solid)
            section["solid"] = name
        holes += [hole] if hole else []
        slots += [slot] if slot else []
        names.append(name)
        features.append({"name": name, "title": name, "body": "QB-9"} | section)
    # One touch a wall tells nothing of a skew: parts that may lie turned are touched twice on every wall.
    ends = [kind for kind in ON_PLATE if two or kind not in ("surface",)] if two else list(ON_PLATE)
    ends = [kind for kind in ends if not (two and kind == "surface")]
    for kind in {"top", ends[number % len(ends)]}:
        name = f"{kind.replace(' ', '-')} p"
        names.append(name)
        section = _on_plate(random, kind, wide, tall, ball, u, two)
        features.append({"name": name, "title": name, "body": "QB-9", "solid": "plate"} | section)
    thick = float(random.choice(THICK))
    slots = [slot | {"depth": None} if slot["depth"] >= thick else slot for slot in slots]
    plate = {
        "name": "plate", "shape": "block", "low": [0.0, 0.0], "high": [wide, tall], "bottom": -thick, "top": 0.0,
        "holes": holes, "slots": slots,
    }  # fmt: skip
    part = {
        "name": "QB-9", "role": "part", "solid": [plate, *solids],
        "at": [-620.0 + float(random.uniform(0, 200)), -380.0 + float(random.uniform(0, 100)), TOP],
    }  # fmt: skip
    table = {
        "name": "base",
        "shape": "block",
        "low": [40.0, 30.0],
        "high": [wide - 40, tall - 30],
        "bottom": -70.0 - thick,
        "top": -30.0 - thick,
    }
    fixture = {"name": "SP-2", "role": "fixture", "at": part["at"], "solid": [table]}
    highest = max([0.0, *(solid["top"] for solid in solids)])
    data = base.model_dump() | {
        "body": [fixture, part], "feature": features, "row": [_row(u)], "hand_tool": [], "setter": None,
    }  # fmt: skip
    data["job"] = data["job"] | {
        "part": "QB-9", "fixture": "SP-2", "start_uncertainty": u, "turn_uncertainty": 2.0 if two else 0.0,
        "clear_height": TOP + highest + u + 12.0,
    }  # fmt: skip
    radius = ball / 2 - 0.006
    data["probe"] = data["probe"] | {
        "ball_diameter": ball, "effective_radius": radius, "stem_diameter": stem, "stem_length": stem_length,
        "u_length": 0.0,
    }  # fmt: skip
    data["probe"]["real"] = data["probe"]["real"] | {"length": 150.006, "pre_travel": 0.006, "noise": 0.0}
    return SceneFile.model_validate(data), _plan(random, features, kinds, two)


def _row(u: float) -> dict[str, object]:
    """The row of the job: believed as far as the part may lie off, and a little."""
    kept = {"keep": True}
    return {"row": "G54", "title": "all", "jump_limit": u + 1.0, "x": kept, "y": kept, "z": {"feature": "top p"}}


_BOTH = ("bore", "boss", "pocket", "block", "ball", "tilted bore", "inside corner", "outside corner")


def _plan(random, features, kinds, two) -> PlanFile:
    """Every feature measured; each that tells a place sets a row of its own, an edge or long walls its angle too."""
    rows = iter(("G54", "G55", "G56", "G57", "G58", "G59"))
    measure = []
    for section in features:
        one = {"feature": section["name"]}
        kind, (x, y, z) = section["kind"], section["place"]
        row = next(rows, None)
        if row is not None:
            if kind in _BOTH:
                turned = two and section.get("spread") and section["kind"] != "ball"
                one["sets"] = {"row": row, "x": x, "y": y} | ({"r": 0.0} if turned else {})
                if kind == "ball" and not turned:
                    one["sets"]["z"] = z
            elif section.get("walls") == ["BELOW"]:
                one["sets"] = {"row": row, "z": z}
            elif not two:
                axis = "x" if "RIGHT" in section["walls"] or "LEFT" in section["walls"] else "y"
                one["sets"] = {"row": row, axis: x if axis == "x" else y}
        if section.get("over") and kind in ("boss", "block") and "headings" not in section:
            one["over_the_top"] = bool(random.integers(0, 2))
        if random.integers(0, 6) == 0:
            one["repeats"] = 2
        measure.append(one)
    return PlanFile.model_validate(
        {"form": "brisk-anchor-plan-1", "units": "mm", "name": "random", "order": "shortest", "measure": measure}
    )


def _shallow(file: SceneFile, plan: PlanFile, random: np.random.Generator) -> tuple[SceneFile, PlanFile]:
    """The same with depths that are not safe by themselves: some are checked, some count from the top, some refused."""
    ball, u = file.probe.ball_diameter, file.job.start_uncertainty
    features, measure = [], []
    for feature, section in zip(file.feature, plan.measure, strict=True):
        shallow = feature.depth and feature.kind != "tilted bore"
        depth = ball / 2 + float(random.uniform(0.05, u)) if shallow else feature.depth
        features.append(feature.model_copy(update={"depth": round(depth, 3)}))
        checks = shallow and random.integers(0, 2)
        higher = min(propose_depth_check(ball), max(0.3, depth - ball / 2))
        measure.append(section.model_copy(update={"depth_check": round(higher, 3)} if checks else {}))
    return file.model_copy(update={"feature": features}), plan.with_measure(measure)


def _at_height(scene: Scene, way: int) -> Scene:
    """The part as high or low as is stated, and otherwise where it is described."""
    file = scene.file
    bodies = [
        body.model_copy(
            update={"real": body.real.model_copy(update={"shift": (0.0, 0.0, way * file.job.start_uncertainty)})}
        )
        if body.role == "part"
        else body
        for body in file.body
    ]
    return build_scene(file.model_copy(update={"body": bodies}))


def _try(number: int) -> Tally:
    base = load_scene("heron-gl114")
    tally = Tally()
    file, plan = random_setup(number, base)
    shallow = number % SHALLOW == 0
    if shallow:
        file, plan = _shallow(file, plan, np.random.default_rng([number, 8]))
    scene = build_scene(file)
    unusual, _ = unusual_profiles()
    for language in LANGUAGES:
        own = [(name, profile) for name, profile in unusual if profile.language == language]
        what, profile = own[number % len(own)]
        session = Session(scene, None, profile, seed=None)
        try:
            ready = planned(session, plan)
            program = program_of(session, ready)
        except BriskAnchorError as error:
            tally.within["refused"] += 1
            words = ("variables", "tells", "keeps all", "lower edge", "a wall ends")
            expected = shallow or any(each in error.one_line() for each in words)
            tally.bad += not expected
            if not expected:
                tally.told.append(f"{number} {what}: refused: {error.one_line()}")
            continue
        if language == LANGUAGES[0]:
            tally.kinds += Counter(m.kind.value for m in ready.measurements)
        checked = any(m.depth_check and not m.deep_enough for m in ready.measurements)
        allowed = profile.resolution / 2 + METHOD
        prover = Prover(Case.of(session, ready, program))
        for told, which, real, beyond in (
            (tally.within, "within", None, 1.0),
            (tally.low, "low", _at_height(scene, -1), 1.0),
            (tally.high, "high", _at_height(scene, 1), 1.0),
            (tally.beyond, "beyond", None, BEYOND),
        ):
            if real is None:
                ending = prover.trial(1 if beyond == 1.0 else 2, beyond, noisy=False).ending
            else:
                low = Session(real, None, profile, seed=None)
                ending = Prover(Case.of(low, ready, program)).trial(0, noisy=False).ending
            told[ending.how] += 1
            tally.worst = max(tally.worst, ending.error - allowed)
            stopped = ending.how == "stopped" and which != "beyond"
            # A low edge is told by the check, or one of the touches goes over it and meets nothing.
            over = ("EDGE TOUCHED", "MISSED", "SAME WALL HIGHER", ": TOUCH ")
            edge = checked and any(each in ending.words for each in over)
            far = ending.error > allowed and which != "beyond"
            # A part three times as far off as stated may be touched on an edge: its values are promised nothing.
            wrong = ending.how == "wrong" and which != "beyond"
            if wrong or ending.how == "crashed" or (stopped and not edge) or far:
                tally.bad += 1
                tally.told.append(f"{number} {what}, {which}: {ending.how} {ending.words} {1000 * ending.error:.2f} µm")
        if language == LANGUAGES[0] and profile.probing and profile.probing.back_off < 2:
            tally.lines.append(program.text.count("\n") / ready.touch_count)
            run = prover.run(prover.scene(1), 1, noisy=False)
            run.to_end()
            times = times_of(ready.setup.machine, session.profile, ready.measurements, run.machine.motions)
            if times is not None:
                tally.over.append(times.over)
    return tally


def ten_features() -> None:
    """Time to write, and to prove on 200 parts, a plan of ten features."""
    base = load_scene("heron-gl114")
    made = (random_setup(number, base) for number in range(10_000))
    file, plan = next((f, p) for f, p in made if len(p.measure) == 10 and f.body[1].solid[0].bottom == -THICK[0])
    session = Session(build_scene(file), None, shipped_profile("skip-macro"), seed=1)
    started = time.perf_counter()
    ready = planned(session, plan)
    program = program_of(session, ready)
    written = time.perf_counter() - started
    outcome = prove(session, ready, program, 200)
    whole = time.perf_counter() - started
    print(
        f"plan of {len(ready.steps)} features, {ready.touch_count} touches: written in {1000 * written:.0f} ms, "
        f"written and proved on 200 parts in {whole:.1f} s ({outcome.right} right)"
    )


def main() -> None:
    """Run and print."""
    started = time.perf_counter()
    tally = Tally()
    with ProcessPoolExecutor(os.cpu_count()) as pool:
        for one in pool.map(_try, range(SETUPS), chunksize=10):
            tally.add(one)
    for words in tally.told[:60]:
        print(" ", words)
    features = f"{sum(tally.kinds.values())} features: {dict(tally.kinds.most_common())}"
    print(f"{SETUPS} set-ups in two languages, {features}")
    print(f"within what is stated: {dict(tally.within)}; as low as that: {dict(tally.low)}")
    print(f"as high as that: {dict(tally.high)}")
    print(f"{BEYOND:g} times as far off: {dict(tally.beyond)}")
    print(f"{'FAILED' if tally.bad else 'GOOD'}: {tally.bad} programs ended wrong, crashed or stopped without reason")
    over = sorted(tally.over)
    print(
        f"time over the least: median {statistics.median(over):.1%}, 95 % under {over[int(0.95 * len(over))]:.1%}; "
        f"lines a touch: median {statistics.median(tally.lines):.1f}"
    )
    print(f"{time.perf_counter() - started:.0f} s")
    ten_features()
    if tally.bad:
        raise SystemExit(1)
