"""The tables of a lathe: what is known of each figure, and the one way anything is written to them.

On a machine with a control a program writes, guarded and read back; on a readout the figures are set and read again.
What was written is entered in the book, or nothing stays written.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import field, replace
from datetime import date

from brisk_anchor.book.entries import Entry, EntryKind, RowState
from brisk_anchor.core.errors import BriskAnchorError, DatumError
from brisk_anchor.core.numbers import is_whole
from brisk_anchor.core.offsets.chain import AxisChain, Chain, Term
from brisk_anchor.core.quantities import dim
from brisk_anchor.core.turning.setup import LatheSetup, Pair, geometry_row, wear_row
from brisk_anchor.core.turning.tools import TurningTool
from brisk_anchor.core.turning.zero import Held, comes_of_a_place, figure_chain
from brisk_anchor.core.uncertainty.estimates import Estimate
from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.nc.profile.control_profile import Profile
from brisk_anchor.nc.programs.program import Program
from brisk_anchor.nc.programs.turning_plan import NearLook, TableFigure, TurningPlan
from brisk_anchor.nc.write.writer import write_turning
from brisk_anchor.services.machine.runs import RunStopped
from brisk_anchor.services.rows.ledger import Ledger
from brisk_anchor.services.turning.lathe_file import LatheFile
from brisk_anchor.services.turning.lathe_runs import run_through
from brisk_anchor.services.turning.turning_job import TurningJob
from brisk_anchor.standin.lathe import LatheStandIn

SETTLED = 1e-9
"""Two figures no further apart than this, mm, are the same."""


@dataclass(frozen=True, slots=True)
class RowTitle:
    """A row that the job needs, as the book names it."""

    row: str
    title: str


@dataclass(frozen=True, slots=True)
class MachineTitle:
    """The lathe, as the book names it."""

    name: str


@dataclass(frozen=True, slots=True)
class LatheDescribed:
    """What the book's entries say of the set-up they were made in."""

    job: str
    machine: MachineTitle
    rows: tuple[RowTitle, ...]

    @classmethod
    def of(cls, setup: LatheSetup) -> LatheDescribed:
        """Work offsets of the family first, then geometry and wear of each tool."""
        rows = [RowTitle(member.row, member.name) for member in setup.family]
        if setup.row not in [row.row for row in rows]:
            rows.insert(0, RowTitle(setup.row, setup.part.name))
        for tool in setup.tools:
            rows.append(RowTitle(geometry_row(tool.offset), tool.title))
            rows.append(RowTitle(wear_row(tool.offset), tool.title))
        return cls(setup.job, MachineTitle(setup.lathe.name), tuple(rows))


@dataclass(frozen=True, slots=True)
class Written:
    """What was written last, and what stood there before: for taking it back."""

    program: Program | None
    chains: tuple[Chain, ...]
    before: tuple[Chain, ...] = ()


@dataclass(slots=True)
class TableDesk:
    """Reads and writes the tables of a lathe, and the book of them."""

    job: TurningJob
    machine: LatheStandIn
    ledger: Ledger
    file: LatheFile
    last: Written | None = None
    programs: dict[str, Program] = field(default_factory=dict)
    """The program that set a row last, by row."""

    @property
    def profile(self) -> Profile | None:
        """The control's profile, None on a readout."""
        return self.job.profile

    @property
    def resolution(self) -> float:
        """How far a table may lie off what was written, mm of a diameter: by its finest step, or the readout's.

        A word in inches has a coarser one.
        """
        return 2 * self.profile.rounding if self.profile is not None else self.job.setup.lathe.resolution

    # -- what is known -----------------------------------------------------------------------------------------

    def figure(self, row: str, axis: str) -> float:
        """What stands in a table, ours, by the name the book has for its row."""
        tables, at = self.machine.tables, 0 if axis == "x" else 1
        number, table = _tool_row(row)
        if not number:
            return self.machine.work(row)[at]
        held = tables.geometry if table == "geometry" else tables.wear
        return held.get(number, (0.0, 0.0))[at]

    def estimate(self, row: str, axis: str) -> Estimate:
        """The same with what the book knows of it, where the table still holds what was stored."""
        value, found = self.figure(row, axis), self._holds(row, axis)
        return Estimate(value, found.estimate.effects) if found is not None and found.stated else Estimate(value)

    def _stored(self, row: str, axis: str) -> AxisChain | None:
        """The chain of an axis as the book has it for what a row holds; None where it has none."""
        chain = self.ledger.chain_of_values(row)
        return next((item for item in chain.axes if item.axis == axis), None) if chain is not None else None

    def _holds(self, row: str, axis: str) -> AxisChain | None:
        """The same, where the table still holds what was stored."""
        found = self._stored(row, axis)
        return found if found is not None and self.agrees(row, axis, found.value) else None

    def agrees(self, row: str, axis: str, value: float) -> bool:
        """Whether a table holds a value as nearly as it can: a table of radii is off by a whole step of a diameter."""
        return abs(self.figure(row, axis) - value) <= self.resolution + SETTLED

    def is_known(self, row: str, axis: str) -> bool:
        """Whether a figure was set on purpose, and still stands in the table and holds."""
        if self.ledger.facts(row).state in (RowState.EMPTY, RowState.STALE, RowState.PART):
            return False
        found = self._holds(row, axis)
        return found is not None and found.written

    def was_found(self, row: str, axis: str) -> bool:
        """Whether a figure that holds was cut or touched for, not worked out from another row."""
        found = self._holds(row, axis)
        return self.is_known(row, axis) and found is not None and comes_of_a_place(found)

    def held(self, row: str, offset: int, axis: str) -> Held:
        """What stands in the tables for an axis of a row and a tool."""
        geometry, wear = geometry_row(offset), wear_row(offset)
        return Held(
            self.estimate(row, axis),
            self.estimate(geometry, axis),
            self.estimate(wear, axis),
            measured=self.is_known(geometry, axis),
            # With another insert in it a tool says how far it reaches now, also where it found the zero itself.
            set_here=self.is_known(row, axis) and (self._lost(geometry) or not self.found_with(row, axis, offset)),
        )

    def _lost(self, geometry: str) -> bool:
        """Whether a tool's geometry was right and is no more: another insert, a crash."""
        entries = self.ledger.history(geometry)
        return bool(entries) and entries[-1].kind is EntryKind.STALE

    def found_with(self, row: str, axis: str, offset: int) -> bool:
        """Whether a zero was found by this very tool: what it says of the part again is that zero again."""
        found, tool = self._stored(row, axis), self.job.setup.tool(offset)
        return found is not None and any(term.label == f"geometry of {tool.name}" for term in found.terms)

    def reach_holds(self, row: str, offset: int, axis: str) -> bool:
        """Whether a tool's position counts with a zero: a figure stands in its table, or was found to be 0.

        Along Z a tool that found a zero itself counts with 0 there; so it does with the zeros that follow that one.
        """
        geometry = geometry_row(offset)
        if self._lost(geometry):
            return False
        if self.figure(geometry, axis) or self.is_known(geometry, axis):
            return True
        if axis == "x":
            return False
        family = [member.row for member in self.job.setup.family] if self.job.setup.member(row) is not None else []
        return any(self.found_with(name, "z", offset) for name in dict.fromkeys((row, *family)))

    def corner(self, tool: TurningTool, axis: str) -> Estimate:
        """The geometry of a tool's sharp corner: what stands in its table, less what leads to the nose's centre."""
        held = self.estimate(geometry_row(tool.offset), axis)
        return Estimate(held.value - tool.referred(axis, 0.0), held.effects)

    def shift(self, row: str, offset: int) -> Pair:
        """Machine less program position of a tool's sharp corner with a row and an offset in force, ours."""
        tool = next((tool for tool in self.job.setup.tools if tool.offset == offset), None)
        x, z = (
            self.figure(row, axis) + self.corner(tool, axis).value + self.figure(wear_row(offset), axis)
            if tool is not None
            else self.figure(row, axis)
            for axis in ("x", "z")
        )
        return x, z

    # -- writing -----------------------------------------------------------------------------------------------

    def whole(self, chain: Chain) -> Chain:
        """The chain with the axis it does not set: as it stands, or as it was set before."""
        axes = {axis.axis: axis for axis in chain.axes}
        for name in ("x", "z"):
            if name not in axes:
                axes[name] = self._kept(chain.row, name)
        return replace(chain, axes=(axes["x"], axes["z"]))

    def _kept(self, row: str, axis: str) -> AxisChain:
        if (found := self._holds(row, axis)) is not None:
            return found
        value = self.figure(row, axis)
        term = Term("", f"{axis.upper()} as in the table", value)
        return AxisChain(axis, value, 0.0, (term,), written=False, stated=False)

    def plan(self, title: str, figures: Sequence[TableFigure], expected: Sequence[TableFigure]) -> TurningPlan:
        """The plan that writes figures where the tables still hold what is expected."""
        setup, file = self.job.setup, self.job.file
        return TurningPlan(
            number=self.number(figures[0].title if figures else setup.row),
            title=f"{title}  {file.comment}".strip(),
            machine=setup.lathe.name,
            part=setup.part.name,
            date=date.today().isoformat(),
            identity=_identity(figures),
            expected=tuple(expected),
            writes=tuple(figures),
        )

    def number(self, row: str) -> int:
        """The number of the program that sets a row: those of a job count on from its own."""
        rows = [item.row for item in LatheDescribed.of(self.job.setup).rows]
        return self.job.setup.program + 1 + (rows.index(row) if row in rows else len(rows))

    def write(
        self,
        chains: Sequence[Chain],
        note: str,
        *,
        uses: Sequence[tuple[str, str]] = (),
        more: Sequence[Entry] = (),
    ) -> Program | None:
        """Write what chains set, read it back, enter it; or leave all as it was. The program, None on a readout.

        Args:
            chains: what is set.
            note: why, for the book.
            uses: rows and axes of tables that it was worked out with: they must still hold what they did.
            more: entries of the book that go with it, or not at all.

        Raises:
            DatumError: a row is locked. RunStopped: the control refused, or holds something else after it.
            PlanError: the control has no such table. BookWriteError.
            ExportError: another window moved this lathe meanwhile.
        """
        self.file.compare()
        for chain in chains:
            if self.ledger.locked(chain.row):
                raise DatumError(
                    f"{chain.row} is locked", "Nothing writes it while it is", "Unlock it in the book, if that is meant"
                )
        figures = [
            figure_of(chain.row, axis.axis, self.rounded(chain.row, axis.axis, axis.value))
            for chain in chains
            for axis in chain.axes
            if axis.written
        ]
        looked_at = dict.fromkeys([*((f.title, f.axis) for f in figures), *uses])
        expected = [figure_of(row, axis, self.figure(row, axis)) for row, axis in looked_at]
        before = self.machine.tables.copy()
        held = tuple(self._as_it_was(chain) for chain in chains)
        program: Program | None = None
        try:
            if self.profile is None:
                self.put(figures)
            else:
                program = write_turning(self.plan(f"set {chains[0].row}", figures, expected), self.profile)
                run_through(program, self.profile, self.machine)
            self._read_back(figures)
            by = f"set by {program.label}" if program is not None else "set on the readout"
            entries = [self.ledger.entry(EntryKind.STORED, c.row, self.whole(c), note=f"{note}; {by}") for c in chains]
            self.ledger.add_all([*entries, *more])
        except BriskAnchorError:
            self.machine.tables = before  # no value stays in a table that failed a check, or that no book has
            raise
        self.file.save(self.machine)
        self.last = Written(program, tuple(chains), held)
        if program is not None:
            self.programs |= {chain.row: program for chain in chains}
        return program

    def rounded(self, row: str, axis: str, value: float) -> float:
        """A figure as the table will hold it, ours: a table of radii has steps of twice its resolution in diameter."""
        step = self.profile.resolution if self.profile is not None else self.resolution
        lathe = self.job.lathe
        number, table = _tool_row(row)
        form = None if lathe is None else lathe.table(table) if number else lathe.work_offset
        if form is None:
            return round(value / step) * step
        return form.ours(axis, round(form.shown(axis, value) / step) * step)

    def put(self, figures: Sequence[TableFigure]) -> None:
        """Set figures as they are, without a program: on a readout, or as the book knows them."""
        tables = self.machine.tables
        for figure in figures:
            if not figure.number:
                tables.work[figure.row] = _with(self.machine.work(figure.row), figure)
                continue
            held = tables.geometry if figure.table == "geometry" else tables.wear
            held[figure.number] = _with(held.get(figure.number, (0.0, 0.0)), figure)

    def _read_back(self, figures: Sequence[TableFigure]) -> None:
        for figure in figures:
            now = self.figure(figure.title, figure.axis)
            if abs(now - figure.value) > 2 * self.resolution + SETTLED:
                raise RunStopped(
                    f"{figure.title} {figure.axis.upper()} reads {dim(now, 4)} after it was written, not "
                    f"{dim(figure.value, 4)}",
                    "The control did not take it",
                    "Look whether its table is locked, and whether the profile is this control's",
                )

    def take_back(self) -> tuple[str, ...]:
        """Write what stood in the tables before the last writing; the rows. Raises DatumError: nothing was written."""
        if self.last is None:
            raise DatumError("Nothing was stored since the job was opened", "There is nothing to take back", "")
        before = self.last.before
        self.write(before, "taken back")
        self.last = None
        return tuple(chain.row for chain in before)

    def _as_it_was(self, chain: Chain) -> Chain:
        """What a row held before a chain is written to it, in the axes it sets, with the chain it had."""
        axes = [axis.axis for axis in chain.axes if axis.written]
        known = self.ledger.chain_of_values(chain.row)
        if known is not None and all(self.agrees(chain.row, a.axis, a.value) for a in known.axes):
            return replace(known, axes=tuple(replace(a, written=True) for a in known.axes if a.axis in axes))
        figures = [(axis, Estimate(self.figure(chain.row, axis)), "as it was before") for axis in axes]
        return figure_chain(chain.row, figures)

    def near_look(self, row: str, offset: int) -> NearLook:
        """Where a tool is brought near a row's zero, for a person to look: before the stock, then to its face."""
        setup = self.job.setup
        tool = setup.tool(offset)
        clear, front = setup.clearance, setup.zero_from_face + setup.stock.front + tool.leads
        x = setup.stock.diameter + 2 * clear
        return NearLook(
            row,
            tool.station,
            offset,
            x,
            front + clear,
            (x + 2 * clear, front + 4 * clear),
            setup.lathe.index_at,
            (-tool.referred("x", 0.0), -tool.referred("z", 0.0)),
        )


def _tool_row(row: str) -> tuple[int, str]:
    """Offset number and table of a tool's row, (0, "") of a work offset."""
    name, _, table = row.partition(" ")
    if table in ("geometry", "wear") and name[:1] == "T" and is_whole(name[1:]):
        return int(name[1:]), table
    return 0, ""


def figure_of(row: str, axis: str, value: float) -> TableFigure:
    """A figure of a table by the name the book has for its row."""
    number, table = _tool_row(row)
    return TableFigure(axis, value, "" if number else row, number, table)


def _with(now: Pair, figure: TableFigure) -> Pair:
    return (figure.value, now[1]) if figure.axis == "x" else (now[0], figure.value)


def _identity(figures: Sequence[TableFigure]) -> int:
    """A number that ties a run's report to what its program was written for."""
    import zlib

    words = ";".join(f"{f.title}{f.axis}{f.value:.4f}" for f in figures)
    return zlib.crc32(words.encode()) % 9_999_999
