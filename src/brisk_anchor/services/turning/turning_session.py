"""A job on a lathe at work: its parts put together. What the screen drives, and what is tested without one."""

from __future__ import annotations

import logging
from collections.abc import Sequence
from contextlib import suppress
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

from brisk_anchor import __version__
from brisk_anchor.book.entries import DISAGREES, Entry, EntryKind, RowState
from brisk_anchor.core.errors import (
    BookWriteError,
    BriskAnchorError,
    CrashError,
    DatumError,
    ExportError,
    JobError,
    NumberEntryError,
)
from brisk_anchor.core.numbers import parse_length
from brisk_anchor.core.offsets.proof import Proof
from brisk_anchor.core.quantities import fixed, show_as_described, signed_dim
from brisk_anchor.core.turning.setup import LatheSetup, Pair, geometry_row
from brisk_anchor.core.turning.targets import Target
from brisk_anchor.core.turning.tools import ToolKind, TurningTool
from brisk_anchor.core.turning.zero import Method
from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.nc.programs.program import Program
from brisk_anchor.nc.write.writer import write_turning
from brisk_anchor.services.machine.runs import RunStopped
from brisk_anchor.services.paths import file_stem
from brisk_anchor.services.rows.counted_by import CountedFile, mark_of
from brisk_anchor.services.rows.hashes import profile_hash
from brisk_anchor.services.rows.ledger import Ledger, person
from brisk_anchor.services.session.book_opening import open_book
from brisk_anchor.services.turning.lathe_file import LatheFile
from brisk_anchor.services.turning.lathe_runs import run_through
from brisk_anchor.services.turning.set_up_words import targets_of
from brisk_anchor.services.turning.table_desk import LatheDescribed, TableDesk, figure_of
from brisk_anchor.services.turning.target_work import TargetWork
from brisk_anchor.services.turning.tool_room import ToolRoom
from brisk_anchor.services.turning.turning_job import TurningJob, load_turning, with_words, write_turning_file
from brisk_anchor.services.turning.zero_finder import ZeroFinder
from brisk_anchor.standin.lathe import LatheStandIn, LatheTables

if TYPE_CHECKING:
    from brisk_anchor.book.store import Book

_LOG = logging.getLogger(__name__)
_FEED = 120.0
"""Feed of moves by hand, mm/min."""
_SPEED = 900.0
"""Speed of the spindle, 1/min, that a person sets."""
_ACROSS = 2.0
"""How far beyond the axis a face is cut, mm of diameter."""


@dataclass(slots=True)
class _Holder:
    """The job as it is described now; the book's entries ask it."""

    job: TurningJob

    def described(self) -> LatheDescribed:
        """What entries say of the set-up."""
        return LatheDescribed.of(self.job.setup)


class TurningSession:
    """A job on a lathe.

    `desk` reads and writes tables and book; `zero` finds zeros; `tools` changes tools; `targets` is the list that is
    cut to; `machine` is the stand-in, which on a lathe that is not connected only holds the tables.
    """

    def __init__(
        self, job: TurningJob, book: Book | None, *, machine_file: Path | None = None, seed: int | None = 1
    ) -> None:
        """Raises StateError: the lathe's file is another's."""
        self._holder = _Holder(job)
        self.book = book
        begun = {tool.offset: (tool.x, tool.z) for tool in job.file.stand_in.table}
        tables = LatheTables({}, dict(begun))
        if not job.setup.lathe.connected:
            job = replace(job, reality=replace(job.reality, geometry={t.offset: (0.0, 0.0) for t in job.setup.tools}))
        self.machine = LatheStandIn(job.setup, job.reality, tables, seed=seed)
        self.file = LatheFile(machine_file)
        self.file.load(self.machine)
        self.ledger = Ledger(book, lambda: self._holder.described(), person())
        self.desk = TableDesk(job, self.machine, self.ledger, self.file)
        self.zero = ZeroFinder(self.desk)
        self.tools = ToolRoom(self.desk, self.zero)
        self.targets = TargetWork(self.desk, self.zero)
        self._undo: list[TurningJob] = []
        self._take_newer_rows()
        self._counted = CountedFile(None if machine_file is None else machine_file.with_suffix(".rows.json"))
        self._look_at_described_rows()
        self.ledger.added = self._note_stored

    @classmethod
    def open(cls, path: Path, data: Path, *, seed: int | None = 1) -> TurningSession:
        """Open a job's file with the book and the lathe as it was left, in `data`. Raises BriskAnchorError."""
        job = load_turning(path)
        show_as_described(job.unit)
        name = file_stem(job.setup.lathe.name)
        book = open_book(data / "book.sqlite")
        try:
            return cls(job, book, machine_file=data / f"lathe-{name}.json", seed=seed)
        except BaseException:
            book.close()
            raise

    @property
    def job(self) -> TurningJob:
        """The job as it is described now."""
        return self._holder.job

    def close(self) -> None:
        """Keep how the lathe stands, and let go of the book."""
        with suppress(ExportError):  # the next start finds it where it was kept last
            self.file.save(self.machine)
        if self.book is not None:
            self.book.close()

    def _take_newer_rows(self) -> None:
        """Put figures into the tables that the book stored and the lathe's file does not know: after a crash."""
        self.file.mark = lambda: self.ledger.mark
        known, uid = self.file.left or (0, "")
        if self.book is None or (self.file.left is not None and not (known and self.book.has(known, uid))):
            return  # a file that was kept beside another book tells nothing of what is newer
        for row in self.ledger.rows:
            entry = self.ledger.last(row, EntryKind.STORED)
            if entry is None or (entry.id or 0) <= known:
                continue
            self.desk.put([figure_of(row, axis, value) for axis, value in entry.values.items() if axis in "xz"])

    def _counted_by(self, row: str, setup: LatheSetup) -> tuple[object, ...]:
        """What the value of a row follows from, beside what was cut or felt; nothing of a wear."""
        for tool in setup.tools:
            if row == geometry_row(tool.offset):
                return tool.counted_by
        if row not in self.rows():
            return ()
        member = setup.member(row)
        # Of a family on one stop only those that follow another's length move with their own.
        length = member.length if member is not None and not self.desk.was_found(row, "z") else 0.0
        stock = setup.stock if setup.holding.stop == "none" else None
        return setup.holding, stock, setup.zero_from_face, setup.lathe.axis_x, length

    def _mark(self, row: str) -> str:
        return mark_of(self._counted_by(row, self.job.setup))

    def _look_at_described_rows(self) -> None:
        """Mark rows as out of date that were stored by what the job's file said before somebody changed it."""
        stale = []
        for row, (at, mark) in self._counted.of(self.job.setup.job).items():
            entry = self.ledger.last(row, EntryKind.STORED, own=True)
            settled = entry is not None and self.ledger.facts(row).state.is_settled
            if (
                settled
                and entry is not None
                and entry.at.isoformat() == at
                and mark_of(self._counted_by(row, self.job.setup)) != mark
            ):
                stale.append(self.ledger.entry(EntryKind.STALE, row, None, note="the job's file was changed since"))
        try:
            if stale:
                self.ledger.add_all(stale)
        except BookWriteError as error:  # a book that is only read is opened all the same
            _LOG.warning("rows counted with another file, and that cannot be noted: %s", error.one_line())

    def _note_stored(self, entries: Sequence[Entry]) -> None:
        stored = [entry for entry in entries if entry.kind is EntryKind.STORED]
        marks = [
            (entry.row, entry.at.isoformat(), mark_of(self._counted_by(entry.row, self.job.setup))) for entry in stored
        ]
        self._counted.keep(self.job.setup.job, marks)

    # -- how it stands -----------------------------------------------------------------------------------------

    @property
    def row(self) -> str:
        """The work offset in force."""
        return self.machine.active_row

    def state(self, row: str) -> RowState:
        """How a row stands: as its entries say, unless the table holds something else."""
        facts = self.ledger.facts(row)
        valued = facts.valued
        if facts.state.is_settled and valued is not None:
            for axis, value in valued.values.items():
                if axis in "xz" and not self.desk.agrees(row, axis, value):
                    return RowState.DIFFERS
        if facts.state is RowState.MEASURED:
            return RowState.NOT_WRITTEN  # figures that are measured here are written at once: this one follows another
        return facts.state

    def rows(self) -> list[str]:
        """The work offsets that this job needs."""
        setup = self.job.setup
        return list(dict.fromkeys([setup.row, *(member.row for member in setup.family)]))

    # -- by hand -----------------------------------------------------------------------------------------------

    def _live(self) -> None:
        if not self.job.setup.lathe.connected:
            raise DatumError(
                "This lathe is worked at its own control",
                "Nothing here moves it",
                "Type what its display shows: ⟨bench:h⟩",
            )

    def home(self) -> None:
        """Send the axes home. Raises MachineError."""
        self._live()
        self.machine.go_home()
        self.file.save(self.machine)

    def reset(self) -> None:
        """Reset an alarm of the stand-in."""
        self.machine.alarm = ""

    def jog(self, axis: str, step: float) -> None:
        """Move an axis by a step, mm (X of the diameter). Raises MachineError: travel, crash."""
        self._live()
        x, z = self.machine.place
        grain = self.job.setup.lathe.resolution
        to = (round((x + step) / grain) * grain, z) if axis == "x" else (x, round((z + step) / grain) * grain)
        self.machine.jog(to, _FEED)

    def feed_to(self, words: str) -> str:
        """Feed to a place of the program, as “x 48 z -20”, or by so much, as “u 0.5 w -2”; where it stands then.

        Raises:
            NumberEntryError: words that mean nothing. MachineError.
        """
        to = self.read_place(words)
        self._live()
        self.machine.jog(to, _FEED)
        return f"It stands at {self.where()}."

    def read_place(self, words: str) -> Pair:
        """The machine position that words mean, X a diameter. Raises NumberEntryError."""
        tokens = words.lower().split()
        x, z = self.machine.place
        shift_x, shift_z = self.desk.shift(self.row, self.machine.offset_number)
        if not tokens or len(tokens) % 2:
            raise NumberEntryError("A place has an axis and a figure", "", "As x 48 z -20, or u 0.5 w -2")
        for letter, figure in zip(tokens[::2], tokens[1::2], strict=True):
            value = parse_length(figure, low=-10_000.0, high=10_000.0)
            match letter:
                case "x":
                    x = value + shift_x
                case "z":
                    z = value + shift_z
                case "u":
                    x += value
                case "w":
                    z += value
                case _:
                    raise NumberEntryError(f"“{letter[:6]}” is no axis of a lathe", "", "x, z; u and w by so much")
        return x, z

    @property
    def display_is_radius(self) -> bool:
        """Whether the control's display shows X as a radius."""
        return self.job.lathe is not None and self.job.lathe.display.x == "radius"

    def displayed(self) -> Pair | None:
        """What was typed of the display last, as it shows it."""
        if self.zero.typed is None:
            return None
        lathe, (x, z) = self.job.lathe, self.zero.typed
        return (x, z) if lathe is None else (lathe.display.shown("x", x), lathe.display.shown("z", z))

    def type_position(self, x: float, z: float) -> None:
        """Take what the display shows, machine position: radii and signs as the profile says of it."""
        lathe = self.job.lathe
        self.zero.typed = (x, z) if lathe is None else (lathe.display.ours("x", x), lathe.display.ours("z", z))

    def where(self) -> str:
        """Where the tip stands, in words."""
        place = self.targets.place()
        if place is None:
            return "a place that nobody told"
        return f"⌀ {signed_dim(place[0], 3)}, Z {signed_dim(place[1], 3)}"

    def spindle(self) -> bool:
        """Start the spindle, or stop it; whether it turns now. Its sense follows the turret's side."""
        self._live()
        turns = self.machine.spindle != 5
        code = 5 if turns else 4 if self.job.setup.lathe.turret == "rear" else 3
        self.machine.turn_spindle(code, _SPEED, 0)
        return not turns

    def turn_turret(self, tool: TurningTool) -> None:
        """Turn a tool to the work with its own offset in force. Raises CrashError, ToolError."""
        if self.job.setup.lathe.connected:
            self.machine.index(tool.station, tool.offset, 0)
        else:
            self.machine.station, self.machine.offset_number = tool.station, tool.offset
        self.zero.leave()
        self.file.save(self.machine)

    def to_index_place(self) -> None:
        """Go where the turret may turn: X first, out of a bore Z first. Raises MachineError."""
        self._live()
        x, z = self.job.setup.lathe.index_at
        at_x, at_z = self.machine.place
        self.machine.jog((at_x, z) if self.machine.in_bore else (x, at_z), self.job.setup.lathe.rapid)
        self.machine.jog((x, z), self.job.setup.lathe.rapid)

    def bring_near(self) -> None:
        """Bring the tip before the stock, by eye: to the full millimetre, a clearance away. Raises MachineError."""
        self._live()
        setup, machine = self.job.setup, self.machine
        tool = machine.tool
        if tool is None:
            raise DatumError("No tool is at the work", "There is nothing to bring near", "Turn the turret: .")
        tip, (x, z) = machine.tip(), machine.place
        front = machine.metal.bounds[2]
        low = setup.stock.bore if tool.kind is ToolKind.BORING else setup.stock.diameter
        aim = (
            0.0 if tool.kind is ToolKind.DRILL else low + (-2 if tool.kind is ToolKind.BORING else 2) * setup.clearance
        )
        to_x, to_z = x + round(max(aim, 0.0) - tip[0]), z + round(front + setup.clearance + tool.leads - tip[1])
        out = x if tool.points[0] >= 0 else max(x, to_x)  # away from what it may lie against, before along it
        machine.jog((out, z), setup.lathe.rapid)
        machine.jog((out, max(z, to_z)), setup.lathe.rapid)
        machine.jog((to_x, max(z, to_z)), setup.lathe.rapid)
        machine.jog((to_x, to_z), setup.lathe.rapid)

    def _needs(self, *kinds: ToolKind) -> None:
        """Refuse a cut that the tool at the work is not made for. Raises DatumError."""
        tool = self.machine.tool
        if tool is None or tool.kind not in kinds:
            held = "no tool" if tool is None else f"{tool.name}, a {tool.kind.value},"
            raise DatumError(f"This cut is not made with {held}", "It would rub or break", "Turn another tool: .")

    def cut_face(self, off: float) -> None:
        """Take so much off the face, mm: in along Z beside the stock, across with X, back the way it came in X only.

        Raises:
            MachineError: the spindle stands, a crash.
        """
        self._live()
        self._needs(ToolKind.OUTSIDE)
        machine = self.machine
        front, tip, (x, z) = machine.metal.bounds[2], machine.tip(), machine.place
        out = x + (self.job.setup.stock.diameter + 2 * self.job.setup.clearance - tip[0])
        grain = self.job.setup.lathe.resolution
        at = round((z + front - off - tip[1]) / grain) * grain
        bore = self._bore()
        inner = x - tip[0] + (bore - _ACROSS if bore > _ACROSS else -_ACROSS)
        for to in ((out, z), (out, at), (inner, at), (out, at)):
            machine.jog(to, _FEED)

    def _bore(self) -> float:
        """The bore at the front of the metal as it is, mm; 0 for none."""
        try:
            return self.machine.true_diameter(self.machine.metal.bounds[2] - 0.01, inside=True)
        except BriskAnchorError:
            return 0.0

    def cut_along(self, length: float, off: float) -> None:
        """Take so much off the diameter, mm of diameter, along a length from the face; back along Z only.

        Raises:
            MachineError: the spindle stands, a crash, no metal there.
        """
        self._live()
        self._needs(ToolKind.OUTSIDE, ToolKind.BORING)
        machine, setup = self.machine, self.job.setup
        tool = machine.tool
        inside = tool is not None and tool.kind.is_inside
        front, tip, (x, z) = machine.metal.bounds[2], machine.tip(), machine.place
        now = machine.true_diameter(front - 0.02, inside=inside)
        grain = setup.lathe.resolution
        cut = round((x - tip[0] + (now + off if inside else now - off)) / grain) * grain
        before, deep = z + front + setup.clearance - tip[1], z + front - length - tip[1]
        before, deep = round(before / grain) * grain, round(deep / grain) * grain
        free = x if not inside else cut - 2 * off - 1.0
        for to in ((free, max(z, before)), (cut, max(z, before)), (cut, deep), (cut, max(z, before))):
            machine.jog(to, _FEED)

    def touch(self, method: Method) -> None:
        """Bring the tip to the part with a feeler, to a whisker's depth, or a drill onto the axis; then begin.

        On a lathe that is not connected a person has done so. Raises what `ZeroFinder.begin` and the stand-in raise.
        """
        self.zero.look(method)  # before anything moves for it
        if self.job.setup.lathe.connected:
            if method is Method.DIAL:
                self.machine.sweep()
            elif method is Method.WHISKER:
                self.machine.feel("x", 0.0)
            else:
                leaf = self.zero.gauge("thickness")
                self.machine.feel(method.axis, leaf.thickness + self.machine.gauge_error(leaf))
        self.zero.begin(method)

    def new_stock(self) -> list[str]:
        """Clamp a fresh piece; the zeros that are out of date by it. Raises GuardError, BookWriteError."""
        if self.job.setup.lathe.connected:
            self.machine.new_stock()
        rows = self.tools.part_clamped()
        self.targets.done.clear()
        self.file.save(self.machine)
        return rows

    # -- proving -----------------------------------------------------------------------------------------------

    def look_program(self, row: str) -> Program:
        """The program that brings a tool near a row's zero, for a person to look. Raises DatumError, PlanError."""
        profile, tool = self.job.profile, self.machine.tool
        if profile is None or tool is None:
            raise DatumError("This lathe runs no programs", "Its zero is looked at by hand", "Go near it with a rule")
        plan = self.desk.plan(f"look at {row}", [], [])
        look = self.desk.near_look(row, tool.offset)
        number = self.desk.number(row) + 200
        return write_turning(replace(plan, number=number, look=look), profile)

    def prove(self, row: str) -> Proof:
        """Run the look program of a row on a twin: the real tip must stand where it says, within the ±.

        Raises:
            DatumError: nothing is stored, or it runs no programs. CrashError, RunStopped: it did not end.
        """
        if self.state(row) not in (RowState.STORED, RowState.PROVED):
            raise DatumError(f"{row} is not stored", "There is nothing to prove", "Measure and store it first")
        tool = self.machine.tool
        if tool is not None and not self.desk.reach_holds(row, tool.offset, "x"):
            raise DatumError(
                f"How far {tool.name} reaches in X is not known",
                "It cannot be sent near the part",
                "Cut a diameter: ⟨bench:C⟩",
            )
        if tool is not None and not self.desk.reach_holds(row, tool.offset, "z"):
            raise DatumError(
                f"How far {tool.name} reaches in Z is not known, and {row} was found with another tool",
                "It cannot be sent near the part",
                "Touch the face with it: ⟨bench:e⟩, or turn the tool that found the zero to the work",
            )
        program, profile = self.look_program(row), self.job.profile
        assert profile is not None
        twin = self.machine.twin(seed=None)
        twin.spindle = 5
        twin.homed = True
        twin.put(self.job.setup.lathe.index_at)
        assert tool is not None
        look = self.desk.near_look(row, tool.offset)
        stood = run_through(program, profile, twin)
        if not stood:
            raise RunStopped(
                f"{program.label} ended before it came near the part",
                "The zero is not proved",
                "Look at the program: ⟨3⟩",
            )
        longer = self.job.setup.longer(row)
        tip = min(stood, key=lambda place: place[1])  # a stop before the turret turns stands further out
        off_z = tip[1] - (twin.true_zero + longer - self.job.setup.zero_from_face + look.z)
        off_x = tip[0] - look.x
        work, reach = self.desk.estimate(row, "z"), self.desk.held(row, tool.offset, "z")
        allowed = work.expanded + reach.geometry.expanded + 2 * self.desk.resolution
        across = self.desk.held(row, tool.offset, "x").geometry.expanded + 2 * self.desk.resolution
        known_x = self.desk.is_known(geometry_row(tool.offset), "x")
        beyond = abs(off_z) - allowed
        worst = abs(off_z) if not known_x or beyond >= abs(off_x) - across else abs(off_x)
        limit = allowed if worst == abs(off_z) else across
        proof = Proof(
            program=program.number,
            digest=program.digest,
            values=(("x", off_x), ("z", off_z)),
            worst=worst,
            allowed=limit,
            touches=0,
            machine_seconds=twin.clock,
            job=self.job.hash,
            profile=profile_hash(profile),
            version=__version__,
        )
        chain = self.ledger.chain_of_values(row)
        note = f"{program.label}: the tip stood {signed_dim(off_z, 3)} off in Z"
        note += "" if proof.holds else f", which {DISAGREES}"
        self.ledger.add(EntryKind.PROVED, row, chain, proof=proof, note=note)
        return proof

    # -- describing --------------------------------------------------------------------------------------------

    def changed(self, key: str, words: str | list[str] | list[float]) -> TurningJob:
        """The job with a line of its set-up changed, checked as a whole; nothing is kept.

        Raises:
            DatumError: what is wrong with it, without where the line stands in the file.
        """
        try:
            return with_words(self.job, key, words)
        except JobError as error:
            raise DatumError(error.findings[0].reason.rstrip("."), "Nothing is changed", "Correct the words") from error

    def change(self, key: str, words: str | list[str] | list[float]) -> None:
        """Change a line of the set-up, in the file and here.

        Raises:
            DatumError: it would have faults. JobError: somebody else changed the file. ExportError.
            GuardError: the tool stands where the new stock or jaws would be.
        """
        before = self.job
        self._put_job(self.changed(key, words), before)
        self._undo.append(before)

    def change_approach(self, near: float, close: float) -> None:
        """Change from how far away it warns at a target, mm. Raises JobError, ExportError."""
        unit = float(self.job.unit.in_mm)
        self.change("approach", [round(near / unit, 6), round(close / unit, 6)])

    def undo_change(self) -> None:
        """Take the last change of the set-up back. Raises DatumError: there is none. JobError, ExportError."""
        if not self._undo:
            raise DatumError("Nothing was changed since the job was opened", "There is nothing to take back", "")
        self._put_job(self._undo[-1], self.job)
        self._undo.pop()

    def _put_job(self, job: TurningJob, before: TurningJob) -> None:
        if job.setup.lathe.connected and not job.reality.geometry:
            raise DatumError("No tool is in the turret", "", "State one at least")
        if job.setup.lathe.connected:
            self.machine.look_at_new(job.setup, job.reality)
        write_turning_file(job, before)
        other = job.setup.stock != before.setup.stock or job.setup.holding != before.setup.holding
        stale = self._out_of_date(job.setup, before.setup)
        said = [replace(one.setup, targets=(), approach=before.setup.approach) for one in (job, before)]
        self._holder.job = self.desk.job = job
        self.machine.setup, self.machine.reality = job.setup, job.reality
        if other:
            self.machine.spindle = 5
            self.machine.new_stock()
            self.zero.clamped_anew()
        elif said[0] != said[1]:
            self.zero.leave()  # what was proposed counts by the tool, the gauge and the zero as they were
        self.targets.choose(0) if job.setup.targets else None
        if stale:
            note = "the set-up was described otherwise"
            self.ledger.add_all([self.ledger.entry(EntryKind.STALE, row, None, note=note) for row in stale])

    def _out_of_date(self, now: LatheSetup, before: LatheSetup) -> list[str]:
        """Rows whose values counted with what is described otherwise now."""
        there = {tool.offset for tool in before.tools}
        rows = [*self.rows(), *(geometry_row(tool.offset) for tool in now.tools if tool.offset in there)]
        settled = [row for row in rows if self.ledger.facts(row).state.is_settled]
        return [row for row in settled if self._counted_by(row, now) != self._counted_by(row, before)]

    def targets_from_drawing(self, depth: float = 1.5, finish: float = 0.3) -> int:
        """Take all targets from the drawing, after those that are there; how many came. Raises JobError."""
        there = {(target.x, target.z) for target in self.job.setup.targets}
        new = [
            target
            for target in targets_of(self.job.setup.part, self.job.setup.tools, depth=depth, finish=finish)
            if (target.x, target.z) not in there
        ]
        lines = [*self.job.file.setup.targets, *(target_words(target, float(self.job.unit.in_mm)) for target in new)]
        if new:
            self.change("targets", lines)
        return len(new)

    def note_crash(self, error: BriskAnchorError) -> None:
        """After a crash no geometry is sure. Raises BookWriteError."""
        tool = self.machine.tool
        if isinstance(error, CrashError) and tool is not None:
            row = geometry_row(tool.offset)
            if self.ledger.facts(row).state.is_settled:
                self.ledger.add_all([self.ledger.entry(EntryKind.STALE, row, None, note="it crashed")])


def target_words(target: Target, unit: float) -> str:
    """A target as it is typed, in a unit of so many mm."""

    def figure(value: float) -> str:
        text = fixed(value / unit, 6).rstrip("0").rstrip(".")
        return text or "0"

    words = [f"{target.name.replace(':', ' ').replace(',', '')}:"]
    if target.x is not None:
        words.append(f"⌀{figure(target.x)}")
    if target.z is not None:
        words.append(f"z {figure(target.z)}")
    if target.inside:
        words.append("inside")
    if target.depth:
        words.append(f"depth {figure(target.depth)} finish {figure(target.finish)}")
    if target.spring:
        words.append(f"spring {target.spring}")
    return " ".join(words)
