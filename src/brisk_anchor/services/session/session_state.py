"""The set-up as it is described and as it lies on the machine now: states of its offsets, clamping, changes to it."""

from __future__ import annotations

import getpass
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from datetime import date, datetime
from pathlib import Path
from typing import TYPE_CHECKING

from brisk_anchor import __version__
from brisk_anchor.book.entries import Entry, EntryKind, RowState
from brisk_anchor.core.errors import PlanError
from brisk_anchor.core.features.calibration import Calibration, calibrate
from brisk_anchor.core.features.feature import Feature
from brisk_anchor.core.features.measuring import Measurement
from brisk_anchor.core.features.touches import AXES, Stylus
from brisk_anchor.core.kinds import Vector
from brisk_anchor.core.offsets.chain import Chain
from brisk_anchor.core.offsets.proof import Agreement
from brisk_anchor.core.offsets.rotated_offsets import derived_estimates
from brisk_anchor.core.offsets.row_rotation import turned
from brisk_anchor.core.offsets.rules import (
    Fixed,
    FromFeature,
    FromFit,
    parent_in,
)
from brisk_anchor.core.offsets.setup import RowPlan, Setup
from brisk_anchor.core.uncertainty.estimates import Estimate
from brisk_anchor.nc.profile.control_profile import Profile
from brisk_anchor.services.machine.machine_at_work import MachineAtWork
from brisk_anchor.services.machine.machine_file import MachineFile
from brisk_anchor.services.machine.runs import Run
from brisk_anchor.services.measure.cautions import age_in_days
from brisk_anchor.services.session.hashes import job_hash, profile_hash
from brisk_anchor.services.session.ledger import Ledger
from brisk_anchor.standin.scene import Scene, build_scene

if TYPE_CHECKING:
    from brisk_anchor.book.store import Book
    from brisk_anchor.services.job.job_editor import Change, JobEditor
    from brisk_anchor.standin.state import Left


@dataclass(frozen=True, slots=True)
class Measured:
    """A feature as it was measured in this job, with where from, and how it agrees with the control's arithmetic."""

    measurement: Measurement | None
    """How it was asked for; None where it was measured by hand."""
    feature: Feature
    agreements: tuple[Agreement, ...]
    at: datetime
    clamping: int
    sizes: tuple[float | None, float | None, float | None] = (None, None, None)
    """Nominal sizes and how far from them a measured one may lie, mm."""


class SessionState(MachineAtWork):
    """A scene on a machine, what is known of its rows, and the files that describe it where there are any."""

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
    ) -> None:
        """`machine_file` keeps how the machine was left; `description` the files the scene is made of, `rolled` which
        real-life part was drawn from them.

        Raises:
            StateError: the machine's file holds something else.
        """
        self.scene = scene
        self.description = description
        self._rolled = rolled
        self.setup: Setup = scene.setup.with_lengths(profile.tool_lengths.convention, profile.length_reference)
        self.book = book
        super().__init__(
            scene.stand_in(seed=seed, length_reference=profile.length_reference),
            profile,
            MachineFile(machine_file),
            lambda: self.ledger.mark,
        )
        self.active = next(iter(profile.offsets))
        self.measured: dict[str, Measured] = {}
        self.by_direction: tuple[tuple[float, float], ...] = ()
        """Effective radius at each heading of the last ring the probe was calibrated in, degrees and mm."""
        self.half_round: dict[str, Feature] = {}
        """What was measured with the spindle turned half round: it calibrates, and is no measurement."""
        self.clamping = 0
        self._proved_with: tuple[Scene, tuple[str, str, str]] | None = None
        self.ledger = Ledger(book, lambda: self.setup, _person())
        left = self.machine_file.load(self.control)
        known = left.entry if left is not None and self._same_book(left) else 0
        for row in [row for row in self.ledger.rows if row in profile.all_rows]:
            # What the book knows better than the machine's file: no file yet, or a crash between the two.
            stored = next((e for e in reversed(self.history(row)) if e.kind is EntryKind.STORED), None)
            if stored is not None and (stored.id or 0) > known:
                self.write_row(row, stored.values)

    def _same_book(self, left: Left) -> bool:
        """Whether the machine's file was written beside this book: then the order of entries tells which is newer."""
        return self.book is not None and bool(left.entry) and self.book.has(left.entry, left.uid)

    # -- the control's table -------------------------------------------------------------------------------------

    def table_values(self, row: str, run: Run | None = None) -> dict[str, float]:
        """What stands in the control's table, mm, and the angle its coordinates are turned by in that row, degrees.

        `run` asks the machine of a run, a twin say, instead of the machine itself.
        """
        machine, memory = (run.machine, run.interpreter.memory) if run else (self.machine, self.control.memory)
        values = dict(zip(AXES, machine.offset(row), strict=True))
        if self.profile.row(row).rotation is not None:
            values["r"] = machine.angle_offset(row).get("R", 0.0)
        elif (number := self.profile.angle_of(row)) is not None:
            values["r"] = memory.common.get(number) or 0.0
        return values

    def turn_of(self, row: str) -> float:
        """How far the control itself turns every position in a row, degrees; 0 where rows hold no angle."""
        return self.machine.angle_offset(row).get("R", 0.0) if self.profile.row(row).rotation is not None else 0.0

    def place_in(self, row: str, spindle: Vector, length: float) -> Vector:
        """What the control shows in a row for a machine position of the spindle, with a tool of that length, mm."""
        x, y, z = (a - b for a, b in zip(spindle, self.machine.offset(row), strict=True))
        x, y = turned(x, y, -self.turn_of(row))
        return x, y, z - length

    def write_row(self, row: str, values: Mapping[str, float]) -> None:
        """Put a row of the control's table back to values that stood there: X, Y, Z, and its angle (none is 0)."""
        self.machine.write_offset(row, (values["x"], values["y"], values["z"]))
        angle = values.get("r", 0.0)
        number = self.profile.angle_of(row)
        if number is not None and self.profile.row(row).rotation is None:
            self.control.memory.common[number] = angle
        elif number is not None:
            self.machine.write_angle_offset(row, "R", angle)

    # -- how the rows stand --------------------------------------------------------------------------------------

    def history(self, row: str) -> list[Entry]:
        """Entries of a row, oldest first."""
        return self.ledger.history(row)

    def last(self, row: str, kind: EntryKind) -> Entry | None:
        """The newest entry of a kind that is of this job and still holds."""
        return self.ledger.last(row, kind, own=True)

    @property
    def proved_with(self) -> tuple[str, str, str]:
        """What a proof of a row hangs on now: hashes of job and profile, and our version."""
        if self._proved_with is None or self._proved_with[0] is not self.scene:
            self._proved_with = (self.scene, (job_hash(self.scene), profile_hash(self.profile), __version__))
        return self._proved_with[1]

    def _booked(self, row: str) -> RowState:
        """How a row stands by the book; a proof with another job, profile or version than now is none."""
        booked = self.ledger.facts(row).state
        if booked is RowState.PROVED:
            proof = next(e.proof for e in reversed(self.ledger.own(row)) if e.kind is EntryKind.PROVED)
            if proof is not None and not proof.is_of(*self.proved_with):
                return RowState.STORED
        return booked

    def state(self, row: str) -> RowState:
        """How a row stands: from the book, and from what this job has measured since."""
        booked = self._booked(row)
        names = next((self.needed(plan) for plan in self.setup.rows if plan.row == row), [])
        known = [name for name in names if name in self.measured and self.measured[name].clamping == self.clamping]
        if booked is RowState.EMPTY and known and len(known) < len(names):
            return RowState.PART
        if booked in (RowState.STORED, RowState.PROVED, RowState.STALE) and 0 < len(known) < len(names):
            newest = self.history(row)[-1].at
            if any(self.measured[name].at > newest for name in known):
                return RowState.PART
        return booked

    def expected(self, row: str) -> dict[str, float]:
        """Where the offset should lie when the set-up is as drawn, machine mm; an angle, degrees."""
        table = self.machine.offset(row)
        result = {}
        for axis, rule in self.setup.row(row).rules.items():
            if parent := parent_in(rule):
                result[axis] = self._expected_from(row, parent, axis)
            elif axis == "r":
                result[axis] = rule.value if isinstance(rule, Fixed) else 0.0
            elif isinstance(rule, FromFeature | FromFit):
                result[axis] = self.setup.nominal(rule, axis)
            else:
                result[axis] = rule.value if isinstance(rule, Fixed) else table[AXES.index(axis)]
        return result

    def _expected_from(self, row: str, parent: str, axis: str) -> float:
        """Where a derived axis should lie: by what its parent holds, or should hold while that is not stored."""
        known = self.parents().get(parent)
        if known is None:
            known = {name: Estimate(value) for name, value in self.expected(parent).items()}
        return derived_estimates(row, self.setup.row(row).rules, {parent: known})[axis].value

    def parents(self) -> dict[str, dict[str, Estimate]]:
        """What is stored and holds of the rows that others are derived from, by row and axis."""
        names = {name for plan in self.setup.rows for rule in plan.rules.values() if (name := parent_in(rule))}
        found = {}
        for name in names:
            entry = self.last(name, EntryKind.STORED)
            if entry is not None and self.state(name) in (RowState.STORED, RowState.PROVED):
                found[name] = known_of(entry.chain) if entry.chain else {}
        return found

    def children(self, row: str) -> list[str]:
        """Rows that are derived from a row, directly or through others, each after the one it follows."""
        found: list[str] = []
        for plan in self.setup.rows:
            if any(parent_in(rule) == row for rule in plan.rules.values()):
                found += [plan.row, *self.children(plan.row)]
        return found

    def parent_of(self, row: str) -> str | None:
        """The row it is derived from."""
        rules = self.setup.row(row).rules.values()
        return next((name for rule in rules if (name := parent_in(rule))), None)

    def needed(self, plan: RowPlan) -> list[str]:
        """Names of the features that are touched for a row."""
        return self.setup.touched(plan.features)

    def missing(self, row: str) -> list[str]:
        """Names of the features a row still needs in this clamping; of a derived one, those of a parent not stored."""
        parent = self.parent_of(row)
        above = self.missing(parent) if parent is not None and parent not in self.parents() else []
        return above + [
            name
            for name in self.needed(self.setup.row(row))
            if name not in self.measured or self.measured[name].clamping != self.clamping
        ]

    # -- the part as it lies there -------------------------------------------------------------------------------

    def clamp(self) -> list[str]:
        """The part was clamped again: what was measured before is worth nothing. Returns the rows that became stale."""
        self.clamping += 1
        self.half_round.clear()  # the ring may have moved: its two halves no longer go together
        rows = [
            row.row
            for row in self.setup.rows
            if self.ledger.facts(row.row).state not in (RowState.EMPTY, RowState.STALE) and self._on_part(row)
        ]
        rows = list(dict.fromkeys(name for row in rows for name in (row, *self.children(row))))
        for row in rows:
            self.ledger.add(EntryKind.STALE, row, None, note="clamped again")
        return rows

    def _on_part(self, plan: RowPlan) -> bool:
        bodies = {drawn.name: drawn.body for drawn in self.setup.features}
        return any(bodies[name] == self.setup.part for name in self.needed(plan))

    def roll(self, number: int) -> list[str]:
        """Put another real-life part in the fixture, drawn by number. Returns the rows that became stale.

        Raises:
            PlanError: the scene is a fixed one. GuardError: the tip stands where the new part would be.
        """
        if self.description is None:
            raise PlanError(
                "This set-up has one part only", "It is described with its errors", "Open a job of your own"
            )
        scene = build_scene(self.description.job.scene(number))
        self.machine.exchange(scene.solids)
        self.scene, self._rolled = scene, number
        return self.clamp()

    # -- changing the description --------------------------------------------------------------------------------

    def changing(self) -> JobEditor:
        """The files that can be changed. Raises PlanError where there are none."""
        if self.description is None:
            raise PlanError(
                "This set-up has no files of its own",
                "The demo is described with its errors, for trying things out",
                "brisk-anchor new makes a job, brisk-anchor open opens it",
            )
        return self.description

    def change(self, change: Change) -> None:
        """Make a change that was worked out: the files first, then the set-up and the stand-in.

        What was measured on a feature that is another now is forgotten; rows whose rules changed are stale.

        Raises:
            GuardError: the tip stands where metal would be. JobError, ExportError: the files could not be changed.
        """
        self._exchange(change, self.changing().make)

    def undo(self) -> str | None:
        """Take the last change of the description back; what it was in words, None where there is none.

        Raises:
            GuardError: the tip stands where metal would be. JobError, ExportError: the files could not be changed.
        """
        editor = self.changing()
        change = editor.undone()
        if change is None:
            return None
        self._exchange(change, editor.take_back)
        return change.told

    def _exchange(self, change: Change, write: Callable[[Change], None]) -> None:
        """The stand-in, the files and the set-up together, or none of them."""
        scene = build_scene(change.job.scene(self._rolled))
        self.machine.exchange(scene.solids)
        try:
            write(change)
        except BaseException:
            self.machine.exchange(self.scene.solids)
            raise
        self._adopt(scene, moves_part=change.moves_part)

    def _adopt(self, scene: Scene, *, moves_part: bool) -> None:
        old = self.setup
        self.scene = scene
        lengths = self.profile.tool_lengths.convention
        self.setup = scene.setup.with_lengths(lengths, self.profile.length_reference)
        drawn = {feature.name: feature for feature in self.setup.features}
        known = {feature.name: feature for feature in old.features}
        for name in [name for name in self.measured if drawn.get(name) != known.get(name)]:
            del self.measured[name]
        rules = {plan.row: plan.rules for plan in old.rows}
        for plan in self.setup.rows:
            if rules.get(plan.row, plan.rules) != plan.rules:
                self._made_stale(plan.row, "datum changed")
        if self.setup.stylus != old.stylus:
            self.probe_changed()
        if moves_part:
            self.clamp()

    def calibrate(self, name: str, known: float, u_known: float) -> Calibration:
        """Calibrate the probe on a measured feature of known figure; what was measured with the old figures is void.

        Raises:
            GeometryError: it cannot be, or changes too much. JobError, ExportError: the file could not be changed.
        """
        return self.calibrated(calibrate(self.measured[name].feature, known, u_known))

    @property
    def calibration_age(self) -> int | None:
        """Days since the probe was calibrated; None where nobody knows."""
        return age_in_days(self.setup.shelf.probe.calibrated, date.today())

    def calibrated(self, calibration: Calibration) -> Calibration:
        """Take a calibration over. Raises JobError, ExportError: the file could not be changed."""
        today = date.today()
        if self.description is not None:
            self.description.make(self.description.calibrated(calibration, today.isoformat()))
        self.by_direction = calibration.by_direction or self.by_direction
        record = self.setup.shelf.probe.done(calibration.what, today.isoformat())
        shelf = replace(self.setup.shelf, probe=record)
        self.setup = replace(self.setup, stylus=calibration.stylus(self.setup.stylus), shelf=shelf)
        self.probe_changed()
        return calibration

    def probe_changed(self) -> None:
        """What the probe touched was worked out with other figures: none of it may be used, stored or run again."""
        touched = [name for name, measured in self.measured.items() if measured.measurement is not None]
        for name in touched:
            del self.measured[name]
        self.half_round.clear()
        for plan in self.setup.rows:
            entry = self.last(plan.row, EntryKind.STORED)
            features = entry.chain.features if entry is not None and entry.chain is not None else ()
            if any(isinstance(touch.stylus, Stylus) for feature in features for touch in feature.touches):
                self._made_stale(plan.row, "probe calibrated")

    def tool_changed(self, number: int, note: str) -> list[str]:
        """What a tool of the hand touched was worked out with other figures. Returns the rows that became stale."""

        def touched(feature: Feature) -> bool:
            return any(t.stylus.tool_number == number and not isinstance(t.stylus, Stylus) for t in feature.touches)

        for name in [name for name, measured in self.measured.items() if touched(measured.feature)]:
            del self.measured[name]
        rows = []
        for plan in self.setup.rows:
            entry = self.last(plan.row, EntryKind.STORED)
            if entry is not None and entry.chain is not None and any(map(touched, entry.chain.features)):
                self._made_stale(plan.row, note)
                rows.append(plan.row)
        return rows

    def _made_stale(self, row: str, note: str) -> None:
        for child in self.children(row):
            self._stale_alone(child, f"{row}: {note}")
        self._stale_alone(row, note)

    def _stale_alone(self, row: str, note: str) -> None:
        if self.state(row) not in (RowState.EMPTY, RowState.PART, RowState.STALE):
            self.ledger.add(EntryKind.STALE, row, None, note=note)


def _person() -> str:
    """Who makes entries, as the computer knows them; free text, and empty where it does not."""
    try:
        return getpass.getuser()[:60]
    except (KeyError, OSError):
        return ""


def known_of(chain: Chain) -> dict[str, Estimate]:
    """What a row's chain says of it, by axis, for the rows that are derived from it."""
    return {axis.axis: axis.estimate for axis in chain.axes}
