"""A batch rehearsed on the stand-in: parts cut one after the other, inspected by the real program, wear answered."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import field, replace
from datetime import UTC, datetime, timedelta
from statistics import median

import numpy as np

from brisk_anchor.core.errors import InspectionError
from brisk_anchor.core.inspection.correction import propose
from brisk_anchor.core.inspection.many_parts import scatter_of
from brisk_anchor.core.inspection.verdict import Fate
from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.nc.programs.reports import parse_reports
from brisk_anchor.services.job.characteristics import Asked, by_of
from brisk_anchor.services.plan.plan_file import plan_of_features
from brisk_anchor.services.plan.planning import planned, program_of
from brisk_anchor.services.plan.proving import Case, Prover
from brisk_anchor.services.plan.reported import take_report
from brisk_anchor.services.results.inspected import InspectedPart
from brisk_anchor.services.results.inspection import Inspection
from brisk_anchor.services.results.measuring import features_needed
from brisk_anchor.services.rows.row_programs import WorkedOut
from brisk_anchor.services.rows.working_state import WorkingState
from brisk_anchor.standin.cutting import EdgeLife, cut_scene
from brisk_anchor.standin.scene import Scene, build_scene

USUAL = EdgeLife(wear=0.00025, warmth=0.004, scatter=0.0012)
"""How an edge lives where nobody says: a quarter of a µm a part, 4 µm of warmth, a µm of chance."""
_MEMORY = 60


@dataclass(slots=True)
class Rehearsed:
    """What became of a batch: its parts, and how often each figure was corrected."""

    corrected: bool
    parts: list[InspectedPart] = field(default_factory=list)
    corrections: dict[str, int] = field(default_factory=dict)

    def count(self, fate: Fate) -> int:
        """How many parts came out so."""
        return sum(part.outcome is fate for part in self.parts)

    def words(self) -> str:
        """The effect in a sentence."""
        told = [f"{self.count(fate)} {fate.value}" for fate in Fate if self.count(fate)]
        made = sum(self.corrections.values())
        kind = f"corrected {made} times" if self.corrected else "not corrected"
        return f"{len(self.parts)} parts, {kind}: {', '.join(told)}"


def cut_next(inspection: Inspection, *, seed: int = 1) -> int:
    """Cut the next part on the stand-in, with the wear that the control has now, and clamp it; its number from 1.

    Raises:
        PlanError: the set-up has one part only. GuardError: the tip stands where it would be.
    """
    session = inspection.session
    number = len(inspection.parts) + 1
    job = session.editor.changing().job
    drawn = build_scene(job.scene(0))
    random = np.random.default_rng([seed, number, 4242])
    metal, targets = {}, {}
    for asked in inspection.asked:
        if asked.way is None or asked.way.target == "row":
            continue
        metal[asked.characteristic.feature] = _next_metal(inspection, asked, number, random)
        targets[asked.characteristic.feature] = _aside(asked)
    session.editor.put_in(cut_scene(_as_drawn(build_scene(job.scene(number)), drawn), metal, targets))
    return number


def _next_metal(inspection: Inspection, asked: Asked, number: int, random: np.random.Generator) -> float:
    """What the next cut leaves on one side, mm: from where the last parts stood, with the wear as it is told now."""
    if asked.way is None:
        return 0.0
    now, per_side = inspection.figure_now(asked.way), asked.way.per_side
    parts = inspection.cut_parts(asked.balloon)[-5:]
    stood = [one.metal - one.value_then / per_side for one in parts if one.metal is not None]
    if not stood:
        return USUAL.metal(number, now / per_side, random)
    return median(stood) + now / per_side + USUAL.wear + float(random.normal(0.0, USUAL.scatter))


def _aside(asked: Asked) -> float:
    """How much larger than drawn the program cuts it: to its target."""
    made = asked.characteristic
    aside = made.limits.target - made.nominal
    return aside if made.what.is_size else -aside


def _as_drawn(varied: Scene, drawn: Scene) -> Scene:
    """The scene with bodies where they lie, and their sizes as they are drawn: what cuts them gives them their own.

    They do not lean: what is cut in a clamping is square to the machine, however the blank leans in it.
    """
    solids = {body.name: body.solid for body in drawn.file.body}
    bodies = []
    for body in varied.file.body:
        real = body.real.model_copy(update={"turn": (0.0, 0.0, body.real.turn[2])})
        bodies.append(body.model_copy(update={"solid": solids[body.name], "real": real}))
    return replace(varied, file=varied.file.model_copy(update={"body": bodies}))


class BatchRehearsal:
    """One inspecting program on many parts that tools have cut."""

    def __init__(self, inspection: Inspection, *, seed: int = 1) -> None:
        """Write the program once.

        Raises:
            InspectionError: nothing says what cuts the part. PlanError: the program cannot be written.
        """
        self.inspection = inspection
        self.cut = [asked for asked in inspection.asked if asked.way is not None and asked.way.target != "row"]
        if not self.cut:
            raise InspectionError("Nothing says what cuts this part", "No tool's wear would act", "Add “cut by T12”")
        session = inspection.session
        names = features_needed(inspection)
        self.ready = planned(session, plan_of_features("inspect", None, names))
        self.program = program_of(session, self.ready)
        self.prover = Prover(Case.of(session, self.ready, self.program))
        self.seed = seed

    def run(
        self,
        count: int,
        *,
        corrected: bool,
        lives: Mapping[str, EdgeLife] | None = None,
        told: Callable[[int], bool] | None = None,
        first: datetime | None = None,
        serial: int = 1,
    ) -> Rehearsed:
        """Cut and inspect so many parts.

        Args:
            count: how many.
            corrected: whether wear is answered by the rules of the characteristics.
            lives: how each edge lives, by what is corrected ("T12 radius wear"); the usual where it is not said.
            told: is asked after every part; what it gives says whether to go on.
            first: when the first part was inspected; each takes a quarter of an hour.
            serial: the number of the first part.

        Raises:
            BriskAnchorError: the program did not end on a part.
        """
        random = np.random.default_rng([self.seed, 90210])
        wear = {by_of(asked.way): 0.0 for asked in self.cut}
        result = Rehearsed(corrected)
        begun = first or datetime.now(UTC) - timedelta(minutes=15 * count)
        for number in range(count):
            part = self._part(number, wear, lives or {}, random)
            at = (begun + timedelta(minutes=15 * number)).isoformat(timespec="seconds")
            part = replace(part, serial=f"{serial + number}", at=at, source="rehearsed")
            result.parts.append(part)
            if corrected:
                for asked in self.cut:
                    self._answer(asked, wear, result)
            if told is not None and not told(number + 1):
                break
        return result

    def _part(
        self, number: int, wear: Mapping[str, float], lives: Mapping[str, EdgeLife], random: np.random.Generator
    ) -> InspectedPart:
        metal, targets = {}, {}
        for asked in self.cut:
            by, made = by_of(asked.way), asked.characteristic
            life, per_side = lives.get(by, USUAL), asked.way.per_side if asked.way is not None else 1.0
            metal[made.feature] = life.metal(number, wear[by] / per_side, random)
            targets[made.feature] = _aside(asked)
        # Each part lies in its clamps by its own, as the description says; its size is what the tools made.
        scene = cut_scene(_as_drawn(self.prover.scene(number + 1), self.prover.case.scene), metal, targets)
        run = self.prover.run(scene, number + 1)
        run.to_end()
        if (failure := run.failure()) is not None:
            raise failure
        session = self.prover.session
        working = WorkingState(scene, self.ready.setup)
        take_report(working, self.ready.setup, self.ready.measurements, 0, parse_reports(run.printed))
        solver = WorkedOut.of(working, session.link, session.ledger).solver
        evidence = self.inspection.evidence(working, solver)
        part = self.inspection.part_now(None, evidence)
        lines = tuple(replace(line, wear=wear[line.by]) if line.by in wear else line for line in part.lines)
        return replace(part, lines=lines, program=self.program.number, program_hash=self.program.digest)

    def _answer(self, asked: Asked, wear: dict[str, float], result: Rehearsed) -> None:
        if asked.way is None:
            return
        lines = [line for part in result.parts[-_MEMORY:] if (line := part.line(asked.balloon)) is not None]
        cut = [one for line in lines if (one := line.part()) is not None]
        figures = [line.value for line in lines if line.value is not None]
        scatter = scatter_of(figures)
        by = by_of(asked.way)
        diameter = asked.characteristic.what.is_size
        correction = propose(cut, wear[by], asked.way, asked.rule, diameter=diameter, scatter=scatter)
        if correction.change:
            wear[by] = round(correction.new, 4)
            result.corrections[by] = result.corrections.get(by, 0) + 1
            last = result.parts[-1]
            made = self.inspection.corrected(asked, correction)
            result.parts[-1] = replace(last, corrected=(*last.corrected, made))
