"""Tools of the turret at work: new inserts, wear after measuring, a presetter's list, a tool changed on a readout."""

from __future__ import annotations

from pathlib import Path

from brisk_anchor.book.entries import Entry, EntryKind
from brisk_anchor.core.errors import DatumError
from brisk_anchor.core.offsets.chain import Chain
from brisk_anchor.core.offsets.checks import Finding, stop_where_found
from brisk_anchor.core.quantities import dim, signed_dim
from brisk_anchor.core.turning.looks import look_at_wear
from brisk_anchor.core.turning.setup import geometry_row, wear_row
from brisk_anchor.core.turning.sums import TurningSum, TurningTerm, first_cut_wear
from brisk_anchor.core.turning.tools import Gauge, TurningTool
from brisk_anchor.core.turning.zero import chain_of, figure_chain, gauged
from brisk_anchor.core.uncertainty.estimates import Estimate
from brisk_anchor.core.uncertainty.sources import Source
from brisk_anchor.exchange.presetter import PresetTool, read_presetter
from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.nc.programs.program import Program
from brisk_anchor.services.turning.table_desk import TableDesk
from brisk_anchor.services.turning.zero_finder import ZeroFinder

USUAL_ALLOWANCE = 0.3
"""How much too large a new insert cuts first, mm of diameter, unless it is stated."""


@dataclass(frozen=True, slots=True)
class PresetChange:
    """A tool of a presetter's list against what its table holds, mm. `x` and `z` are what the table becomes.

    A presetter sees the sharp corner; the table of a tool that is referred to its nose's centre gets the centre's.
    """

    tool: TurningTool
    preset: PresetTool
    x: float
    z: float
    x_moves: float
    z_moves: float
    other_nose: bool

    @property
    def told(self) -> str:
        """The change in words."""
        nose = f", nose {dim(self.preset.nose or 0.0)}" if self.other_nose else ""
        return f"{self.tool.name} ⌀ {signed_dim(self.x_moves, 3)}, Z {signed_dim(self.z_moves, 3)}{nose}"


class ToolRoom:
    """Changes what the tables hold of tools; each change through the desk, so it is guarded, read back and entered."""

    def __init__(self, desk: TableDesk, zero: ZeroFinder) -> None:
        self.desk = desk
        self.zero = zero

    # -- inserts -----------------------------------------------------------------------------------------------

    def new_insert(self, tool: TurningTool, *, same_nose: bool, allowance: float | None = None) -> str:
        """A new insert: with the same nose, its wear becomes 0 and the first cut's allowance; with another nose the
        geometry has to be found anew. What was done, in words.

        Raises:
            DatumError: an allowance that makes no sense. RunStopped, PlanError, BookWriteError.
        """
        geometry = geometry_row(tool.offset)
        if not same_nose:
            entry = self.desk.ledger.entry(EntryKind.STALE, geometry, None, note="an insert with another nose radius")
            self.desk.ledger.add_all([entry])
            return (
                f"The geometry of {tool.name} is out of date: touch it anew, then state its nose radius in the set-up"
            )
        more = USUAL_ALLOWANCE if allowance is None else allowance
        if not 0 <= more <= 5:
            raise DatumError(f"A first cut {dim(more)} too large makes no sense", "", "0 to 5 mm")
        wear = first_cut_wear(more, inside=tool.kind.is_inside)
        label = "first-cut allowance of a new insert"
        chain = figure_chain(
            wear_row(tool.offset), [("x", Estimate(wear), label), ("z", Estimate(0.0), "a new insert")]
        )
        self._write_wear(chain, f"new insert in {tool.name}")
        return f"Wear of {tool.name}: ⌀ {signed_dim(wear, 3)}, Z 0. Cut, measure, then ⟨turret:w⟩ takes it back"

    def _gauge(self, tool: TurningTool, axis: str) -> Gauge:
        return self.zero.gauge("length" if axis == "z" else "bore" if tool.kind.is_inside else "diameter")

    def look_at_wear(self, tool: TurningTool, axis: str, wanted: float, actual: float) -> list[Finding]:
        """What is to be thought of before a wear is changed. Raises DatumError: no gauge measures that."""
        return look_at_wear(tool, wanted, actual, self._gauge(tool, axis).spread)

    def wear_after(self, tool: TurningTool, axis: str, wanted: float, actual: float) -> tuple[str, Program | None]:
        """Change a wear by wanted less actual, of a diameter (x) or a Z; what was done.

        Raises:
            SecondLookError: it is no wear. RunStopped, PlanError, BookWriteError.
        """
        gauge = self._gauge(tool, axis)
        stop_where_found(look_at_wear(tool, wanted, actual, gauge.spread))
        row = wear_row(tool.offset)
        terms = (
            TurningTerm("+", "wear as it is", self.desk.estimate(row, axis)),
            TurningTerm("+", "wanted", Estimate(wanted)),
            TurningTerm("−", f"measured, {gauge.name}", gauged(gauge, actual)),
        )
        total = TurningSum(f"wear {axis.upper()}", axis, terms)
        program = self._write_wear(chain_of(row, [(axis, total)]), f"measured {dim(actual, 3)} for {dim(wanted, 3)}")
        due = signed_dim(wanted - actual, 3)
        return f"Wear {axis.upper()} of {tool.name} changed by {due} to {signed_dim(total.result.value, 3)}", program

    def _write_wear(self, chain: Chain, note: str) -> Program | None:
        """Write a wear. Raises DatumError: the control has no table of it; else as `TableDesk.write`."""
        if self.desk.job.has_wear:
            return self.desk.write([chain], note)
        raise DatumError(
            "This control has no table of wear",
            "Nothing was written",
            "Find the geometry anew after measuring: ⟨bench:d⟩",
        )

    # -- a presetter's list ------------------------------------------------------------------------------------

    def preset(self, path: Path) -> list[PresetChange]:
        """What a list would change, tool by tool.

        Raises:
            DatumError: the job does not say which columns it has, or it lists none of these tools. TableFileError.
        """
        columns = self.desk.job.file.presetter
        if columns is None:
            raise DatumError(
                "The job does not say what the presetter's columns mean",
                "Diameters and radii would be mixed up",
                "State [presetter] in turning.toml: see docs/formats.md",
            )
        listed = {preset.number: preset for preset in read_presetter(path, columns)}
        found = []
        for tool in self.desk.job.setup.tools:
            if (preset := listed.get(tool.offset)) is None:
                continue
            row = geometry_row(tool.offset)
            x, z = tool.referred("x", preset.x), tool.referred("z", preset.z)
            found.append(
                PresetChange(
                    tool,
                    preset,
                    x,
                    z,
                    x - self.desk.figure(row, "x"),
                    z - self.desk.figure(row, "z"),
                    preset.nose is not None and abs(preset.nose - tool.nose_radius) > 1e-6,
                )
            )
        if not found:
            raise DatumError(f"{path.name} lists none of the tools in this turret", "", "Look at the numbers")
        return found

    def voided_by(self, changes: list[PresetChange]) -> list[str]:
        """The rows that hold no more where a list is taken: zeros found with a tool that it moves along Z, and what
        was measured against them by tools that it does not list.
        """
        desk, setup = self.desk, self.desk.job.setup
        moved = {change.tool.offset for change in changes if abs(change.z_moves) > desk.resolution}
        work = [row for row in dict.fromkeys((setup.row, *(m.row for m in setup.family))) if desk.is_known(row, "z")]
        if not any(desk.found_with(row, "z", offset) for row in work for offset in moved):
            return []
        listed = {change.tool.offset for change in changes}
        others = [geometry_row(tool.offset) for tool in setup.tools if tool.offset not in listed]
        return work + [row for row in others if desk.was_found(row, "z")]

    def take_presets(self, changes: list[PresetChange], name: str) -> Program | None:
        """Write the geometry of a list's tools, and zero their wear; what counted with others becomes out of date.

        Raises:
            DatumError, RunStopped, BookWriteError.
        """
        columns = self.desk.job.file.presetter
        others = [change.tool.name for change in changes if change.other_nose]
        if others:
            raise DatumError(
                f"The list has another nose radius for {', '.join(others)}",
                "The set-up and the insert do not agree",
                "Look at the insert, correct the set-up: ⟨5⟩",
            )
        spread = columns.spread if columns is not None else 0.0
        chains: list[Chain] = []
        for change in changes:
            offset = change.tool.offset
            figures = [
                (axis, Estimate(value, {Source(f"presetter, T{offset} {axis}", "presetter"): spread / 2}), "presetter")
                for axis, value in (("x", change.x), ("z", change.z))
            ]
            chains.append(figure_chain(geometry_row(offset), figures))
            wear = wear_row(offset)
            if any(self.desk.figure(wear, axis) for axis in "xz"):
                zero = [(axis, Estimate(0.0), "geometry from the presetter") for axis in ("x", "z")]
                chains.append(figure_chain(wear, zero))
        note = f"tools were measured anew, list {name}"
        stale = [self.desk.ledger.entry(EntryKind.STALE, row, None, note=note) for row in self.voided_by(changes)]
        return self.desk.write(chains, f"presetter's list {name}", more=stale)

    def part_clamped(self) -> list[str]:
        """Mark the part as clamped anew: zeros along Z become out of date. The rows. Raises BookWriteError."""
        ledger, setup = self.desk.ledger, self.desk.job.setup
        rows = dict.fromkeys([setup.row, *(member.row for member in setup.family)])
        stale: list[Entry] = []
        for row in rows:
            if self.desk.is_known(row, "z") and setup.holding.stop == "none":
                stale.append(ledger.entry(EntryKind.STALE, row, None, note="the part was clamped anew"))
        if stale:
            ledger.add_all(stale)
        self.zero.clamped_anew()
        return [entry.row for entry in stale]
