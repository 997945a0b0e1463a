"""What a plan's program judges and corrects on the control: limits that hold the ± to be expected, and what follows.

How well a characteristic will be known is found by running the program on the stand-in as it is described. The control
then compares with figures: between the inner ones it is in, beyond the outer ones out, and between the two nobody can
tell. The application judges the report again, with what was really touched.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from brisk_anchor.core.errors import Fault, PlanError, PlanFileError
from brisk_anchor.core.features.measuring import Measurement
from brisk_anchor.core.inspection.characteristic import Actual, Evidence, What, judge, metal_side
from brisk_anchor.core.inspection.verdict import acceptance, rejection
from brisk_anchor.core.offsets.setup import Setup
from brisk_anchor.nc.profile.control_profile import Profile
from brisk_anchor.nc.programs.judging import AGAIN, SCRAP, UNSURE, ControlCorrection, Inspecting, Judgement
from brisk_anchor.nc.programs.program import Program
from brisk_anchor.nc.programs.reports import parse_reports
from brisk_anchor.nc.read.interpreter import Interpreter
from brisk_anchor.nc.read.variables import Memory
from brisk_anchor.services.job.characteristics import Asked, asked_of, by_of
from brisk_anchor.services.machine.runs import Run
from brisk_anchor.services.plan.plan_file import JudgeSection
from brisk_anchor.services.plan.reported import take_report
from brisk_anchor.services.rows.evidence import evidence_of
from brisk_anchor.services.rows.row_programs import WorkedOut
from brisk_anchor.services.rows.working_state import WorkingState
from brisk_anchor.services.session.session import Session

_LETTERS = {What.SIZE: "d", What.SIZE_Y: "e", What.X: "x", What.Y: "y", What.Z: "z"}


def judged_of(setup: Setup, sections: Sequence[JudgeSection], profile: Profile) -> list[tuple[JudgeSection, Asked]]:
    """Each judgement with what stands under its number. Raises PlanFileError: the drawing has no such number."""
    asked = {one.balloon: one for one in asked_of(setup, profile.tool_radius)}
    found, faults = [], []
    for number, section in enumerate(sections):
        if section.balloon in asked:
            found.append((section, asked[section.balloon]))
        else:
            faults.append(Fault(f"judge.{number}", f"the drawing has no number {section.balloon}"))
    if faults:
        raise PlanFileError("plan", tuple(faults))
    return found


def cannot_on(profile: Profile, judged: Sequence[tuple[JudgeSection, Asked]], measured: set[str]) -> list[str]:
    """What a control cannot do of it, in sentences, before any code is written."""
    told = []
    for section, asked in judged:
        made = asked.characteristic
        if made.what not in _LETTERS:
            told.append(f"{section.balloon} is a {made.what.value}: the application judges it, the control cannot")
        if lacking := [name for name in made.names if name not in measured]:
            told.append(f"{section.balloon} needs {', '.join(lacking)}, which this plan does not measure")
        if not profile.speaks.branches:
            other = [r for r in (section.unsure, section.again, section.scrap) if r not in ("alarm", "go on")]
            told += [
                f"{section.balloon} is to “{r}”; without branches a program can only end: alarm" for r in other[:1]
            ]
        if section.correct:
            told += _cannot_correct(profile, section, asked)
    return told + _answered_twice(judged)


def _answered_twice(judged: Sequence[tuple[JudgeSection, Asked]]) -> list[str]:
    """Wear that two of them would answer, one on top of the other."""
    by: dict[str, list[str]] = {}
    for section, asked in judged:
        if section.correct and asked.way is not None:
            by.setdefault(by_of(asked.way), []).append(section.balloon)
    return [f"{' and '.join(all_of)} would each correct {name}" for name, all_of in by.items() if len(all_of) > 1]


def counts_from_table(judged: Sequence[tuple[JudgeSection, Asked]], rows_set: Sequence[str]) -> list[str]:
    """What counts from a row as the control's table holds it, as the plan does not set that: for a warning."""
    return [
        f"{section.balloon} counts from {asked.characteristic.row} as the control's table holds it"
        for section, asked in judged
        if asked.characteristic.what.counts_from_row and asked.characteristic.row not in rows_set
    ]


def _cannot_correct(profile: Profile, section: JudgeSection, asked: Asked) -> list[str]:
    way, table = asked.way, profile.tool_table
    if way is None or way.target == "row":
        return [f"{section.balloon} is to be corrected, and nothing says which tool cuts it"]
    if way.head or not way.compensated:
        return [f"{section.balloon}: no wear of T{way.tool} changes what it cuts; the card says what to do"]
    column = None if table is None else table.length_wear if way.target == "length wear" else table.radius_wear
    if column is None or not profile.speaks.branches:
        return [f"{section.balloon}: a program on this control cannot reach the {way.target} of T{way.tool}"]
    return []


def inspecting_of(judged: Sequence[tuple[JudgeSection, Asked]], evidence: Evidence) -> Inspecting:
    """The judgements and corrections of a program; `evidence` is what a run as described found.

    Raises:
        InspectionError: it does not measure what is judged. PlanError: the ± to be expected leaves no room in a band.
    """
    judgements, corrections = [], []
    for section, asked in judged:
        made = asked.characteristic
        actual = judge(made, evidence)
        raw = 1.0 if evidence.conditions.temperature is None else 1 + evidence.conditions.temperature.growth
        judgements.append(_judgement(section, asked, actual, metal_side(made, evidence.features[made.feature]), raw))
        if section.correct and asked.way is not None:
            corrections.append(_correction(asked, actual, metal_side(made, evidence.features[made.feature]), raw))
    return Inspecting(tuple(judgements), tuple(corrections))


def _judgement(section: JudgeSection, asked: Asked, actual: Actual, side: int, raw: float) -> Judgement:
    made = asked.characteristic
    accept, reject = acceptance(made.limits, actual.u), rejection(made.limits, actual.u)
    if accept is None:
        raise PlanError(
            f"{section.balloon}: nothing could ever be accepted",
            "The ± to be expected is as wide as its band",
            "Touch more places, or each more than once; or gauge it by hand",
        )
    grown = [tuple(None if v is None else round(v * raw, 6) for v in pair) for pair in (accept, reject)]
    reactions = ((UNSURE, section.unsure), (AGAIN, section.again), (SCRAP, section.scrap))
    return Judgement(
        section.balloon,
        made.feature,
        _LETTERS[made.what],
        made.row if made.what.counts_from_row else "",
        (grown[0][0], grown[0][1]),
        (grown[1][0], grown[1][1]),
        AGAIN if side < 0 else SCRAP,
        AGAIN if side > 0 else SCRAP,
        reactions,
        section.flag,
        made.words.partition(" ")[2].replace("±", "+-"),
    )


def _correction(asked: Asked, actual: Actual, side: int, raw: float) -> ControlCorrection:
    made, way, rule = asked.characteristic, asked.way, asked.rule
    if way is None or not side:
        raise PlanError(
            f"{made.balloon}: on which side the tool stood is not known",
            "So it is not known which way to correct",
            "Say what cuts it",
        )
    across = 2.0 if made.what.is_size else 1.0
    return ControlCorrection(
        made.balloon,
        made.feature,
        _LETTERS[made.what],
        made.row if made.what.counts_from_row else "",
        round(made.limits.target * raw, 6),
        -side * way.per_side / across,
        rule.share,
        round(max(rule.within(None), actual.expanded), 4),
        rule.limit * across,
        way.tool,
        way.target,
    )


def expected_evidence(
    session: Session, setup: Setup, measurements: Sequence[Measurement], program: Program, rows: Iterable[str]
) -> Evidence:
    """What a run on the set-up as it is described finds, and how well.

    Raises:
        PlanError: the run did not end. BriskAnchorError: its report says nothing.
    """
    scene = session.scene.as_described()
    machine = scene.stand_in(
        seed=None, position=session.machine.home, length_reference=session.profile.length_reference
    )
    machine.offsets = dict(session.machine.offsets)
    memory = Memory(dict(session.control.memory.common))
    run = Run(program, session.profile, machine, Interpreter(program.text, session.profile, machine, memory))
    run.to_end()
    if (failure := run.failure()) is not None:
        raise PlanError("The plan cannot be judged by a run of its own", failure.one_line(), "Look at the set-up")
    working = WorkingState(scene, setup)
    take_report(working, setup, measurements, 0, parse_reports(run.printed))
    solver = WorkedOut.of(working, session.link, session.ledger).solver
    return evidence_of(working, solver, session.ledger, session.link, rows)
