"""A plan proved: its program run on the stand-in as set up, and on many parts within the stated uncertainty."""

from __future__ import annotations

import contextlib
import math
import os
import pickle
import queue
import subprocess
import sys
import threading
from collections import Counter
from collections.abc import Callable, Generator, Sequence
from dataclasses import field, replace
from datetime import UTC, datetime

from brisk_anchor.core.errors import BriskAnchorError, CrashError, PlanError
from brisk_anchor.core.kinds import Vector
from brisk_anchor.core.offsets.chain import solve_offset
from brisk_anchor.core.offsets.rules import FromRow, FromTable, features_in
from brisk_anchor.core.offsets.setup import Setup
from brisk_anchor.core.quantities import along, dim, num, um
from brisk_anchor.core.uncertainty.estimates import Estimate
from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.nc.profile.control_profile import Profile
from brisk_anchor.nc.programs.control_solution import NEAR
from brisk_anchor.nc.programs.plan import plan_steps
from brisk_anchor.nc.programs.program import Program
from brisk_anchor.nc.programs.reports import PRINTED, parse_reports, printed_share
from brisk_anchor.nc.programs.steps import TouchStep
from brisk_anchor.nc.read.interpreter import Interpreter
from brisk_anchor.nc.read.scanner import scan_program
from brisk_anchor.nc.read.variables import Memory
from brisk_anchor.services.machine.runs import Run
from brisk_anchor.services.plan.face_plans import rules_at_place
from brisk_anchor.services.plan.planning import Planned, nc_plan, program_of
from brisk_anchor.services.plan.reported import take_report
from brisk_anchor.services.plan.timing import Times, times_of
from brisk_anchor.services.rows.offset_solver import OffsetSolver
from brisk_anchor.services.rows.row_programs import WorkedOut
from brisk_anchor.services.rows.row_states import known_of
from brisk_anchor.services.rows.working_state import WorkingState
from brisk_anchor.services.session.session import Session
from brisk_anchor.standin.machine import StandIn
from brisk_anchor.standin.motion import MoveKind
from brisk_anchor.standin.scene import Scene
from brisk_anchor.standin.tracing import Clearance
from brisk_anchor.standin.variations import varied
from brisk_anchor.surroundings import child_command

MOST_VARIATIONS = 5000
VARIATIONS = 200
"""How many parts a plan is proved on where nothing else is asked for; the first is the set-up as it stands."""
FEW = 24
"""Fewer parts than that are run here: other processes need a second to begin."""
SURE = 5.0
"""A value further from the truth than so many of its standard uncertainties is no right one."""


@dataclass(frozen=True, slots=True)
class Ending:
    """How one part ended: "right", "stopped", "wrong" or "crashed", and in which words."""

    part: int
    how: str
    words: str = ""
    error: float = 0.0
    """Largest distance of a value from the truth along an axis, mm, where it ended right."""


@dataclass(frozen=True, slots=True)
class Trial:
    """One part: how it ended, how near stem, body and nose came, the share of a search that was used, machine time."""

    ending: Ending
    closest: dict[str, Clearance]
    longest_search: float
    seconds: float


@dataclass(frozen=True, slots=True)
class RowError:
    """How far one axis of a row that a run has set lies from the truth, mm or degrees; its u, and its ±."""

    row: str
    axis: str
    error: float
    u: float
    expanded: float


@dataclass(slots=True)
class Outcome:
    """What became of a plan on many parts. `digest` is that of the program's text: the proof is of that text alone."""

    digest: str
    number: int
    wanted: int
    endings: list[Ending] = field(default_factory=list)
    closest: dict[str, Clearance] = field(default_factory=dict)
    """How near stem, body and spindle nose came to metal at the least, mm, and to what; nothing for over 10 mm."""
    longest_search: float = 0.0
    """Largest share of a search distance that was used, 0 to 1."""
    seconds: float = 0.0
    """Machine time of the run on the set-up as it stands."""
    at: str = ""
    """When it was proved, ISO, UTC."""

    def add(self, trial: Trial) -> None:
        """Note what came of one part."""
        ending = trial.ending
        self.endings.append(ending)
        self.longest_search = max(self.longest_search, trial.longest_search)
        for part, near in trial.closest.items():
            if part not in self.closest or near.distance < self.closest[part].distance:
                self.closest[part] = near
        if not ending.part:
            self.seconds = trial.seconds

    def of(self, how: str) -> list[Ending]:
        """The parts that ended in one way."""
        return [ending for ending in self.endings if ending.how == how]

    @property
    def right(self) -> int:
        """How many ended with the right figures."""
        return len(self.of("right"))

    @property
    def stopped(self) -> Counter[str]:
        """What stopped the others safely, and how many of them."""
        return Counter(ending.words for ending in self.of("stopped"))

    @property
    def worst(self) -> float:
        """The largest error of those that ended right, mm."""
        return max((ending.error for ending in self.of("right")), default=0.0)

    @property
    def complete(self) -> bool:
        """Whether every part that was asked for was run."""
        return len(self.endings) >= self.wanted

    @property
    def proved(self) -> bool:
        """Whether every part ended right or stopped safely, the set-up as it stands right, and all were run."""
        if not self.complete or any(ending.how in ("wrong", "crashed") for ending in self.endings):
            return False
        return next((ending.how for ending in self.endings if ending.part == 0), "") == "right"


@dataclass(frozen=True, slots=True)
class Case:
    """All inputs of a proof, without screen, book or files, so that another process can run it."""

    scene: Scene
    profile: Profile
    ready: Planned
    program: Program
    home: Vector
    offsets: dict[str, Vector]
    angle_offsets: dict[str, dict[str, float]]
    angles: dict[str, float]
    common: dict[int, float | None]
    parents: dict[str, dict[str, Estimate]]

    @classmethod
    def of(cls, session: Session, ready: Planned, program: Program) -> Case:
        """As the job stands: tables, variables that outlast programs, rows that others follow."""
        machine = session.machine
        return cls(
            scene=session.scene,
            profile=session.profile,
            ready=ready,
            program=program,
            home=machine.home,
            offsets=dict(machine.offsets),
            angle_offsets={row: dict(angles) for row, angles in machine.angle_offsets.items()},
            angles=dict(machine.angles),
            common=dict(session.control.memory.common),
            parents=session.trial(ready.setup).rows.parents(),
        )


def prove(
    session: Session,
    ready: Planned,
    program: Program,
    variations: int = VARIATIONS,
    *,
    beyond: float = 1.0,
    told: Callable[[Outcome], bool] | None = None,
) -> Outcome:
    """Run the program on the set-up as it stands and on variations of it, on all processors where there are many parts.

    Args:
        variations: how many parts, the set-up as it stands counted in.
        beyond: how many times the stated uncertainty the parts may lie off.
        told: is asked now and then; what it gives says whether to go on.
    """
    case = Case.of(session, ready, program)
    outcome = Outcome(program.digest, program.number, max(1, min(variations, MOST_VARIATIONS)))
    with contextlib.closing(trials_of(case, outcome.wanted, beyond)) as trials:
        for trial in trials:
            outcome.add(trial)
            if told is not None and not told(outcome):
                break
    outcome.endings.sort(key=lambda ending: ending.part)
    outcome.at = datetime.now(UTC).isoformat(timespec="seconds")
    return outcome


def trials_of(case: Case, wanted: int, beyond: float) -> Generator[Trial, None, None]:
    """What becomes of each part; in order where one process works, as they come where several do."""
    workers = min(os.cpu_count() or 1, 8)
    if wanted < FEW or workers < 2:
        prover = Prover(case)
        for part in range(wanted):
            yield prover.trial(part, beyond)
    else:
        yield from spread(case, wanted, beyond, workers)


def spread(case: Case, wanted: int, beyond: float, workers: int) -> Generator[Trial, None, None]:
    """The parts worked on by processes of their own, told as they come.

    They are plain children that read what to do and write what came of it: a screen may keep our own input, output and
    threads as it likes.

    Raises:
        PlanError: one of them ended before its work was done.
    """
    told: queue.SimpleQueue[Trial | None] = queue.SimpleQueue()
    # In a program without a screen this process works too, from the last part down, while the others still begin.
    lending = threading.current_thread() is threading.main_thread()
    children, listeners = [], []
    for first in range(workers - lending):
        child = subprocess.Popen(
            child_command(__name__, "work_for_another"),
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            stderr=subprocess.DEVNULL,
        )
        children.append(child)
        task = (case, list(range(first, wanted, workers - lending)), beyond)
        listener = threading.Thread(target=_listen, args=(child, task, told), daemon=True)
        listener.start()
        listeners.append(listener)
    left, prover = set(range(wanted)), Prover(case) if lending else None
    ended = 0
    try:
        while left:
            if prover is not None and told.empty():
                trial: Trial | None = prover.trial(max(left), beyond)
            elif ended == len(children):
                what = "A process that worked on the proof ended before its work was done"
                raise PlanError(what, f"{len(left)} parts were not run: nothing is proved", "Try it again")
            else:
                trial = told.get()
            if trial is None:
                ended += 1
            elif trial.ending.part in left:
                left.remove(trial.ending.part)
                yield trial
    finally:
        for child, listener in zip(children, listeners, strict=True):
            child.kill()
            child.wait()
            listener.join()
            for pipe in (child.stdin, child.stdout):
                with contextlib.suppress(OSError):
                    if pipe is not None:
                        pipe.close()


def _listen(child: subprocess.Popen[bytes], task: object, told: queue.SimpleQueue[Trial | None]) -> None:
    """Give a child its task and pass on what it says, then None."""
    try:
        if child.stdin is not None and child.stdout is not None:
            pickle.dump(task, child.stdin)
            child.stdin.close()
            while True:
                told.put(pickle.load(child.stdout))
    except (EOFError, OSError, ValueError, pickle.UnpicklingError):
        pass  # it has ended, or was ended: who waits sees by the parts that are missing whether that was too soon
    finally:
        told.put(None)


def work_for_another() -> None:
    """What a child does: read a task from its input, write what became of each part."""
    case, parts, beyond = pickle.load(sys.stdin.buffer)
    prover = Prover(case)
    for part in parts:
        pickle.dump(prover.trial(part, beyond), sys.stdout.buffer)
        sys.stdout.buffer.flush()


class Prover:
    """One program on many parts: it is read once."""

    def __init__(self, case: Case) -> None:
        self.case = case
        self.session = Session(case.scene, None, case.profile, seed=None)
        self.session.working.setup = case.ready.setup
        self._closest: dict[str, Clearance] = {}
        """Over all its parts: what stays further off than that is not looked at again."""
        self._routines = scan_program(case.program.text, case.profile)
        places = {drawn.name: drawn.machine for drawn in case.ready.setup.features}
        self._measured = [(m.name, places[m.name], m.options.table) for m in case.ready.measurements]
        steps = plan_steps(nc_plan(self.session, case.ready))
        self._searches = [step.distance for step in steps if isinstance(step, TouchStep)]

    def scene(self, part: int, beyond: float = 1.0) -> Scene:
        """The scene with a part in it; 0 is as it stands."""
        return varied(self.case.scene, self._measured, part, beyond=beyond)

    def run(self, scene: Scene, part: int, *, noisy: bool = True) -> Run:
        """The program ready to begin on a machine with that scene: tables as the real ones stand, the probe at home."""
        case = self.case
        machine = scene.stand_in(
            seed=part + 7 if noisy else None, position=case.home, length_reference=case.profile.length_reference
        )
        machine.offsets = dict(case.offsets)
        machine.angle_offsets = {row: dict(angles) for row, angles in case.angle_offsets.items()}
        machine.angles = dict(case.angles)
        interpreter = Interpreter.scanned(self._routines, case.profile, machine, Memory(dict(case.common)))
        return Run(case.program, case.profile, machine, interpreter)

    def trial(self, part: int, beyond: float = 1.0, *, noisy: bool = True) -> Trial:
        """Run it on one part."""
        scene = self.scene(part, beyond)
        run = self.run(scene, part, noisy=noisy)
        run.machine.watch(self._closest)
        run.to_end()
        ending = self._ending(part, scene, run)
        longest = self._longest(run.machine) if ending.how == "right" else 0.0
        return Trial(ending, dict(self._closest), longest, run.machine.seconds)

    def _ending(self, part: int, scene: Scene, run: Run) -> Ending:
        failure = run.failure()
        if isinstance(failure, CrashError):
            return Ending(part, "crashed", failure.one_line())
        if failure is not None:
            return Ending(part, "stopped", failure.what)
        try:
            return Ending(part, "right", error=judge(self.session, self.case, scene, run))
        except BriskAnchorError as problem:
            return Ending(part, "wrong", problem.one_line())

    def _longest(self, machine: StandIn) -> float:
        """The largest share of its search distance that a touch needed; each touches twice, first the search."""
        met = [m for m in machine.motions if m.kind is MoveKind.SKIP and m.contact is not None]
        pairs = zip(met[::2], self._searches, strict=True)
        return max((math.dist(m.start, m.end) / search for m, search in pairs), default=0.0)


def rehearse(session: Session, ready: Planned) -> tuple[str, Run, Times | None]:
    """The program's hash, its run on the set-up as it stands, and what the time goes into; None where it did not end.

    Raises:
        PlanError, SecondLookError: it cannot be written.
    """
    program = program_of(session, ready)
    prover = Prover(Case.of(session, ready, program))
    run = prover.run(prover.scene(0), 0)
    run.to_end()
    times = times_of(ready.setup.machine, session.profile, ready.measurements, run.machine.motions)
    return program.digest, run, times if run.ended_well else None


def judge(session: Session, case: Case, scene: Scene, run: Run) -> float:
    """How far the rows a finished run has set lie from the truth, mm; 0 where it sets none or the truth is not known.

    Raises:
        PlanError: the control's figures and ours differ, or a value is further from the truth than its ± explains.
        BriskAnchorError: the report is incomplete, or its touches define nothing.
    """
    worst, step = 0.0, session.profile.grain
    for one in row_errors(session, case, scene, run):
        if abs(one.error) > SURE * one.u + step:
            what = f"{one.row} {one.axis.upper()} is {along(one.axis, abs(one.error), signed=False)} from the truth"
            raise PlanError(what, "Its ± does not explain that", "")
        worst = max(worst, abs(one.error) if one.axis != "r" else 0.0)
    return worst


def row_errors(session: Session, case: Case, scene: Scene, run: Run) -> list[RowError]:
    """The error of every axis a finished run has set whose truth is known. Raises like `judge`, but for the truth."""
    ready = case.ready
    working = WorkingState(scene, ready.setup)
    take_report(working, ready.setup, ready.measurements, len(ready.tools), parse_reports(run.printed))
    solver = WorkedOut.of(working, session.link, session.ledger).solver
    # A control works its rows out from its own figures, which differ from ours as two functions of uncertain touches.
    told = as_told(working)
    solver_of_told = solver if told is working else WorkedOut.of(told, session.link, session.ledger).solver
    found: list[RowError] = []
    step = session.profile.grain
    # We work with touches as they are printed, the control with its own: what the last digit does to a figure is no
    # disagreement. Where touches lie near to each other and the zero far away, that is more than the digit itself.
    share = max((printed_share(m.stylus) for m in ready.measurements), default=0.0)
    drawn = {section.name for section in scene.file.feature}
    parents, told_parents = dict(case.parents), dict(case.parents)
    for store in ready.stores:
        rules, held = ready.setup.row(store.row).rules, run.table_values(store.row)
        before = dict(zip("xyz", case.offsets.get(store.row, (0.0, 0.0, 0.0)), strict=True))
        conditions = ready.setup.conditions
        chain = solve_offset(store.row, rules, solver.features(strict=True), before, parents, store.turner, conditions)
        theirs = (
            chain
            if solver_of_told is solver
            else solve_offset(
                store.row, rules, solver_of_told.features(strict=True), before, told_parents, store.turner, conditions
            )
        )
        parents[store.row] = known_of(chain)  # what follows it is written after it, from what this run found
        told_parents[store.row] = known_of(theirs)
        for axis in theirs.axes:
            printed = SURE * math.sqrt(chain.own_variance(axis.axis)) * share
            stored = step if axis.axis != "r" else 0.0  # the table holds so many digits
            if axis.written and axis.axis in held and abs(held[axis.axis] - axis.value) > NEAR + printed + stored:
                words = f"{along(axis.axis, held[axis.axis])}, not {along(axis.axis, axis.value)}"
                raise PlanError(f"The control has {store.row} {axis.axis.upper()} {words}", "", "")
        for letter, true in _truth(scene, ready.setup, solver, store.row, drawn).items():
            axis = chain.axis(letter)
            found.append(RowError(store.row, letter, held.get(letter, true) - true, axis.u, axis.expanded))
    return found


def _truth(scene: Scene, setup: Setup, solver: OffsetSolver, row: str, drawn: set[str]) -> dict[str, float]:
    """What a perfect measurement would give for a row; of one that follows, where the part at its place has its zero.

    Nothing where that is not known: it follows and stands for no place, or comes from what is not drawn.
    """
    rules = setup.row(row).rules
    if any(isinstance(rule, FromRow | FromTable) for rule in rules.values()):
        at_place, tips = rules_at_place(setup, row), {}
        for axis, rule in at_place.items():
            feature = setup.drawn(rule.feature)
            x, y, z = feature.machine
            tips[rule.feature, axis] = (x, y, z - feature.depth)
        return scene.true_offset(at_place, tips)
    names = {name for rule in rules.values() for name in features_in(rule)}
    if not names <= drawn or any(section.of for section in scene.file.feature if section.name in names):
        return {}
    return solver.true_offset(row)


def as_told(working: WorkingState) -> WorkingState:
    """What was measured with the control's coordinates in the place of ours; the same where none differs."""
    found = {}
    for name, known in working.measured.items():
        told = {a.label.lower(): a.controls for a in known.agreements if not a.is_size and abs(a.difference) > PRINTED}
        here = known.feature
        if told:
            values = tuple(told.get(axis, value) for axis, value in zip(here.axes, here.coordinates, strict=True))
            found[name] = replace(known, feature=replace(here, coordinates=values))
    return replace(working, measured=working.measured | found) if found else working


def summary(outcome: Outcome) -> Sequence[str]:
    """An outcome in lines for a person."""
    lines = [f"{outcome.right} of {len(outcome.endings)} ended right, worst {um(outcome.worst)} off"]
    lines += [f"{count} stopped safely: {reason}" for reason, count in outcome.stopped.most_common()]
    for how in ("wrong", "crashed"):
        lines += [f"! part {ending.part} {how}: {ending.words}" for ending in outcome.of(how)[:5]]
    near = [f"{part} {dim(near.distance, 2)} from {near.solid}" for part, near in outcome.closest.items()]
    lines.append("closest: " + ("; ".join(near) or "nothing within 10 mm of stem and body"))
    lines.append(
        f"longest search used {outcome.longest_search:.0%}; {num(outcome.seconds, 0)} s of machine time a part"
    )
    return lines
