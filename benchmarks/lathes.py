"""Random lathes, parts, turrets and orders of work: where does the tip really stand after every store?

Each lathe is drawn: turret in front or behind, inch or mm, zero at the face, chuck or jaws, a spindle axis off zero, a
control of radii or diameters and signs of its own, tools referred to their corner or their nose's centre, blades with
either edge, bars, drills, figures in the tables that are somewhat wrong. Then a person works at it: faces, turns,
bores, measures with this gauge or that, feels, sweeps, stores into this table or that, proves, clamps a new piece.
After every store work offset, geometry and wear are added up and compared with where the tip really is; `python -m
benchmarks lathes [--count N]` exits 1 where that lies further off than the ± of the sum allows, or anything but a
refusal came.
"""

from __future__ import annotations

import random
import re
import sys
import tempfile
import traceback
from collections import Counter
from dataclasses import dataclass, field
from pathlib import Path

from benchmarks import told_all
from brisk_anchor.core.errors import BriskAnchorError
from brisk_anchor.core.turning.setup import geometry_row, wear_row
from brisk_anchor.core.turning.tools import ToolKind
from brisk_anchor.core.turning.zero import Method
from brisk_anchor.core.uncertainty.estimates import Estimate, combined
from brisk_anchor.nc.profile.control_profile import shipped_text
from brisk_anchor.services.turning.turning_job import TurningJob, read_turning
from brisk_anchor.services.turning.turning_session import TurningSession

COUNT = 400
SURE = 2.5
"""So many ± a stored sum may lie off: beyond that it is no scatter."""
REACH = {1: (-231.0, 42.35), 3: (-229.4, 38.1), 5: (-235.42, 128.06), 7: (-219.9, 37.02), 8: (-231.0, 58.0)}
STEPS = {
    "face": ("face", "measure face", "store"),
    "face, elsewhere": ("face", "measure face", "destination", "store"),
    "turn": ("turn", "measure diameter", "store"),
    "turn, elsewhere": ("turn", "measure diameter", "destination", "store"),
    "turn, wear kept": ("turn", "measure diameter", "keep wear", "store"),
    "bore": ("bar", "bore", "measure diameter", "store"),
    "feel the face": ("index", "feel face", "store"),
    "feel the diameter": ("index", "feel diameter", "store"),
    "whisker": ("index", "whisker", "store"),
    "sweep": ("drill", "dial", "store"),
    "prove": ("prove",),
    "another gauge": ("gauge",),
    "another known face": ("known face",),
    "a new piece": ("new piece",),
}
OFTEN = ("face", "turn", "face", "turn", "bore")


def _control(draw: random.Random) -> str:
    """The profile of a random control: radii or diameters, and tables that count the other way."""
    text = shipped_text(draw.choice(["turn-macro", "turn-macro", "turn-table"]))

    def form() -> str:
        signs = "".join(f", sign_{axis} = -1" for axis in "xz" if draw.random() < 0.3)
        return f'{{ x = "{draw.choice(["diameter", "radius"])}"{signs} }}'

    for name in ("program", "display", "work_offset"):
        text = re.sub(rf'\n{name} = {{ x = "[a-z]*" }}', f"\n{name} = {form()}", text)
    for name in ("geometry", "wear"):
        table = form().strip("{ }").replace(", ", "\n")
        text = re.sub(rf'\[lathe.{name}\]\nx = "[a-z]*"', f"[lathe.{name}]\n{table}", text)
    if 'program = { x = "radius"' in text:
        text = text.replace("diameter_x = true", "diameter_x = false")
    return text


def _lathe(draw: random.Random) -> str:
    """The file of a random job."""
    inch = draw.random() < 0.2

    def mm(value: float) -> float:
        return round(value / (25.4 if inch else 1.0), 5)

    diameters = sorted({round(draw.uniform(8, 60), 2) for _ in range(draw.choice([1, 2, 3]))})
    ends = sorted({round(draw.uniform(5, 80), 1) for _ in diameters})
    diameters = diameters[: len(ends)]
    part = ", ".join(f"⌀{mm(d)} to {mm(end)}" for d, end in zip(diameters, ends, strict=True))
    bored = draw.random() < 0.5 and diameters[0] > 26
    if bored:
        part += f", bore ⌀{mm(round(draw.uniform(18, diameters[0] - 6), 2))}"
    back = draw.choice([10, 32])
    stock = f"{draw.choice(['bar', 'blank'])} ⌀{mm(diameters[-1] + draw.choice([1, 2, 4]))} front "
    stock += f"{mm(draw.choice([0, 0.5, 1.5]))} back {mm(back)}" + (f" tube {mm(16)}" if bored else "")
    out = round(draw.uniform(ends[-1] * 0.5, ends[-1] + 8), 1)
    holding = f"{draw.choice(['chuck', 'collet', 'soft jaws'])}, jaws {mm(draw.choice([10, 20, 30]))} high ⌀{mm(150)}"
    holding += f", {mm(out)} out" + draw.choice(["", f", step {mm(5)}", f", back stop ±{mm(0.02)}"])
    nose = mm(draw.choice([0, 0.2, 0.4, 0.8]))

    def edge() -> str:
        return draw.choice(["chuck", "front"])

    def refers() -> str:
        return draw.choice(["", "", " centre"])

    tools = [
        f"T1 outside nose {nose} sticks {mm(25)}{refers()}",
        f"T3 groover width {mm(3.02)} edge {edge()} nose {mm(0.2)} sticks {mm(16)}{refers()}",
        f"T5 boring size {mm(10)} nose {mm(0.4)} sticks {mm(110)}{refers()}",
        f"T7 parting width {mm(3.02)} edge {edge()} nose {mm(0.1)} sticks {mm(30)}",
        f"T2 offset 8 drill size {mm(8)} sticks {mm(40)}",
    ]
    gauges = [
        f"depth gauge ±{mm(0.02)} to {mm(150)}",
        f"rule ±{mm(0.3)} to {mm(300)}",
        f"micrometer ±{mm(0.004)} from {mm(5)} to {mm(75)}",
        f"caliper ±{mm(0.03)} to {mm(150)}",
        f"bore gauge ±{mm(0.006)} from {mm(10)} to {mm(60)}",
        f"feeler {mm(0.1)} ±{mm(0.003)}",
        f"dial ±{mm(0.01)}",
    ]
    lines = [
        'form = "brisk-anchor-turning-1"',
        f'units = "{"inch" if inch else "mm"}"',
        'job = "ONE"',
        "[machine]",
        f'name = "Wren"\ncontrol = "control.toml"\nturret = "{draw.choice(["front", "rear"])}"\nstations = 8',
        f"travel_low = [{mm(-340)}, {mm(-470)}]\ntravel_high = [{mm(5)}, 0.0]",
        f"home = [0.0, 0.0]\nindex_at = [0.0, {mm(-150)}]\nchuck_face = {mm(-435.92)}\nreach_at_home = {mm(235.5)}",
        f"axis_x = {mm(draw.choice([0.0, 0.0, round(draw.uniform(-5, 5), 3)]))}\nu_axis_x = {mm(0.002)}",
        f'resolution = {0.0001 if inch else draw.choice([0.001, 0.002, 0.0005])}\nconnection = "stand-in"',
        "[setup]",
        f'part = "{part}"\nstock = "{stock}"\nholding = "{holding}"\nclearance = {mm(5)}',
        f'zero = "{draw.choice(["finished face", "chuck face", "jaws"])}"',
        f"tools = {tools!r}\ngauges = {gauges!r}".replace("'", '"'),
        f"[stand_in]\nchuck_shift = {mm(draw.uniform(-0.5, 0.5))}",
    ]
    for offset, (x, z) in REACH.items():
        lines.append(f"[[stand_in.tool]]\noffset = {offset}\nx = {mm(x)}\nz = {mm(z)}")
        if draw.random() < 0.3:
            wrong_x, wrong_z = x + draw.uniform(-0.5, 0.5), z + draw.uniform(-0.5, 0.5)
            lines.append(f"[[stand_in.table]]\noffset = {offset}\nx = {mm(wrong_x)}\nz = {mm(wrong_z)}")
    return "\n".join(lines) + "\n"


@dataclass
class _Person:
    """Somebody who works at a lathe, step by step."""

    session: TurningSession
    draw: random.Random
    told: Counter[str] = field(default_factory=Counter)
    wrong: list[str] = field(default_factory=list)

    def spindle(self, *, turns: bool) -> None:
        """Start it or stop it."""
        if (self.session.machine.spindle != 5) is not turns:
            self.session.spindle()

    def take(self, offset: int) -> None:
        """Turn a tool to the work and bring it near."""
        self.spindle(turns=False)
        self.session.to_index_place()
        self.session.turn_turret(self.session.job.setup.tool(offset))
        self.session.bring_near()

    def do(self, step: str) -> None:
        """One step. Raises BriskAnchorError: it was refused."""
        session, machine, draw = self.session, self.session.machine, self.draw
        tool = machine.tool
        assert tool is not None
        match step:
            case "face" | "turn":
                if tool.kind is not ToolKind.OUTSIDE:
                    self.take(1)
                self.spindle(turns=True)
                if step == "face":
                    session.cut_face(round(draw.uniform(0.05, 0.6), 3))
                else:
                    session.cut_along(draw.uniform(4, 12), round(draw.uniform(0.1, 1), 3))
            case "bar":
                self.take(5)
            case "bore":
                self.spindle(turns=True)
                session.cut_along(draw.uniform(4, 8), round(draw.uniform(0.1, 1), 3))
            case "drill":
                self.take(8)
            case "index":
                self.take(draw.choice(session.job.setup.tools).offset)
            case "measure face" | "measure diameter":
                self.spindle(turns=False)
                seen = session.zero.reading(session.zero.begin(Method.FACE if "face" in step else Method.TURN))
                assert seen is not None
                session.zero.measured(seen)
            case "feel face" | "feel diameter" | "whisker" | "dial":
                self.feel(step)
            case "destination":
                session.zero.next_destination()
            case "keep wear":
                session.zero.other_wear()
            case "gauge":
                session.zero.next_gauge(draw.choice(["length", "diameter", "bore"]))
            case "known face":
                session.zero.next_face()
            case "new piece":
                self.spindle(turns=False)
                session.new_stock()
            case "store":
                self.store()
            case "prove":
                self.told["proved" if session.prove(session.row).holds else "disagrees"] += 1

    def feel(self, step: str) -> None:
        """Bring the tip before the face or beside the diameter, feel, and say what it lies on."""
        session, machine = self.session, self.session.machine
        methods = {"feel face": Method.FELT_FACE, "feel diameter": Method.FELT_DIAMETER, "whisker": Method.WHISKER}
        method = methods.get(step, Method.DIAL)
        self.spindle(turns=method is Method.WHISKER)
        tool, (x, z), (tip_x, tip_z) = machine.tool, machine.place, machine.tip()
        assert tool is not None
        session.zero.look(method)
        stock = session.job.setup.stock
        if method is Method.FELT_FACE and tool.kind is not ToolKind.DRILL:
            machine.jog((x - tip_x + stock.bore + 0.6 * (stock.diameter - stock.bore), z), 500)
        elif method in (Method.FELT_DIAMETER, Method.WHISKER):
            machine.true_diameter(machine.metal.bounds[2] - 0.01, inside=tool.kind.is_inside)  # a bar needs a bore
            machine.jog((x, z + machine.metal.bounds[2] - tip_z - 2.0), 500)
        session.touch(method)
        if method is Method.DIAL:
            figure = 0.0
        elif method is Method.FELT_FACE:
            face = session.zero.face_in_program
            if face is None:
                session.zero.leave()
                self.told["no figure known"] += 1
                return
            figure = face.value
        else:  # the largest diameter under the edge, as a micrometer beside it would have it
            inside, way = tool.kind.is_inside, 1 if tool.edge == "chuck" else -1
            under = [
                machine.tip()[1] + way * share * max(tool.width, 0.01) for share in (0.001, 0.25, 0.5, 0.75, 0.999)
            ]
            figure = max(machine.true_diameter(at, inside=inside) for at in under)
        session.zero.measured(figure)

    def store(self) -> None:
        """Store what is proposed and compare what the tables add up to with where the tip is."""
        session, machine = self.session, self.session.machine
        proposal, evidence = session.zero.proposal, session.zero.evidence
        if proposal is None or evidence is None:
            return
        session.zero.store()
        axis, tool = proposal.axis, evidence.tool
        rows = (session.row, geometry_row(tool.offset), wear_row(tool.offset))
        held = sum(session.desk.figure(row, axis) for row in rows)
        lathe, at = machine.setup.lathe, 0 if axis == "x" else 1
        zero = lathe.axis_x if axis == "x" else machine.true_zero - machine.setup.zero_from_face
        # A program names the corner, or the nose's centre, which is so much further from the work.
        away = 0.0 if tool.refers_to == "sharp corner" else -tool.points[at] * tool.nose_radius * (2 - at)
        off = held - (zero + machine.reality.geometry[tool.offset][at] - away)
        spread = Estimate(0.0, combined(*((1.0, session.desk.estimate(row, axis).effects) for row in rows))).expanded
        self.told[evidence.method.value] += 1
        self.told["within ±"] += abs(off) <= spread + session.desk.resolution
        if abs(off) > SURE * spread + 2 * session.desk.resolution:
            self.wrong.append(
                f"{evidence.method.value} into {proposal.row} {axis.upper()} by {tool.name} "
                f"({tool.title}, {tool.edge}, {tool.refers_to}): {off:+.4f} off, ±{spread:.4f}"
            )


def _work(number: int, folder: Path) -> tuple[Counter[str], list[str]]:
    draw = random.Random(number)
    (folder / "control.toml").write_text(_control(draw), encoding="utf-8")
    try:
        job: TurningJob = read_turning(_lathe(draw), folder / "turning.toml")
        person = _Person(TurningSession(job, None, seed=number), draw)
        person.session.home()
        person.session.bring_near()
    except BriskAnchorError as error:
        return Counter({f"not begun: {type(error).__name__}": 1}), []
    steps = [s for _ in range(draw.randint(4, 12)) for s in STEPS[draw.choice([*STEPS, *OFTEN])]]
    for step in steps:
        try:
            person.do(step)
        except BriskAnchorError as error:
            person.told[f"refused: {type(error).__name__}"] += 1
            if person.session.machine.alarm:
                break
        except Exception:  # noqa: BLE001  whatever it is, it is what is looked for
            person.wrong.append(f"{step}: {traceback.format_exc()[-600:]}")
            break
    return person.told, [f"lathe {number}: {words}" for words in person.wrong]


def main() -> None:
    """Run and print (`--count N` lathes); exits 1 where a figure was stored that is not so."""
    count = int(sys.argv[sys.argv.index("--count") + 1]) if "--count" in sys.argv else COUNT
    told: Counter[str] = Counter()
    wrong: list[str] = []
    with tempfile.TemporaryDirectory() as folder:
        for number in range(count):
            here, errors = _work(number, Path(folder))
            told += here
            wrong += errors
    stored = sum(told[method.value] for method in Method)
    print(f"  {count} lathes, {stored} figures stored, {100 * told['within ±'] / max(stored, 1):.1f} % within their ±")
    told_all(told, wrong, enough=bool(stored))
