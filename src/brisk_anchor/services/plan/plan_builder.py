"""A plan that is being put together: every change is one step that can be taken back, and is checked with the whole."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from brisk_anchor.core.errors import BriskAnchorError, PlanError, PlanFileError
from brisk_anchor.core.offsets.setup import DrawnFeature
from brisk_anchor.core.quantities import dim, num
from brisk_anchor.exchange.files import write_whole
from brisk_anchor.exchange.folder_change import look_unchanged
from brisk_anchor.exchange.toml_files import read_text
from brisk_anchor.nc.profile.control_profile import findings_of
from brisk_anchor.services.measure.measurement_request import APPROACH, MeasurementRequest
from brisk_anchor.services.plan.face_plans import plan_of_places
from brisk_anchor.services.plan.plan_file import (
    FIGURES,
    MeasureSection,
    PlanFile,
    ToolCheckSection,
    load_plan,
    plan_of_features,
    plan_text,
    refuse_nothing,
)
from brisk_anchor.services.plan.plan_proof import PlanProof, keep_proof, read_proof
from brisk_anchor.services.plan.plan_words import read_measure_words, read_plan_words
from brisk_anchor.services.plan.planning import Planned, planned, problem_of, program_of
from brisk_anchor.services.plan.proof_basis import Basis, basis_of
from brisk_anchor.services.plan.proving import Outcome
from brisk_anchor.services.session.session import Session

_UNDOS = 100
ENDING = ".plan.toml"


class PlanBuilder:
    """The plan of a job, its file, and what it comes to. Nothing of it is written before `save`."""

    def __init__(self, session: Session, plan: PlanFile, path: Path, *, saved: bool) -> None:
        self.session = session
        self.plan = plan
        self.path = path
        self.proof: PlanProof | None = read_proof(path) if saved else None
        self.ready: Planned | None = None
        self.problem: BriskAnchorError | None = None
        self.problems: tuple[str, ...] = ()
        """Of every measurement why it cannot be made ready by itself, empty where it can."""
        self._saved = plan_text(plan) if saved else ""
        self._file = read_text(path) if saved else None
        """What the file says, as it was read or written here."""
        self._before: list[PlanFile] = []
        self.refresh()

    @classmethod
    def open(cls, session: Session, folder: Path, row: str) -> PlanBuilder:
        """The first plan in a folder; where there is none, what a row needs, to be changed.

        Raises:
            PlanFileError: the file has faults.
        """
        found = sorted(folder.glob(f"*{ENDING}")) if folder.is_dir() else []
        if found:
            return cls(session, load_plan(found[0]), found[0], saved=True)
        job = session.setup.job.lower().replace(" ", "-")
        if session.setup.places:
            plan = plan_of_places(session.setup, "face")
        else:
            plan = plan_of_features(f"{session.setup.part} {row}", row, session.rows.needed(session.setup.row(row)))
        return cls(session, plan, folder / f"{job}{ENDING}", saved=False)

    @property
    def changed(self) -> bool:
        """Whether the file says something else."""
        return plan_text(self.plan) != self._saved

    def keep_up(self) -> None:
        """Work it out anew where the job was changed elsewhere, a tool has new figures, or another part lies there."""
        if self._of[0] is not self.session.setup or self._of[1] is not self.session.scene:
            self.refresh()

    def refresh(self) -> None:
        """Work out what the plan comes to with the job as it stands."""
        self._of: tuple[object, object] = (self.session.setup, self.session.scene)
        self.ready, self.problem = None, None
        self.problems = ("",) * len(self.plan.measure)
        try:
            self.ready = planned(self.session, self.plan)
        except BriskAnchorError as error:
            self.problem = error
            self.problems = tuple(problem_of(self.session, self.plan, section) for section in self.plan.measure)

    def next_step(self, pointed: str, digest: str) -> tuple[str, str]:
        """What can be done next, in two sentences: of a feature that is pointed at, and of the program's hash."""
        if pointed:
            return f"⟨a⟩ adds {pointed} to the plan.", "⟨r⟩ adds it with the figures stated for the chosen one."
        if self.problem is not None:
            return f"{self.problem.what}.", self.problem.remedy
        if self.ready is not None and any(look.stops for look in self.ready.all_looks):
            return "The second look stops this plan.", "Choose what is marked with ! and change its figures."
        if not self.is_proved(digest):
            return (
                "⟨p⟩ proves it on 200 parts; ⟨c⟩ shows its code.",
                "⟨f⟩ points at a feature of the drawing, ⟨a⟩ adds it.",
            )
        if self.changed:
            return "It is proved. ⟨w⟩ writes the plan and its program.", "⟨t⟩ draws its path and its sheet."
        return (
            "It is proved and written.",
            "⟨c⟩ shows the code, ⟨t⟩ draws path and sheet, ⟨f⟩ and ⟨a⟩ add another feature.",
        )

    # -- changing ----------------------------------------------------------------------------------------------

    def _change(self, fields: Mapping[str, Any]) -> None:
        """Raises PlanFileError: the plan would be none."""
        data = self.plan.model_dump() | {name: _plain(value) for name, value in fields.items()}
        try:
            plan = PlanFile.model_validate(data)
        except ValidationError as error:
            raise PlanFileError(self.plan.name, findings_of(error)[:1]) from None
        self._before = [*self._before[1 - _UNDOS :], self.plan]
        self.plan = plan
        self.refresh()

    def _sections(self, sections: list[MeasureSection]) -> None:
        self._change({"measure": sections})

    def _section(self, index: int, fields: Mapping[str, Any]) -> None:
        sections: list[Any] = list(self.plan.measure)
        sections[index] = sections[index].model_dump() | dict(fields)
        self._change({"measure": sections})

    def undo(self) -> bool:
        """Take the last change back; False where there is none."""
        if not self._before:
            return False
        self.plan = self._before.pop()
        self.refresh()
        return True

    def unmeasured(self) -> list[DrawnFeature]:
        """What is drawn, can be touched, and is not in the plan yet."""
        there = {section.feature for section in self.plan.measure}
        return [drawn for drawn in self.session.setup.features if not drawn.of and drawn.name not in there]

    def add(self, feature: str, after: int, *, like: bool = False) -> int:
        """A drawn feature more, behind a place in the list; with `like` the figures stated there are stated for it too.

        Returns where it stands.

        Raises:
            PlanFileError, PlanError: it cannot be.
        """
        fields: dict[str, Any] = {}
        if like and self.plan.measure:
            before = self.plan.measure[after]
            fields = {name: getattr(before, name) for name in (*FIGURES, "over_the_top", "on_fail")}
            fields |= dict.fromkeys(("size", "size_y"))  # those are the drawing's, or another feature is meant
        section = MeasureSection(feature=feature, **fields)
        sections = [*self.plan.measure[: after + 1], section, *self.plan.measure[after + 1 :]]
        self._sections(sections)
        return min(after + 1, len(sections) - 1)

    def add_marked(self, request: MeasurementRequest, length: float) -> int:
        """Append what the touch pattern asks for; `length` is that of the probe. Returns its place in the list.

        It is measured with the table as it stands now.

        Raises:
            PlanError: it is not complete. PlanFileError: it is in the plan.
        """
        if request.drawn is not None and request.is_drawn:
            return self.add(request.drawn.name, len(self.plan.measure) - 1)
        reading = request.pattern.read()
        if reading.kind is None or (missing := request.missing()) is not None:
            what = reading.name if reading.kind is None else f"the {missing} is not known"
            raise PlanError(f"The rose is not complete: {what}", "", "Mark its walls and give its figures first")
        taken = {section.name for section in self.plan.measure}
        base = reading.name.replace("⌀", "diameter")[:20]
        name = next(n for n in (base, *(f"{base[:20]} {i}" for i in range(2, 500))) if n not in taken)
        x, y, z = request.start
        depth, z = self._depth_and_place(request, z, length)
        figures = {"depth": depth, "search": request.search, "spread": request.spread, "size": request.size}
        figures |= {"size_y": request.size_y, "second_depth": request.second_depth, "standoff": request.reach}
        section = MeasureSection.model_validate(
            {
                "name": name,
                "walls": [wall.name for wall in request.pattern.marks],
                "over": request.pattern.over,
                "round": request.pattern.round,
                "twice": request.pattern.twice,
                "headings": list(request.pattern.headings) or None,
                "at": (round(x, 4), round(y, 4), round(z - length, 4)),
                "table": {letter: round(angle, 4) for letter, angle in self.session.link.angles.items() if angle},
                "repeats": request.repeats if request.repeats > 1 else None,
                **{key: round(value, 4) for key, value in figures.items() if value},
            }
        )
        self._sections([*self.plan.measure, section])
        return len(self.plan.measure) - 1

    def _depth_and_place(self, request: MeasurementRequest, z: float, length: float) -> tuple[float | None, float]:
        """How deep the ball goes below the edge, and the spindle's Z a plan starts at, mm: it stands over an edge.

        Raises:
            PlanError: the tip hardly goes down, so where the edge may be is not known.
        """
        kind = request.pattern.read().kind
        if request.down is None or kind is None or not kind.is_outside or kind.has_top:
            return request.depth, z
        measurement = self.session.planner.measurement_of(request)
        if measurement.top is not None and measurement.top.found is not None and measurement.depth:
            return measurement.depth, measurement.top.found + APPROACH + length
        if request.down <= APPROACH:
            what = f"The tip goes down only {dim(request.down)} from there"
            raise PlanError(
                what, "A plan comes down over the edge, and where that is is not known", "Touch the top first"
            )
        return request.down - APPROACH, z

    def remove(self, index: int) -> str:
        """A measurement less; what it was called. Raises PlanFileError: nothing would be left."""
        name = self.plan.measure[index].known_as
        left = [*self.plan.measure[:index], *self.plan.measure[index + 1 :]]
        refuse_nothing(self.plan.with_measure(left), self.plan.name)
        self._sections(left)
        return name

    def move(self, index: int, step: int) -> int:
        """A measurement earlier or later in the list; the order is the listed one then. Returns where it stands."""
        to = max(0, min(len(self.plan.measure) - 1, index + step))
        sections = list(self.plan.measure)
        sections.insert(to, sections.pop(index))
        self._change({"measure": sections, "order": "as listed"})
        return to

    def order(self) -> str:
        """The shortest safe way written down as the order of the list, or what it is now. Returns what was done.

        Raises:
            PlanError, PlanFileError: the plan cannot be made ready.
        """
        short = self.plan.model_copy(update={"order": "shortest"})
        by_name = {section.known_as: section for section in self.plan.measure}
        run = [step.name for step in planned(self.session, short).steps]
        rest = [name for name in by_name if name not in run]
        if [*run, *rest] == list(by_name):
            return "It is the shortest already."
        self._change({"measure": [by_name[name] for name in (*run, *rest)], "order": "as listed"})
        return "Ordered for the shortest safe way."

    def toggle(self, index: int) -> bool:
        """Leave a measurement out, or take it in again; whether it is in now."""
        self._section(index, {"enabled": not self.plan.measure[index].enabled})
        return self.plan.measure[index].enabled

    def state(self, index: int, field: str, value: float | None) -> None:
        """State a figure, mm; None leaves it to be proposed. Raises PlanError, PlanFileError: it makes no sense."""
        whole = field == "repeats" and value is not None
        if whole and value is not None and value != int(value):
            raise PlanError(f"{num(value)} times is no count", "", "Type a whole number")
        self._section(index, {field: int(value) if whole and value is not None else value})

    def say(self, index: int, words: str) -> str:
        """Change a measurement by words; what was changed. Raises PlanError, PlanFileError, NumberEntryError."""
        fields, told = read_measure_words(self.plan.measure[index], words)
        self._section(index, fields)
        return told

    def say_of_plan(self, words: str) -> str:
        """Change the plan by words; what was changed. Raises PlanError, PlanFileError, NumberEntryError."""
        fields, told = read_plan_words(self.plan, words)
        self._change(fields)
        return told

    # -- the file ----------------------------------------------------------------------------------------------

    def save(self) -> Path:
        """Write the plan to its file, and its proof beside it.

        Raises:
            ExportError: another window or an editor changed it since it was read, or it cannot be written.
        """
        text = plan_text(self.plan)
        look_unchanged(self.path, self._file)
        path = write_whole(self.path, text.encode())
        self._saved = self._file = text
        if self.proof is not None:
            keep_proof(self.path, self.proof)
        return path

    def write(self) -> list[Path]:
        """Write the plan and its program. Raises ExportError; PlanError, SecondLookError: there is no program."""
        if self.ready is None:
            return [self.save()]
        program = program_of(self.session, self.ready)
        nc = write_whole(self.path.with_name(f"o{program.number:04d}.nc"), program.text.encode("ascii"))
        return [self.save(), nc]

    def basis(self, digest: str) -> Basis:
        """The hashes that a proof of the program with this hash must match."""
        return basis_of(self.session, digest, self.plan)

    def is_proved(self, digest: str) -> bool:
        """Whether the program with this hash, written from this plan for this job, is proved."""
        return self.proof is not None and self.proof.stands(self.basis(digest))

    def prove(self, outcome: Outcome) -> None:
        """Take a proof over; it is kept beside the file as soon as that says the same. Raises ExportError."""
        self.proof = PlanProof.of(outcome, self.basis(outcome.digest))
        if not self.changed:
            keep_proof(self.path, self.proof)


def _plain(value: Any) -> Any:
    """Sections as plain data, to be checked again."""
    if isinstance(value, list):
        return [_plain(part) for part in value]
    return value.model_dump() if isinstance(value, MeasureSection | ToolCheckSection) else value
