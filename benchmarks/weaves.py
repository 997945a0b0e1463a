"""Random cutting programs with measuring put in after random operations: is the same cut, in the same state?

Programs in both languages by unusual profiles, in mm and inches: tools named early or with their change, offsets
and lengths said once or in every operation, distances, subprograms, skipped blocks, coolants. Each runs on the stand-in
without measuring and with it. Every move at feed with a cutter must end at the same place with the same feed, tool,
spindle, speed, coolants and path control, and the control must be left in the same state; or it is refused, or stopped
by an alarm of the measuring. `python -m benchmarks weaves [--count N] [--first N]` exits 1 where it is not so.
"""

from __future__ import annotations

import random
import re
import sys
from collections import Counter
from dataclasses import dataclass, field

from benchmarks import told_all
from benchmarks.unusual import unusual_profiles
from brisk_anchor.core.errors import BriskAnchorError, NcError
from brisk_anchor.nc.profile.control_profile import Profile, parse_profile, shipped_text
from brisk_anchor.services.insert.weaving import shown, take_apart, unweave, weave
from brisk_anchor.services.machine.runs import Run
from brisk_anchor.services.plan.plan_file import PlanFile
from brisk_anchor.services.plan.planning import planned
from brisk_anchor.services.session.session import Session
from brisk_anchor.services.session.tool_shelf import take_reference
from brisk_anchor.standin.motion import MoveKind
from brisk_anchor.standin.scene import build_scene
from brisk_anchor.standin.scene_file import load_scene

COUNT = 400
TOOLS = (12, 5)
SETTER = -440.0
"""Where the spindle stands in Z when the master touches the setter, mm."""
ALARMS = re.compile(r"Alarm 1(12|19|22) ")
"""What the measuring may stop for: the tool is in the work, another offset, distances."""
Cut = tuple[tuple[float, ...], float, int, int, float, tuple[int, ...], int]


@dataclass
class _Cutting:
    """A cutting program that is made up line by line; lengths of `u` are mm."""

    chance: random.Random
    macro: bool
    inch: bool
    lines: list[str] = field(default_factory=list)
    absolute: bool = True
    early: bool = False
    """Whether a tool was named since the last change."""

    def u(self, mm: float) -> str:
        return f"{mm / 25.4:.4f}" if self.inch else f"{mm:.3f}"

    def text(self) -> str:
        chance, macro = self.chance, self.macro
        head = ["G20" if self.inch else "G21"] + [
            code for code in ("G17", "G90", "G94", "G40", "G49", "G80", "G54") if chance.random() < 0.7
        ]
        chance.shuffle(head)
        self.lines += (["%", "O3114 (X)"] if macro else []) + ([" ".join(head)] if chance.random() < 0.6 else head)
        if chance.random() < 0.4:
            self.lines.append(chance.choice(["G61", "G64"]))
        tools = [chance.choice(TOOLS) for _ in range(chance.randint(2, 4))]
        row = chance.choice(("G54", "G57"))
        for n, tool in enumerate(tools):
            self._operation(n, tool, [0, *tools][n], row)
            if n + 1 < len(tools) and chance.random() < 0.4:
                self.lines.append(f"T{tools[n + 1]}")
                self.early = True
        self.lines += ["M9", "M30" if macro else "M2"]
        if "M98 P800" in self.lines:
            ends = chance.choice(("G90", "G91", "T5"))
            self.lines += ["O800", f"G91 G1 X{self.u(1)} F{self.u(300)}", ends, "M99"]
        return "\n".join([*self.lines, *(["%"] if macro else []), ""])

    def _operation(self, n: int, tool: int, last: int, row: str) -> None:
        chance, lines = self.chance, self.lines
        if chance.random() < 0.4:
            lines.append(f"({chance.choice(('FACE', 'DRILL T7', 'M6 IN IT'))})")
        changes = n == 0 or tool != last or chance.random() < 0.7
        if changes and self.early and chance.random() < 0.7:
            lines.append("M6")
        elif changes:
            lines.append(chance.choice((f"T{tool} M6", f"N{10 * n + 700} T{tool} M6", f"M06 T{tool}", f"T{tool}\nM6")))
        self.early = self.early and not changes
        if not self.absolute and chance.random() < 0.9:
            lines.append("G90")
            self.absolute = True
        if chance.random() < 0.9:
            said = f"{row} " if chance.random() < 0.6 else ""
            lines.append(f"{said}G0 X{self.u(chance.uniform(0, 100))} Y{self.u(chance.uniform(0, 60))}")
        if (changes or chance.random() < 0.3) and chance.random() < 0.95:
            lines.append(f"S{chance.randint(5, 40) * 100} M{chance.choice((3, 3, 4))}")
        z = self.u(chance.uniform(60, 90))
        length = f"G43 H{tool} " if changes and chance.random() < 0.93 else ""
        lines.append(f"{length}Z{z}{chance.choice(('', ' M8', ' M7'))}")
        for step in range(chance.randint(1, 5)):
            self._step(first=step == 0)
        if chance.random() < 0.8:
            lines.append(f"G0 Z{z if self.absolute else self.u(5)}")
        lines += [code for code in ("M9", "M5") if chance.random() < 0.4]

    def _step(self, *, first: bool) -> None:
        chance, what = self.chance, self.chance.random()
        feed = f" F{self.u(chance.randint(1, 9) * 100 + 7)}" if first or chance.random() < 0.5 else ""
        far = chance.uniform(0, 60) if self.absolute else chance.uniform(-2, 2)
        if first or what < 0.5:
            self.lines.append(f"G1 X{self.u(far)} Y{self.u(abs(far))}{feed}")
        elif what < 0.7:
            self.absolute = not self.absolute
            self.lines.append("G90" if self.absolute else "G91")
        elif what < 0.8:
            self.lines.append(chance.choice(("M8", "M9", "M7", f"S{chance.randint(5, 40) * 100}")))
        elif what < 0.88 and self.macro:
            self.lines.append("M98 P800")
        else:
            self.lines.append(chance.choice(("/M8", "/T5", "(NOTE)", "G94", "#500=1.", "T12", "G64", "G61")))


def _in_inches(name: str) -> Profile:
    """A shipped profile whose own programs are in inches, whatever the cutting program is in."""
    text = shipped_text(name).replace('units = "mm"', 'units = "inch"', 1)
    return parse_profile(text.replace('safe = ["G21', 'safe = ["G20', 1), "inches")


def _run(session: Session, text: str) -> tuple[list[Cut], tuple[object, ...], BriskAnchorError | None]:
    """What is cut, in what state; how the control is left; why it did not end well."""
    machine = session.scene.stand_in(
        seed=None, position=session.setup.machine.home, length_reference=session.profile.length_reference
    )
    machine.offsets = {**session.machine.offsets, "G54": (-470.0, -286.0, -502.0), "G57": (-468.0, -284.0, -500.0)}
    run = Run(text, session.profile, machine)
    probe, seen = session.setup.stylus.tool_number, 0
    cut: list[Cut] = []
    own = shown(text.splitlines())
    while not run.over:
        run.stride()
        modal = run.interpreter.modal
        state = (machine.spindle, modal.spindle_speed, tuple(sorted(modal.coolant)), modal.path)
        for move in machine.motions[seen:]:
            outside = move.kind is MoveKind.FEED and own[move.line - 1]
            if outside and machine.tool_in_spindle not in (0, probe):
                end = tuple(round(value, 5) for value in move.end)
                cut.append((end, round(move.feed, 4), machine.tool_in_spindle, *state))
        seen = len(machine.motions)
    modal = run.interpreter.modal
    left = (modal.plane, modal.absolute, modal.inches, modal.feed_mode, round(modal.feed, 3), modal.offset, modal.path)
    return cut, left, run.failure()


def _try(number: int, profiles: list[tuple[str, Profile]], told: Counter[str], wrong: list[str]) -> None:
    chance = random.Random(number)
    what, profile = chance.choice(profiles)
    session = Session(build_scene(load_scene("heron-gl114")), None, profile, seed=None)
    take_reference(session, SETTER)
    text = _Cutting(chance, profile.speaks.subprograms, chance.random() < 0.3).text()
    names = chance.choice((["top"], ["boss"], ["top", "boss"], []))
    looked = [{"tool": chance.choice(TOOLS), "tolerance": 0.05}] if not names or chance.random() < 0.3 else []
    try:
        plain, left, failure = _run(session, text)
        if failure is not None:
            told["made-up programs that do not run by themselves"] += 1
            return
        program = take_apart(text)
        places = [operation.number for operation in program.operations]
        after = chance.sample(places, chance.randint(1, min(2, len(places))))
        plan = {"form": "brisk-anchor-plan-1", "units": "mm", "name": "w", "measure": [{"feature": n} for n in names]}
        plan["tool_check"] = looked
        woven = weave(session, program, planned(session, PlanFile.model_validate(plan)), after)
    except NcError:
        told["made-up programs that this control does not read"] += 1
        return
    except BriskAnchorError as error:
        told[f"refused: {re.sub(r'[0-9]+', 'N', error.what)[:70]}"] += 1
        return
    at = f"{number} ({what}) after {after}"
    if unweave(take_apart(woven)) != text:
        wrong.append(f"{at}: it does not come out again")
    cut, now, failure = _run(session, woven)
    if failure is not None:
        expected = ALARMS.match(failure.one_line())
        told["stopped by the measuring" if expected else "stopped"] += 1
        if not expected:
            wrong.append(f"{at}: {failure.one_line()}")
    elif cut != plain:
        first = next((n for n, pair in enumerate(zip(plain, cut, strict=False)) if pair[0] != pair[1]), "the end")
        wrong.append(f"{at}: other moves from {first} on")
    elif now != left:
        wrong.append(f"{at}: the control is left as {now}, not {left}")
    else:
        told["as before"] += 1


def main() -> None:
    """Run and print."""
    words = dict(zip(sys.argv, sys.argv[1:], strict=False))
    count, first = int(words.get("--count", COUNT)), int(words.get("--first", 0))
    profiles, _ = unusual_profiles()
    profiles += 5 * [(f"{name} in inches", _in_inches(name)) for name in ("skip-macro", "probe-params")]
    told, wrong = Counter[str](), list[str]()
    for number in range(first, first + count):
        _try(number, profiles, told, wrong)
    told_all(told, wrong, enough=told["as before"] > count / 10)
