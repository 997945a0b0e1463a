"""A control profile proved: a sample of every kind of program is written with it and run on the stand-in set to it."""

from __future__ import annotations

import tomllib
from collections.abc import Callable, Iterator
from dataclasses import replace
from functools import partial
from importlib import resources

from brisk_anchor.core.errors import BriskAnchorError, Fault, PlanError
from brisk_anchor.core.offsets.rules import Fixed, Rule
from brisk_anchor.core.quantities import along, um
from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.nc.profile.control_profile import Profile
from brisk_anchor.nc.programs.plan import LengthCheck, StorePlan
from brisk_anchor.nc.programs.program import Program
from brisk_anchor.nc.read.interpreter import Interpreter
from brisk_anchor.nc.write.writer import write_program
from brisk_anchor.services.insert.weave_proof import cut_as_before
from brisk_anchor.services.insert.weaving import take_apart, weave
from brisk_anchor.services.machine.runs import Run
from brisk_anchor.services.plan.plan_file import MeasureSection, PlanFile, SetsSection
from brisk_anchor.services.plan.planning import planned, program_of
from brisk_anchor.services.plan.proving import Case, Prover
from brisk_anchor.services.session.session import Session
from brisk_anchor.services.turning.turning_samples import turning_samples
from brisk_anchor.standin.scene import Scene, build_scene
from brisk_anchor.standin.scene_file import SceneFile, load_scene

_TOOL = 12
_AT = (-123.4567, -87.6543, -321.0987)
"""Figures that a row is set to, mm."""
_ANGLE = 1.2345
_METHOD = 0.0002
"""How far, mm, a value may be off beside the last digit that is stored; it is measured without noise."""
_POINTS = ("bore", "boss", "pocket", "block", "ball", "tilted bore", "inside corner", "outside corner")


@dataclass(frozen=True, slots=True)
class ProfileProof:
    """How many programs were written and run, what went wrong with them, and what was refused before it was written."""

    programs: int
    findings: tuple[Fault, ...]
    refused: tuple[str, ...]


def sample_scene() -> Scene:
    """The sample plate on the demo's mill: something of every kind on it."""
    own = tomllib.loads((resources.files("brisk_anchor.services") / "examples" / "every-kind.toml").read_text("utf-8"))
    for section in own["feature"]:
        section |= {"title": section["name"], "body": "EK-1", "solid": section.get("solid", "plate")}
    data = load_scene("heron-gl114").model_dump()
    return build_scene(SceneFile.model_validate(data | own | {"job": data["job"] | own["job"]}))


def prove_profile(profile: Profile) -> ProfileProof:
    """Write and run a sample of every kind of program that a control with this profile is given."""
    scene, made = sample_scene(), 0
    findings, refused = [], []
    for what, problem in _samples(scene, profile):
        if isinstance(problem, PlanError):  # said before it was written, with what to do: nobody is misled
            refused.append(f"{what}: {problem.one_line()}")
            continue
        made += 1
        if problem is not None:
            findings.append(Fault(what, problem.one_line()))
    return ProfileProof(made, tuple(findings), tuple(refused))


def _samples(scene: Scene, profile: Profile) -> Iterator[tuple[str, BriskAnchorError | None]]:
    """What was tried, and what went wrong with it; None where nothing did."""
    if profile.lathe is not None:
        yield from turning_samples(profile)
        return
    session = Session(scene, None, profile, seed=None)
    for row in _rows(session):
        yield f"set {row}", _problem(partial(_set_row, session, row))
    if not profile.measures:
        return
    for number, drawn in enumerate(session.setup.features):
        for plan in _plans(session, drawn.name, number):
            yield f"measure {plan.name}", _problem(partial(_measure, session, plan))
    if profile.call is not None:
        yield f"check T{_TOOL}", _problem(partial(_check_tool, session))
        yield "measuring in a cutting program", _problem(partial(_woven, session))


def _problem(work: Callable[[], None]) -> BriskAnchorError | None:
    try:
        work()
    except BriskAnchorError as error:
        return error
    return None


class _SampleError(BriskAnchorError):
    """A sample program did not do what it should."""


def _rows(session: Session) -> list[str]:
    """Rows of each sort: the first and the last of those that are selected by a word, and of the extended ones."""
    profile, setter = session.profile, session.setup.shelf.setter
    kept = setter.row if setter is not None else ""
    usual = [name for name, row in profile.offsets.items() if row.select and name != kept] or list(profile.offsets)[:1]
    extended = [name for name in profile.all_rows if name not in profile.offsets]
    return list(dict.fromkeys([usual[0], usual[-1], *(extended[:1] + extended[-1:])]))


def _run(session: Session, program: Program) -> Run:
    machine = session.scene.stand_in(
        seed=None, position=session.machine.home, length_reference=session.profile.length_reference
    )
    run = Run(program, session.profile, machine, Interpreter(program.text, session.profile, machine))
    run.to_end()
    if failure := run.failure():
        raise failure
    return run


def _set_row(session: Session, row: str) -> None:
    profile = session.profile
    turned = profile.angle_of(row) is not None and row != profile.position_row
    values = dict(zip("xyz", _AT, strict=True)) | ({"r": _ANGLE} if turned else {})
    rules: dict[str, Rule] = {axis: Fixed(value) for axis, value in values.items()}
    store = StorePlan(row, tuple(rules.items()), tuple(values.items()), 1.0)
    program = write_program(session.heads.plan_of(1, f"set {row}", [], store), profile)
    held = _run(session, program).table_values(row)
    for axis, value in values.items():
        step = profile.resolution / 2 + profile.rounding if axis != "r" else 1e-6
        if abs(held.get(axis, value) - value) > step:
            raise _SampleError(
                f"{row} {axis.upper()} holds {along(axis, held[axis])}, not {along(axis, value)}", "", ""
            )


def _plans(session: Session, name: str, number: int) -> Iterator[PlanFile]:
    """Plans for one feature: as usual, and in each other way its kind and the control allow."""
    profile, drawn = session.profile, session.setup.drawn(name)
    rows = _rows(session)
    row = rows[number % len(rows)]
    kind, (x, y, z) = drawn.kind, drawn.drawing
    places: dict[str, float] = {"x": x, "y": y} if kind.value in _POINTS else {"z": z}
    turned = drawn.spread and kind.value in ("block", "outside corner") and profile.angle_of(row) is not None
    if not drawn.kind.is_paired and drawn.walls != ("BELOW",) and kind.value not in _POINTS:
        places = {"x" if drawn.walls[0] in ("LEFT", "RIGHT") else "y": x if drawn.walls[0] in ("LEFT", "RIGHT") else y}
    sets = None
    touched_off = drawn.walls == ("BELOW",) and profile.tool_lengths.convention == "part"  # Z is left alone there
    if (kind.value in _POINTS or drawn.walls == ("BELOW",) or kind.value == "surface") and not touched_off:
        sets = SetsSection.model_validate({"row": row, **places, **({"r": 0.0} if turned else {})})
    low, high = profile.variables.common if profile.variables else (1, 0)
    free = profile.variables.free if profile.variables else (1, 0)
    angles = [profile.angle_of(r) for r in profile.offsets]
    own = next((n for n in range(high, low - 1, -1) if not free[0] <= n <= free[1] and n not in angles), None)
    keep = [f"{'X' if 'x' in places else next(iter(places)).upper()} #{own}"] if own and sets else []

    def plan(words: str, *, half_turn: bool = False, **more: object) -> PlanFile:
        measure = [MeasureSection.model_validate({"feature": name, "sets": sets, **more})]
        return PlanFile(
            form="brisk-anchor-plan-1",
            units="mm",
            name=f"{name}{words}",
            half_turn=half_turn,
            call_probe=half_turn and profile.call is not None,
            measure=measure,
        )

    yield plan("", keep=keep)
    yield plan(", three times", repeats=3)
    if any(wall != "BELOW" for wall in drawn.walls) and kind.value != "ball":
        yield plan(", with a depth check", depth_check=0.75)
    if kind.value in ("boss", "block", "bore", "pocket") and not drawn.headings:
        yield plan(", the other way round", over_the_top=not kind.is_outside)
    if profile.probing and profile.probing.orient_half:
        yield plan(", the spindle turned", half_turn=True)


def _measure(session: Session, plan: PlanFile) -> None:
    ready = planned(session, plan)
    program = program_of(session, ready)
    ending = Prover(Case.of(session, ready, program)).trial(0, noisy=False).ending
    if ending.how != "right":
        raise _SampleError(f"{ending.how}: {ending.words}", "", "")
    if ending.error > session.profile.rounding + _METHOD:
        raise _SampleError(f"it is {um(ending.error)} off", "", "")


def _check_tool(session: Session) -> None:
    setter = session.setup.shelf.setter
    tool = session.machine.tools[_TOOL]
    base = session.profile.length_reference
    if setter is None or setter.at is None:
        return
    top = session.setup.machine.table[4] + setter.height
    check = LengthCheck(_TOOL, "end mill", setter.at, top, tool.length - base, base, 0.05, 5.0)
    _run(session, write_program(replace(session.heads.plan_of(2, "check", [], None), tools=(check,)), session.profile))


def _woven(session: Session) -> None:
    """The bore measured, and a tool looked at, after an operation of a small cutting program."""
    profile = session.profile
    form = profile.program
    call = profile.call.tool.format(number=_TOOL) if profile.call else ""
    select = next(iter(profile.offsets.values())).select

    def at(place: float) -> str:
        return f"{place / profile.unit:.{profile.decimals}f}"

    lines = [
        *form.start,
        form.number.format(number=77),
        *profile.state.safe,
        call,
        f"G90 {select}",
        "S900 M3",
        f"G0 X{at(30)} Y{at(100)}",
        f"G43 H{_TOOL} Z{at(60)}",
        f"G1 Z{at(40)} F{at(300)}",
        f"G0 Z{at(60)}",
        "M5",
        "G49",
        form.last_word,
        *form.end,
    ]
    before = "\n".join(line for line in lines if line) + "\n"
    measure = [MeasureSection(feature="bore")]
    plan = PlanFile(form="brisk-anchor-plan-1", units="mm", name="bore", measure=measure)
    ready = planned(session, plan)
    after = weave(session, take_apart(before), ready, [1])
    told = cut_as_before(session, before, after)
    if not told.startswith("It ends well"):
        raise _SampleError(told.lstrip("! "), "", "")
