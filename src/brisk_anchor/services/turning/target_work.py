"""Cutting to targets at work: the next one, the way to go, the bell, passes, what a measured size corrects."""

from __future__ import annotations

from brisk_anchor.core.errors import DatumError
from brisk_anchor.core.offsets.checks import stop_where_found
from brisk_anchor.core.quantities import dim, signed_dim
from brisk_anchor.core.turning.looks import look_at_gauge
from brisk_anchor.core.turning.setup import Pair, geometry_row, wear_row
from brisk_anchor.core.turning.sums import TurningSum, TurningTerm
from brisk_anchor.core.turning.targets import ApproachStage, PassProgress, Target, correction
from brisk_anchor.core.turning.tools import TurningTool
from brisk_anchor.core.turning.zero import chain_of, gauged
from brisk_anchor.core.uncertainty.estimates import Estimate
from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.nc.programs.program import Program
from brisk_anchor.services.turning.table_desk import TableDesk
from brisk_anchor.services.turning.zero_finder import SizeMeasured, ZeroFinder


@dataclass(frozen=True, slots=True)
class ToGo:
    """How far it is along an axis: "x" a diameter, to the next stop and to the target itself; the stage it is in."""

    axis: str
    to_stop: float
    to_target: float
    stage: ApproachStage
    stop: float


@dataclass(frozen=True, slots=True)
class Offer:
    """A correction that a measured size proposes: measured, shown, and what the wear becomes; of which tool and row."""

    measured: float
    shown: float
    wear: float
    offset: int
    row: str

    @property
    def told(self) -> str:
        """The question."""
        return f"measured {dim(self.measured, 3)}, shown {dim(self.shown, 3)}: set {dim(self.measured, 3)}?"


class TargetWork:
    """The list of targets while it is worked off."""

    def __init__(self, desk: TableDesk, zero: ZeroFinder) -> None:
        self.desk = desk
        self.zero = zero
        self.done: set[str] = set()
        self._at = 0
        self._progress: PassProgress | None = None
        self._stages: dict[str, ApproachStage] = {}
        self.offer: Offer | None = None

    @property
    def targets(self) -> tuple[Target, ...]:
        """The list."""
        return self.desk.job.setup.targets

    @property
    def target(self) -> Target | None:
        """The one in hand."""
        return self.targets[min(self._at, len(self.targets) - 1)] if self.targets else None

    @property
    def number(self) -> int:
        """Its place in the list, from 0."""
        return min(self._at, max(0, len(self.targets) - 1))

    @property
    def finished(self) -> bool:
        """Whether every target is done."""
        return bool(self.targets) and all(target.name in self.done for target in self.targets)

    def place(self) -> Pair | None:
        """Program position of the tip, X a diameter; None where nobody knows it."""
        machine = self.desk.machine
        at = machine.place if self.zero.setup.lathe.connected else self.zero.typed
        if at is None:
            return None
        x, z = self.desk.shift(machine.active_row, machine.offset_number)
        return at[0] - x, at[1] + self.zero.slide - z

    # -- choosing ----------------------------------------------------------------------------------------------

    def choose(self, number: int) -> Target:
        """Take a target in hand. Raises DatumError: the list is empty."""
        if not self.targets:
            raise DatumError(
                "There are no targets",
                "Nothing to cut towards",
                "Add one: ⟨targets:a⟩, or all of the drawing: ⟨targets:A⟩",
            )
        self._at = number % len(self.targets)
        self._progress, self.offer, self._stages = None, None, {}
        return self.targets[self._at]

    def next(self) -> Target:
        """The next target that is not done, or the next one."""
        following = [(self._at + n) % len(self.targets) for n in range(1, len(self.targets) + 1)] or [0]
        open_ones = [n for n in following if self.targets and self.targets[n].name not in self.done]
        return self.choose((open_ones or following)[0])

    def plan_from(self, present: float) -> PassProgress:
        """Plan the passes of the target in hand from a diameter. Raises DatumError: there is nothing to cut."""
        target = self._target()
        if target.x is None:
            raise DatumError(f"{target.name} has no diameter", "There are no passes to plan", "Face to its Z")
        stops = target.stops(present)
        if not stops:
            raise DatumError(
                f"From ⌀{dim(present, 3)} nothing is to be cut to {target.name}", "It is there already, or past it", ""
            )
        self._progress = PassProgress(target, tuple(stops))
        return self._progress

    def _target(self) -> Target:
        if (target := self.target) is None:
            raise DatumError(
                "There are no targets",
                "Nothing to cut towards",
                "Add one: ⟨targets:a⟩, or all of the drawing: ⟨targets:A⟩",
            )
        return target

    @property
    def progress(self) -> PassProgress | None:
        """The passes of the target in hand, None where it has no diameter."""
        target = self.target
        if target is None or target.x is None:
            return None
        if self._progress is None or self._progress.target is not target:
            self._progress = PassProgress(target, tuple(self._usual_stops(target)))
        return self._progress

    def _usual_stops(self, target: Target) -> list[float]:
        """Passes from the stock, or from the last diameter that was measured."""
        known = self.zero.known.diameter(bore=target.inside)
        stock = self.zero.setup.stock
        sizes = [stock.bore if target.inside else stock.diameter]
        if known is not None:
            sizes.append(known.figure.value)
        here = -1e9 if target.z is None else target.z
        sizes += [
            other.x
            for other in self.targets
            if other.name in self.done and other.inside == target.inside and other.x and (other.z or 0.0) <= here
        ]
        present = max(sizes) if target.inside else min(sizes)
        return target.stops(present) if present else [target.x or 0.0]

    def pass_done(self) -> PassProgress | None:
        """One pass is cut. None where the target is finished by it: it is marked as done."""
        progress, target = self.progress, self._target()
        if progress is None or progress.passes_left <= 1:
            self.done.add(target.name)
            return None
        self._progress = progress.after_pass()
        self._stages = {}
        return self._progress

    # -- the way to go -----------------------------------------------------------------------------------------

    def to_go(self) -> list[ToGo]:
        """How far it is along each axis of the target in hand; nothing where no position is known."""
        target, place = self.target, self.place()
        if target is None or place is None or not self.has_zero:
            return []
        approach, step = self.zero.setup.approach, self.zero.setup.lathe.resolution
        found = []
        counts = [axis for axis in "xz" if axis not in self.unknown_reach]
        if target.x is not None and "x" in counts:
            progress = self.progress
            stop = progress.stop if progress is not None and progress.stop is not None else target.x
            way = target.to_go_x(place[0], stop)
            found.append(ToGo("x", way, target.to_go_x(place[0]), approach.stage(way, step), stop))
        if target.z is not None and "z" in counts:
            way = target.to_go_z(place[1])
            found.append(ToGo("z", way, way, approach.stage(way, step), target.z))
        return found

    @property
    def unknown_reach(self) -> str:
        """The axes along which nobody knows how far the tool at the work reaches: "", "x", "z" or "xz"."""
        machine = self.desk.machine
        tool = machine.tool
        if tool is None:
            return ""
        return "".join(a for a in "xz" if not self.desk.reach_holds(machine.active_row, tool.offset, a))

    @property
    def has_zero(self) -> bool:
        """Whether the work offset in force was set on purpose: without it a way to go means nothing."""
        return self.desk.is_known(self.desk.machine.active_row, "z")

    def bell(self) -> bool:
        """Whether the bell rings now: a stage that rings was come into since it was last asked."""
        rings = False
        for item in self.to_go():
            before = self._stages.get(item.axis)
            rings = rings or (before is not None and before is not item.stage and item.stage.rings)
            self._stages[item.axis] = item.stage
        return rings

    # -- what a measured size says -----------------------------------------------------------------------------

    def measured(self, size: float) -> Offer:
        """Compare a size that was measured between passes with what is shown.

        Raises:
            DatumError: nothing is shown, or they lie too far apart. SecondLookError: a radius, or no gauge for it.
        """
        target, place = self._target(), self.place()
        tool = self.desk.machine.tool
        if place is None or tool is None:
            raise DatumError(
                "Where the tip stands is not known", "Nothing can be compared", "Type the position: ⟨targets:h⟩"
            )
        what = "bore" if target.inside else "diameter"
        shown = self._cut_at(place, tool)
        stop_where_found(look_at_gauge(self.zero.gauge(what), what, size, shown))
        wear = self.desk.figure(wear_row(tool.offset), "x") + correction(size, shown)
        self.offer = Offer(size, shown, wear, tool.offset, self.desk.machine.active_row)
        return self.offer

    def _cut_at(self, place: Pair, tool: TurningTool) -> float:
        """The diameter that the readout showed at the last cut, where it tells; else what it shows now."""
        machine = self.desk.machine
        if self.zero.setup.lathe.connected and machine.cut_at is not None:
            if machine.cut_by != tool.offset or machine.cut_along != "z":
                cut = "a face" if machine.cut_by == tool.offset else f"by offset {machine.cut_by}"
                raise DatumError(
                    f"The last cut was {cut}, and {tool.name} stands at the work",
                    "What it cut would not be compared with what was measured",
                    "Cut the diameter with this tool, then measure it",
                )
            return machine.cut_at[0] - self.desk.shift(machine.active_row, machine.offset_number)[0]
        return place[0]

    def take_offer(self) -> tuple[str, Program | None]:
        """Correct the rest by the measured size. Raises DatumError: none was measured. RunStopped, BookWriteError."""
        offer, tool = self.offer, self.desk.machine.tool
        if offer is None or tool is None:
            raise DatumError(
                "No size was measured", "There is nothing to correct", "Measure, then type it: ⟨targets:f⟩"
            )
        if (offer.offset, offer.row) != (tool.offset, self.desk.machine.active_row):
            self.offer = None
            raise DatumError(
                f"{tool.name} with {self.desk.machine.active_row} is at work now; the size was measured with another",
                "The correction would go to the wrong tool",
                "Measure what this one cut: ⟨targets:f⟩",
            )
        target = self._target()
        worn = self.desk.job.has_wear
        row = wear_row(tool.offset) if worn else geometry_row(tool.offset)
        gauge = self.zero.gauge("bore" if target.inside else "diameter")
        terms = (
            TurningTerm("+", "as it is", self.desk.estimate(row, "x")),
            TurningTerm("+", "shown", Estimate(offer.shown)),
            TurningTerm("−", f"measured, {gauge.name}", gauged(gauge, offer.measured)),
        )
        total = TurningSum("wear X" if worn else "geometry X", "x", terms)
        program = self.desk.write([chain_of(row, [("x", total)])], f"{target.name} between passes")
        self.offer = None
        seen = SizeMeasured(gauged(gauge, offer.measured), self.desk.machine.turned[target.inside])
        self.zero.known = self.zero.known.with_diameter(seen, inside=target.inside)
        progress = self.progress
        if progress is not None and target.x is not None:
            self._progress = progress.again_from(offer.measured)
        self._stages = {}
        moved = signed_dim(offer.shown - offer.measured, 3)
        return f"{row} changed by {moved}: the readout shows {dim(offer.measured, 3)} where it was cut", program
