"""Changes to what a session works on: the description, the part in its fixture, the figures of tools.

Each change says what it makes out of date: measurements are dropped, rows are marked in the book.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from datetime import UTC, date, datetime
from typing import TYPE_CHECKING

from brisk_anchor.book.entries import EntryKind, RowState
from brisk_anchor.core.errors import Fault, PlanError, ProfileError
from brisk_anchor.core.features.calibration import Calibration, calibrate
from brisk_anchor.core.features.feature import Feature
from brisk_anchor.core.features.touches import Stylus
from brisk_anchor.core.offsets.setup import Setup
from brisk_anchor.core.tools.scatter import Scatter
from brisk_anchor.nc.profile.control_profile import Profile
from brisk_anchor.services.machine.shelf_file import ShelfFile
from brisk_anchor.services.rows.counted_by import counted_by
from brisk_anchor.services.rows.ledger import Ledger
from brisk_anchor.services.rows.row_states import RowStates
from brisk_anchor.services.rows.voiding import Declared, Voided, rows_that_stay
from brisk_anchor.services.rows.working_state import WorkingState
from brisk_anchor.standin.machine import StandIn
from brisk_anchor.standin.scene import Scene, build_scene

if TYPE_CHECKING:
    from brisk_anchor.services.job.job_editor import Change, JobEditor


def setup_of(scene: Scene, profile: Profile) -> Setup:
    """The set-up of a scene with tool lengths as the control counts them. Raises ProfileError: it is of a lathe."""
    if profile.lathe is not None:
        fault = Fault("lathe", "it is of a lathe, and this machine is none")
        raise ProfileError(profile.name, (fault,), "Choose a profile without that section")
    return scene.setup.with_lengths(
        profile.tool_lengths.convention, profile.length_reference, profile.u_length_reference
    )


class SetupEditor:
    """Changes the working state, the stand-in's metal and the job's files together, or none of them."""

    def __init__(
        self,
        working: WorkingState,
        rows: RowStates,
        ledger: Ledger,
        stand_in: StandIn,
        profile: Profile,
        files: JobEditor | None,
        shelf_file: ShelfFile,
    ) -> None:
        """`files` is the description the scene is made of; None where there are none: `shelf_file` keeps tools then."""
        self._working = working
        self._rows = rows
        self._ledger = ledger
        self._stand_in = stand_in
        self._profile = profile
        self.files = files
        self._shelf_file = shelf_file
        self._declared: list[Declared] = []

    def keep_tools(self) -> None:
        """Keep what is known of the tools where no file describes them. Raises ExportError."""
        if self.files is None:
            self._shelf_file.save(self._working.setup)

    @property
    def where_tools_are_kept(self) -> str:
        """Where a change of a tool is kept, in a sentence."""
        if self.files is not None:
            return "machine.toml says so too."
        return "It is kept beside the book." if self._shelf_file.path is not None else "It lasts until you leave."

    # -- what is declared, and taken back ---------------------------------------------------------------------------

    def declare(self, words: str, work: Callable[[], object]) -> Voided:
        """Make a declaration that voids results, so that it can be taken back; tells what became invalid by it.

        Raises:
            BriskAnchorError: what `work` raises; then nothing can be taken back.
        """
        working, ledger = self._working, self._ledger
        before = working.trial(working.setup)
        states = {row: ledger.facts(row).state for row in ledger.rows}
        written = self._changes
        work()
        rows = tuple(r for r, was in states.items() if was is not ledger.facts(r).state is RowState.STALE)
        lost = [name for name in before.measured if before.holds(name) and not working.holds(name)]
        measured = working.measured_at
        self._declared = [
            *self._declared[-9:],
            Declared(words, before, rows, ledger.mark, measured, self._changes - written, self._changes),
        ]
        return Voided(tuple(lost), rows, rows_that_stay(self._settled(), rows))

    def take_back(self) -> Declared:
        """Take the last declaration back: what it voided holds again.

        Raises:
            PlanError: there is none, or something was measured or stored after it. JobError, ExportError: the files.
        """
        if not self._declared:
            raise PlanError("There is nothing to take back", "", "")
        last, working = self._declared[-1], self._working
        now = (self._ledger.mark, working.measured_at, self._changes)
        if now != (last.mark, last.measured, last.changes):
            raise PlanError(
                f"“{last.words}” cannot be taken back any more",
                "Something was measured, stored or described after it",
                "Measure again what you need",
            )
        for _ in range(last.in_files):
            if self.files is not None and (change := self.files.undone()) is not None:
                self.files.take_back(change)
        for field in ("setup", "clamping", "clamped", "measured", "requests", "by_hand", "half_round"):
            setattr(working, field, getattr(last.before, field))
        entry = self._ledger.entry
        self._ledger.add_all([entry(EntryKind.HOLDS, row, None, note=f"taken back: {last.words}") for row in last.rows])
        self._declared.pop()
        if self._declared:
            self._declared[-1] = replace(self._declared[-1], mark=self._ledger.mark, changes=self._changes)
        self.keep_tools()
        return last

    @property
    def _changes(self) -> int:
        """How many changes the description has seen."""
        return self.files.changes if self.files is not None else 0

    def _settled(self) -> list[str]:
        return [row for row in self._ledger.rows if self._ledger.facts(row).state.is_settled]

    def clamp_voids(self) -> Voided:
        """What marking the part as clamped again makes invalid."""
        rows = self._rows_of_the_part()
        features = tuple(measured.feature.name for measured in self._working.listed())
        return Voided(features, tuple(rows), rows_that_stay(self._settled(), rows))

    def probe_voids(self) -> Voided:
        """What other figures of the probe make invalid."""
        rows = self._with_children(self._rows_of_the_probe())
        features = tuple(n for n, m in self._working.measured.items() if m.measurement is not None)
        return Voided(features, tuple(rows), rows_that_stay(self._settled(), rows))

    def tool_voids(self, number: int) -> Voided:
        """What other figures of a tool of the hand make invalid."""
        rows = self._with_children(self._rows_of_tool(number))
        features = tuple(n for n, m in self._working.measured.items() if _touched_by(m.feature, number))
        return Voided(features, tuple(rows), rows_that_stay(self._settled(), rows))

    def _with_children(self, rows: list[str]) -> list[str]:
        every = dict.fromkeys(name for row in rows for name in (row, *self._rows.children(row)))
        lost = (RowState.EMPTY, RowState.STALE)
        return [row for row in every if self._ledger.facts(row).state not in lost]

    def _rows_of_the_part(self) -> list[str]:
        return self._with_children([row.row for row in self._working.setup.rows if self._rows.on_part(row)])

    def _rows_of_the_probe(self) -> list[str]:
        return [
            plan.row
            for plan in self._working.setup.rows
            if any(isinstance(touch.stylus, Stylus) for feature in self._stored(plan.row) for touch in feature.touches)
        ]

    def _rows_of_tool(self, number: int) -> list[str]:
        plans = self._working.setup.rows
        return [plan.row for plan in plans if any(_touched_by(f, number) for f in self._stored(plan.row))]

    def _stored(self, row: str) -> tuple[Feature, ...]:
        """The features that the stored value of a row comes from."""
        entry = self._rows.last(row, EntryKind.STORED)
        return entry.chain.features if entry is not None and entry.chain is not None else ()

    # -- the part as it lies there -------------------------------------------------------------------------------

    def clamp(self) -> list[str]:
        """Mark the part as clamped again: earlier measurements become out of date. Returns the rows that do, too."""
        self._working.clamping += 1
        self._working.clamped = datetime.now(UTC).isoformat(timespec="milliseconds")
        self._working.half_round.clear()  # the ring may have moved: its two halves no longer go together
        rows = self._rows_of_the_part()
        self._working.forget_unused()
        for row in rows:
            self._ledger.add(EntryKind.STALE, row, None, note="clamped again")
        return rows

    def roll(self, number: int) -> list[str]:
        """Put another real-life part in the fixture, drawn by number. Returns the rows that became out of date.

        Raises:
            PlanError: the scene is a fixed one. GuardError: the tip stands where the new part would be.
        """
        if self.files is None:
            raise PlanError(
                "This set-up has one part only", "It is described with its errors", "Open a job of your own"
            )
        stale = self.put_in(build_scene(self.files.job.scene(number)))
        self._working.rolled = number
        return stale

    def put_in(self, scene: Scene) -> list[str]:
        """Put the real-life part of a scene in the fixture. Returns the rows that became out of date.

        Raises:
            GuardError: the tip stands where the new part would be.
        """
        self._stand_in.exchange(scene.solids)
        self._working.scene = scene
        return self.clamp()

    # -- the description -----------------------------------------------------------------------------------------

    def changing(self) -> JobEditor:
        """The files that can be changed. Raises PlanError where there are none."""
        if self.files is None:
            raise PlanError(
                "This set-up has no files of its own",
                "The demo is described with its errors, for trying things out",
                "brisk-anchor new makes a job, brisk-anchor open opens it",
            )
        return self.files

    def change(self, change: Change) -> None:
        """Make a change that was worked out: the files first, then the set-up and the stand-in.

        What was measured on a feature that is another now is forgotten; rows whose rules changed are out of date.

        Raises:
            GuardError: the tip stands where metal would be. JobError, ExportError: the files could not be changed.
        """
        self._exchange(change, self.changing().make)

    def undo(self) -> str | None:
        """Take the last change of the description back; what it was in words, None where there is none.

        Raises:
            GuardError: the tip stands where metal would be. JobError, ExportError: the files could not be changed.
        """
        files = self.changing()
        change = files.undone()
        if change is None:
            return None
        self._exchange(change, files.take_back)
        return change.told

    def _exchange(self, change: Change, write: Callable[[Change], None]) -> None:
        """The stand-in, the files and the set-up together, or none of them."""
        scene = build_scene(change.job.scene(self._working.rolled))
        self._stand_in.exchange(scene.solids, scene.real_axes)
        try:
            write(change)
        except BaseException:
            self._stand_in.exchange(self._working.scene.solids, self._working.scene.real_axes)
            raise
        self._adopt(scene, moves_part=change.moves_part)

    def _adopt(self, scene: Scene, *, moves_part: bool) -> None:
        working, old = self._working, self._working.setup
        working.scene = scene
        working.setup = setup_of(scene, self._profile).with_bench_of(old)
        drawn = {feature.name: feature for feature in working.setup.features}
        known = {feature.name: feature for feature in old.features}
        for name in [name for name in working.measured if drawn.get(name) != known.get(name)]:
            working.forget(name)
        before = {plan.row: counted_by(old, plan) for plan in old.rows}
        for plan in working.setup.rows:
            now = counted_by(working.setup, plan)
            if before.get(plan.row, now) != now:
                self.mark_stale(plan.row, "datum changed")
        if working.setup.stylus != old.stylus:
            self.probe_changed()
        if moves_part:
            self.clamp()

    # -- tools ---------------------------------------------------------------------------------------------------

    def calibrate(self, name: str, known: float, u_known: float) -> Calibration:
        """Calibrate the probe on a measured feature of known figure; results of the old figures become invalid.

        Raises:
            GeometryError: it cannot be, or changes too much. JobError, ExportError: the file could not be changed.
        """
        now = datetime.now(UTC).isoformat(timespec="seconds")
        return self.calibrated(calibrate(self._working.measured[name].feature, known, u_known, now))

    def calibrated(self, calibration: Calibration) -> Calibration:
        """Take a calibration over. Raises JobError, ExportError: the file could not be changed."""
        today, working = date.today().isoformat(), self._working
        if self.files is not None:
            self.files.make(self.files.calibrated(calibration, today))
        working.by_direction = calibration.by_direction or working.by_direction
        record = working.setup.shelf.probe.done(calibration.what, today)
        shelf = replace(working.setup.shelf, probe=record)
        working.setup = replace(working.setup, stylus=calibration.stylus(working.setup.stylus), shelf=shelf)
        self.keep_tools()
        self.probe_changed()
        return calibration

    def scatter_known(self, scatter: Scatter) -> None:
        """Take over how the probe's touches scatter, as a run has shown it, at its touch feed or the usual one.

        Raises:
            JobError, ExportError: the file could not be changed.
        """
        working = self._working
        stylus = working.setup.stylus
        shelf = working.setup.shelf
        if scatter.feed is None:
            new = replace(stylus, u_repeatability=scatter.u, repeats=scatter.repeats)
            shelf = replace(shelf, probe=replace(shelf.probe, scattered=scatter.day))
        else:
            others = tuple(known for known in stylus.feeds if known.feed != scatter.feed)
            new = replace(stylus, feeds=(*others, scatter))
        if self.files is not None:
            self.files.make(self.files.scatter_known(scatter))
        working.setup = replace(working.setup, stylus=new, shelf=shelf)
        self.keep_tools()
        self.probe_changed()

    def probe_changed(self) -> None:
        """What the probe touched was worked out with other figures: none of it may be used, stored or run again."""
        rows = self._rows_of_the_probe()
        self._working.drop_probed()
        for row in rows:
            self.mark_stale(row, "probe calibrated")

    def tool_changed(self, number: int, note: str) -> list[str]:
        """Drop what a tool of the hand touched; its figures changed. Returns the rows that became out of date."""
        rows, measured = self._rows_of_tool(number), self._working.measured
        for name in [name for name, known in measured.items() if _touched_by(known.feature, number)]:
            del measured[name]
        for row in rows:
            self.mark_stale(row, note)
        return rows

    # -- rows ----------------------------------------------------------------------------------------------------

    def mark_stale(self, row: str, note: str) -> None:
        """Mark a row, and the rows derived from it, as out of date. Raises BookWriteError."""
        for child in self._rows.children(row):
            self.mark_stale_alone(child, f"{row}: {note}")
        self.mark_stale_alone(row, note)

    def mark_stale_alone(self, row: str, note: str) -> None:
        """Mark a row as out of date, and no other. Raises BookWriteError."""
        if self._rows.state(row) not in (RowState.EMPTY, RowState.PART, RowState.STALE):
            self._ledger.add(EntryKind.STALE, row, None, note=note)


def _touched_by(feature: Feature, number: int) -> bool:
    """Whether a tool of the hand touched a feature."""
    return any(t.stylus.tool_number == number and not isinstance(t.stylus, Stylus) for t in feature.touches)
