"""One job on one machine: measure, work out, look, store, prove. What both the screen and the command line drive."""

from __future__ import annotations

import logging
from collections.abc import Callable, Sequence
from dataclasses import replace
from pathlib import Path
from types import TracebackType
from typing import TYPE_CHECKING, Self

from brisk_anchor.book.entries import Entry, EntryKind
from brisk_anchor.core.errors import BookWriteError, BriskAnchorError, CrashError, PlanError
from brisk_anchor.core.offsets.rules import parent_in
from brisk_anchor.core.offsets.setup import Setup
from brisk_anchor.link.settings import LinkSettings
from brisk_anchor.link.wire import Wire
from brisk_anchor.nc.profile.control_profile import Profile, shipped_profile
from brisk_anchor.services.machine.machine_file import MachineFile
from brisk_anchor.services.machine.outlet import Outlet
from brisk_anchor.services.machine.ports import ControlLink, OperatorPanel
from brisk_anchor.services.machine.real_link import NoPanel, RealLink, Told
from brisk_anchor.services.machine.shelf_file import ShelfFile
from brisk_anchor.services.machine.stand_in_link import StandInLink, StandInPanel
from brisk_anchor.services.measure.positions import LivePositions, PositionSource, TypedPositions
from brisk_anchor.services.rows.counted_by import CountedFile, counted_by, mark_of, other_figures
from brisk_anchor.services.rows.datum_editor import DatumEditor
from brisk_anchor.services.rows.following_note import rules_noted
from brisk_anchor.services.rows.ledger import Ledger, person
from brisk_anchor.services.rows.offset_writer import OffsetWriter
from brisk_anchor.services.rows.row_programs import WorkedOut
from brisk_anchor.services.rows.row_prover import RowProver
from brisk_anchor.services.rows.row_setting import RowSetter
from brisk_anchor.services.rows.setup_editor import SetupEditor, setup_of
from brisk_anchor.services.rows.working_state import Measured, WorkingState
from brisk_anchor.services.session.measurement_runner import MeasurementRunner
from brisk_anchor.standin.control import Control
from brisk_anchor.standin.machine import StandIn
from brisk_anchor.standin.scene import Scene, build_scene
from brisk_anchor.standin.scene_file import load_scene

_LOG = logging.getLogger(__name__)

if TYPE_CHECKING:
    from brisk_anchor.book.store import Book
    from brisk_anchor.services.job.job_editor import JobEditor
    from brisk_anchor.standin.state import Left


class Session:
    """A job at work: its parts, each with one task. Long methods of theirs may be called from a thread.

    `working` is what is known now; `rows`, `solver`, `heads`, `planner` and `programs` say what follows from it;
    `editor` and `datums` change it; `runner` measures, `writer` stores, `prover` proves; `ledger` is the book of the
    rows. `link` and `panel` are the two ports to the machine, `control` and `machine` the stand-in behind them.
    """

    def __init__(
        self,
        scene: Scene,
        book: Book | None,
        profile: Profile,
        *,
        seed: int | None = 1,
        machine_file: Path | None = None,
        description: JobEditor | None = None,
        rolled: int = 0,
        linked: LinkSettings | None = None,
    ) -> None:
        """`machine_file` keeps how the machine was left; `description` the files the scene is made of, `rolled` which
        real-life part was drawn from them. A `linked` control is worked at by a person; the stand-in is its twin.

        Raises:
            StateError: the machine's file holds something else.
        """
        self.book = book
        setup = setup_of(scene, profile)
        shelf_file = ShelfFile(machine_file, setup)
        self.working = WorkingState(scene, shelf_file.load(setup) if description is None else setup, rolled)
        self.control = Control(scene.stand_in(seed=seed, length_reference=profile.length_reference), profile)
        self.machine_file = MachineFile(machine_file)
        stand_in = StandInLink(self.control, self.machine_file, lambda: self.ledger.mark)
        self.link: ControlLink = stand_in
        self.panel: OperatorPanel = StandInPanel(stand_in)
        self.real: RealLink | None = None
        """The same link, where a real control is at its end."""
        self.link_settings = linked
        self.wire = Wire(linked.wire) if linked is not None and linked.wire is not None else None
        if linked is not None:
            path = None if machine_file is None else machine_file.with_suffix(".told.json")
            self.real = RealLink(stand_in, Outlet(linked, profile, self.wire), Told.load(path))
            self.link, self.panel = self.real, NoPanel()
        self.typed_positions = TypedPositions()
        """What a person read off the control, where it tells no position itself."""
        live = LivePositions(lambda: self.link.spindle, "the stand-in")
        self.positions: PositionSource = live if scene.setup.machine.connected else self.typed_positions
        self.ledger = Ledger(book, lambda: self.working.setup, person())
        worked_out = WorkedOut.of(self.working, self.link, self.ledger)
        self.rows, self.solver, self.heads = worked_out.rows, worked_out.solver, worked_out.heads
        self.planner, self.programs = worked_out.planner, worked_out.programs
        self.editor = SetupEditor(self.working, self.rows, self.ledger, self.machine, profile, description, shelf_file)
        self.datums = DatumEditor(self.working, self.rows, self.editor)
        self.setter = RowSetter(worked_out, profile, self.ledger, self.editor)
        self.runner = MeasurementRunner(worked_out, self.link, self.panel, self.ledger)
        self.writer = OffsetWriter(worked_out, self.link, self.panel, self.ledger, self.datums)
        self.prover = RowProver(self.control, self.rows, self.programs, self.ledger)
        self._plan_rows_of_the_bench()
        self._take_newer_rows()
        path = None if machine_file is None else machine_file.with_suffix(".rows.json")
        self._counted = CountedFile(path if description is not None else None)
        self._look_at_described_rows()
        self.ledger.added = self._note_stored

    def _look_at_described_rows(self) -> None:
        """Mark rows as out of date that were stored by what the job's files said before somebody changed them."""
        known = self._counted.of(self.setup.job)
        for plan in self.setup.rows:
            entry = self.rows.last(plan.row, EntryKind.STORED)
            if entry is None or not self.ledger.facts(plan.row).state.is_settled:
                continue
            at, mark = known.get(plan.row, ("", ""))
            why = ""
            if not plan.on_bench and entry.at.isoformat() == at and mark_of(counted_by(self.setup, plan)) != mark:
                why = "the job's files were changed since"
            elif entry.chain is not None and (tool := other_figures(self.setup, entry.chain)):
                why = f"{tool} has other figures since"
            if not why:
                continue
            try:
                self.editor.mark_stale(plan.row, why)
            except BookWriteError as error:  # a book that is only read is opened all the same
                _LOG.warning("%s: %s, and that cannot be noted: %s", plan.row, why, error.one_line())

    def _note_stored(self, entries: Sequence[Entry]) -> None:
        plans = {plan.row: plan for plan in self.setup.rows if not plan.on_bench}
        stored = [entry for entry in entries if entry.kind is EntryKind.STORED and entry.row in plans]
        marks = [(e.row, e.at.isoformat(), mark_of(counted_by(self.setup, plans[e.row]))) for e in stored]
        self._counted.keep(self.setup.job, marks)

    def _plan_rows_of_the_bench(self) -> None:
        """Take the rows over that this job set on the bench before: the book has their values and where from."""
        for row in self.ledger.rows:
            if row in self.profile.all_rows and not self.setup.plans(row):
                entries = self.ledger.own(row)
                rules, kinds = rules_noted(entries), {entry.kind for entry in entries}
                if self.editor.files is not None and not all(
                    self.setup.row(name).on_bench for rule in rules.values() if (name := parent_in(rule))
                ):
                    rules = {}  # the files say what follows a row of theirs
                if rules or {EntryKind.MEASURED, EntryKind.STORED} <= kinds:
                    plan = replace(self.setup.row(row), title=self.ledger.title(row), rules=rules)
                    self.working.setup = self.setup.with_row(plan)

    def _take_newer_rows(self) -> None:
        """Put rows into the table that the book knows better than the machine's file: after a crash between the two."""
        left = self.machine_file.load(self.control)
        known = left.entry if left is not None and self._same_book(left) else 0
        for row in [row for row in self.ledger.rows if row in self.profile.all_rows]:
            stored = next((e for e in reversed(self.rows.history(row)) if e.kind is EntryKind.STORED), None)
            if stored is not None and (stored.id or 0) > known:
                self.link.write_row(row, stored.values)

    def _same_book(self, left: Left) -> bool:
        """Whether the machine's file was written beside this book: then the order of entries tells which is newer."""
        return self.book is not None and bool(left.entry) and self.book.has(left.entry, left.uid)

    @classmethod
    def open(
        cls,
        scene_name: str,
        book: Book | None,
        *,
        seed: int | None = 1,
        profile: Profile | None = None,
        machine_file: Path | None = None,
    ) -> Session:
        """Open a scene, with its own profile unless another is given.

        Raises:
            SceneError, ProfileError, StateError, BookError: what cannot be used.
        """
        scene = build_scene(load_scene(scene_name))
        control = profile or shipped_profile(scene.setup.machine.profile)
        return cls(scene, book, control, seed=seed, machine_file=machine_file)

    @classmethod
    def with_book(cls, book: Book, make: Callable[[Book], Session]) -> Session:
        """The session that is made with a book; where that fails the book is closed. Raises what `make` raises."""
        try:
            return make(book)
        except BaseException:
            book.close()
            raise

    def note_ending(self, failure: BriskAnchorError | None) -> None:
        """Note how a run ended that a person started at the machine: after a crash no centre of rotation is known."""
        self.working.crashed = self.working.crashed or isinstance(failure, CrashError)

    def close(self) -> None:
        """Let go of the book. Whoever opens a session closes it, or uses it in a `with`."""
        if self.book is not None:
            self.book.close()

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()

    def trial(self, setup: Setup) -> WorkedOut:
        """What would follow from another set-up, over a copy of what is known: nothing in it is kept here."""
        return WorkedOut.of(self.working.trial(setup), self.link, self.ledger)

    # -- what is known now, to read ------------------------------------------------------------------------------

    @property
    def setup(self) -> Setup:
        """The set-up as it is described now."""
        return self.working.setup

    @property
    def scene(self) -> Scene:
        """What lies on the machine now."""
        return self.working.scene

    @property
    def measured(self) -> dict[str, Measured]:
        """What was measured, by the name of the feature."""
        return self.working.measured

    @property
    def active(self) -> str:
        """The row that is active on the control, "" where nobody knows."""
        return self.link.active.row

    def known_active(self) -> str:
        """The row that is active on the control. Raises PlanError: nobody knows."""
        if not (row := self.active):
            what = "Which offset is active on the control is not known"
            raise PlanError(what, "Work figures would count from nowhere", "Say which one the control shows: ⟨bench:w⟩")
        return row

    @property
    def profile(self) -> Profile:
        """How the control is described."""
        return self.control.profile

    @property
    def machine(self) -> StandIn:
        """The stand-in."""
        return self.control.machine
