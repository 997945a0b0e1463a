"""Inspecting on the bench: what was measured in this clamping, judged by what the drawing asks, kept in the book."""

from __future__ import annotations

import re
from dataclasses import replace
from datetime import UTC, datetime

from brisk_anchor.book.entries import RESULTS, EntryKind
from brisk_anchor.core.errors import InspectionError
from brisk_anchor.core.features.touches import Stylus
from brisk_anchor.core.inspection.characteristic import Actual, Evidence, judge, mastered_by
from brisk_anchor.core.inspection.correction import Correction, CutPart, Due, Way, due, propose
from brisk_anchor.core.inspection.many_parts import scatter_of
from brisk_anchor.core.offsets.conditions import Conditions
from brisk_anchor.core.offsets.setup import PlaceOnFixture, Setup
from brisk_anchor.core.quantities import signed_dim
from brisk_anchor.core.uncertainty.estimates import Estimate
from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.nc.read.port import LENGTH_WEAR, RADIUS_WEAR
from brisk_anchor.services.job.characteristics import Asked, asked_of, by_of
from brisk_anchor.services.results.inspected import (
    CharacteristicLine,
    Corrected,
    InspectedPart,
    line_of,
    loaded,
    short_words,
)
from brisk_anchor.services.results.over_parts import Series
from brisk_anchor.services.rows.evidence import evidence_of
from brisk_anchor.services.rows.ledger import plain
from brisk_anchor.services.rows.offset_solver import OffsetSolver
from brisk_anchor.services.rows.working_state import WorkingState
from brisk_anchor.services.session.session import Session

KEPT = 500
"""So many of the newest parts are held in memory."""
_LOOKED_BACK = 20
"""In so many of the newest parts it is looked whether a change stands with one of them already."""
_MOST_OFF = 0.1
"""How far, mm, a machine may find a master off."""
COLUMNS = {"radius wear": RADIUS_WEAR, "length wear": LENGTH_WEAR}


def _title(serial: str) -> str:
    return f"part {serial}"


_SERIAL = re.compile(r"^[\w./ -]{1,24}$")


@dataclass(frozen=True, slots=True)
class Mastered:
    """What a ring was found off by, with what that holds; and when it was measured, in the place of which feature."""

    off: Estimate
    holds_with: tuple[Stylus, Conditions]
    feature: str
    at: datetime | None


class Inspection:
    """What a drawing asks, what was found of it, and what follows. Reads the session; adds only to the book."""

    def __init__(self, session: Session, *, newest: int | None = KEPT) -> None:
        """Open what was inspected: so many of the newest parts; None is all.

        Raises:
            InspectionError: words of the drawing mean nothing. BookError: the book cannot be read.
        """
        self.session = session
        self._most = newest
        self._since = datetime.now(UTC).isoformat(timespec="seconds")
        self.asked = asked_of(session.setup, session.profile.tool_radius)
        self.parts: list[InspectedPart] = []
        self.mastered: dict[str, Mastered] = {}
        """By balloon what a ring or master, measured in its place, was found off by: taken off, with its ±."""
        self._seen = 0
        self.refresh()

    @property
    def setup(self) -> Setup:
        """The set-up as it is described now."""
        return self.session.setup

    def follow(self, before: Inspection) -> None:
        """Take over what another one of the same book knows beyond it: its masters, and parts entered meanwhile."""
        self.mastered |= before.mastered
        if before._seen > self._seen or self.session.ledger.book is None:
            self.parts, self._seen = list(before.parts), before._seen

    # -- what is known of a part now -----------------------------------------------------------------------------

    @property
    def places(self) -> list[PlaceOnFixture | None]:
        """Where parts are: the places of a fixture of many that are not empty, else the one that has no name."""
        return [place for place in self.setup.places if not place.empty] or [None]

    def asked_at(self, place: PlaceOnFixture | None) -> list[Asked]:
        """What is asked of the part at a place."""
        if place is None:
            return self.asked
        at = {asked: self.setup.place_of(asked.characteristic.feature) for asked in self.asked}
        return [asked for asked, there in at.items() if there is not None and there.name == place.name]

    def evidence(self, working: WorkingState | None = None, solver: OffsetSolver | None = None) -> Evidence:
        """What characteristics are judged by: features measured in this clamping, rows of them, machine and room.

        `working` and `solver` are those of another run than the session's own.
        """
        session = self.session
        rows = {asked.characteristic.row for asked in self.asked if asked.characteristic.row}
        holding = (self.setup.stylus, self.setup.conditions)
        mastered = {balloon: ring.off for balloon, ring in self.mastered.items() if ring.holds_with == holding}
        found = evidence_of(
            working or session.working, solver or session.solver, session.ledger, session.link, rows, mastered
        )
        if working is not None:
            return found
        return replace(found, features={n: f for n, f in found.features.items() if n not in self._of_rings()})

    def _of_rings(self) -> set[str]:
        """Features in whose place a ring was measured last, and not the part."""
        return {ring.feature for ring in self.mastered.values() if self._measured_at(ring.feature) == ring.at}

    def _measured_at(self, feature: str) -> datetime | None:
        """When a feature was measured, or the first that it is made of; None where it was not."""
        known = self.session.measured
        return min((known[name].at for name in self.setup.touched([feature]) if name in known), default=None)

    def actuals(self, place: PlaceOnFixture | None, evidence: Evidence) -> dict[str, Actual | str]:
        """By balloon what was found, or why nothing can be said."""
        found: dict[str, Actual | str] = {}
        for asked in self.asked_at(place):
            try:
                found[asked.balloon] = judge(asked.characteristic, evidence)
            except InspectionError as error:
                ring = self._of_rings().intersection(asked.characteristic.names)
                found[asked.balloon] = "its master was measured, and not the part" if ring else error.what
        return found

    def part_now(self, place: PlaceOnFixture | None = None, evidence: Evidence | None = None) -> InspectedPart:
        """The part as it stands: every characteristic, judged as far as it was measured."""
        known = self.evidence() if evidence is None else evidence
        found = self.actuals(place, known)
        lines = []
        for asked in self.asked_at(place):
            actual = found[asked.balloon]
            by = by_of(asked.way)
            wear = self.figure_when(asked.way, asked.characteristic.feature) if asked.way is not None else None
            line = line_of(asked, actual if isinstance(actual, Actual) else None, by, wear)
            lines.append(line if isinstance(actual, Actual) else replace(line, notes=(str(actual),)))
        now = datetime.now(UTC).isoformat(timespec="milliseconds")
        return InspectedPart(
            part=self.setup.part,
            serial="",
            at=now,
            machine=self.setup.machine.name,
            job=self.setup.job,
            who=plain(self.session.ledger.who, 60),
            place=place.name if place is not None else "",
            clamping=f"{self._since}/{self.session.working.clamping}",
            source="stand-in" if self.setup.machine.connected else "typed" if self.session.real is None else "control",
            lines=tuple(lines),
            corrected=self._answered(lines),
        )

    def _answered(self, lines: list[CharacteristicLine]) -> tuple[Corrected, ...]:
        """What was changed after this part was measured and stands with no part: the control answers by itself too."""
        known = {change for part in self.parts[-_LOOKED_BACK:] for change in part.corrected}
        made = []
        for change in self.session.working.figures_changed:
            one = Corrected(change.by, change.old, change.new, change.why)
            ats = [self._measured_at(line.feature) for line in lines if line.by == change.by and line.value is not None]
            if one not in known and any(at is not None and at <= change.at for at in ats):
                made.append(one)
        return tuple(made)

    # -- the parts that were inspected ---------------------------------------------------------------------------

    def refresh(self) -> None:
        """Read the parts that the book has and that are not known yet. Raises BookError."""
        book = self.session.ledger.book
        if book is None:
            return
        for number, text in book.inspected(
            self.setup.machine.name, self.setup.job, after=self._seen, newest=self._most
        ):
            self._seen = max(self._seen, number)
            self._add(loaded(text))
        if self._most is not None:
            del self.parts[: -self._most]

    def _add(self, part: InspectedPart) -> None:
        """Add a part; one more entry of the same inspection stands in the place of the one before."""
        if self.parts and (self.parts[-1].serial, self.parts[-1].at) == (part.serial, part.at):
            self.parts.pop()
        self.parts.append(part)

    def next_serial(self) -> str:
        """The number after the last one, where that ends in a figure."""
        last = self.parts[-1].serial if self.parts else ""
        found = re.search(r"([0-9]+)$", last)
        if found is None:
            return "1" if not last else f"{last}-2"
        return f"{last[: found.start()]}{int(found[1]) + 1:0{len(found[1])}d}"

    def take(
        self,
        serial: str,
        place: PlaceOnFixture | None = None,
        *,
        again: bool = False,
        part: InspectedPart | None = None,
        note: str = "",
    ) -> InspectedPart:
        """Enter the part that was measured into the book, under a serial number.

        Args:
            serial: its number; `again`: it is inspected again, after it was cut again say.
            place: where on the fixture it is.
            part: what was found of it; None: as it stands now.

        Raises:
            InspectionError: the number is used already or none, or nothing was measured. BookWriteError.
        """
        found = self._numbered(part or self.part_now(place), serial.strip(), again=again, now=part is None)
        found = replace(found, note=plain(note, 200))
        self._enter([found])
        return found

    def take_all(self, serial: str, *, again: bool = False) -> list[InspectedPart]:
        """Enter the parts of all places, all or none; on a fixture of many each has its place behind the number.

        Raises:
            InspectionError: like `take`, for any of them. BookWriteError.
        """
        numbers = {place: serial.strip() + (f"-{place.name}" if place is not None else "") for place in self.places}
        found = [
            self._numbered(self.part_now(place), number, again=again, now=True) for place, number in numbers.items()
        ]
        self._enter(found)
        return found

    def _numbered(self, part: InspectedPart, serial: str, *, again: bool, now: bool) -> InspectedPart:
        """A part under its number. Raises InspectionError where it may not be entered under that, or not at all."""
        if not _SERIAL.match(serial):
            raise InspectionError("A serial number has letters, figures, . / - and 24 places at most", "", "As 17")
        found = replace(part, serial=serial)
        where = f" at {found.place}" if found.place else ""
        if all(line.value is None for line in found.lines):
            raise InspectionError(
                f"Nothing of this part was measured{where}", "There is nothing to enter", "Measure it first"
            )
        if not again and self._known(found.serial):
            raise InspectionError(
                f"There is a part {found.serial} already",
                "Two parts under one number could not be told apart",
                f"Take {self.next_serial()}, or say that it is inspected again: {found.serial} again",
            )
        before = next((p for p in reversed(self.parts) if (p.clamping, p.place) == (found.clamping, found.place)), None)
        ats = [at for line in found.lines if (at := self._measured_at(line.feature)) is not None]
        if now and not again and before is not None and ats and max(ats) <= datetime.fromisoformat(before.at):
            raise InspectionError(
                f"Nothing was measured since part {before.serial} was entered{where}",
                "The next part would have its figures",
                "Clamp the next part, and measure it",
            )
        return found

    def _known(self, serial: str) -> bool:
        book = self.session.ledger.book
        if book is not None and book.was_inspected(self.setup.machine.name, self.setup.job, _title(serial)):
            return True
        return any(known.serial == serial for known in self.parts)

    def enter_all(self, parts: list[InspectedPart]) -> None:
        """Enter many parts at once, all or none. Raises BookWriteError."""
        self._enter(parts)

    def _enter(self, parts: list[InspectedPart]) -> None:
        ledger = self.session.ledger
        entries = []
        for part in parts:
            entry = ledger.entry(EntryKind.INSPECTED, RESULTS, None, note=short_words(part), title=_title(part.serial))
            entries.append(replace(entry, result=part.dumped(), at=datetime.fromisoformat(part.at)))
        ledger.add_all(entries)
        if ledger.book is not None:
            self.refresh()
        else:
            for part in parts:
                self._add(part)

    # -- what is corrected ---------------------------------------------------------------------------------------

    def figure_now(self, way: Way) -> float:
        """The figure that a way corrects, as the control has it now, mm."""
        if way.target == "row":
            return self.session.link.table_values(way.row)[way.axis]
        return self.session.link.tool_figure(way.tool, COLUMNS[way.target])

    def figure_when(self, way: Way, feature: str) -> float:
        """That figure as it stood when a feature was measured, mm: the cut was made before; as now, where it was not.

        What was typed into the control's own table meanwhile nobody knows.
        """
        if (at := self._measured_at(feature)) is None:
            return self.figure_now(way)
        if way.target == "row":
            stored = [e for e in self.session.ledger.history(way.row) if e.kind is EntryKind.STORED]
            before = [entry for entry in stored if entry.at <= at]
            if before and before[-1] is not stored[-1] and way.axis in before[-1].values:
                return before[-1].values[way.axis]
            return self.figure_now(way)
        changes = [c for c in self.session.working.figures_changed if c.by == by_of(way) and c.at >= at]
        return changes[0].old if changes else self.figure_now(way)

    def correction(self, asked: Asked) -> Correction | None:
        """What the parts since the last change ask for; None where nothing says what cut it.

        Raises:
            InspectionError: the sign cannot be known, or the control's table lacks the tool.
        """
        if asked.way is None:
            return None
        lines = [line for part in self.parts if (line := part.line(asked.balloon)) is not None]
        cut = [one for line in lines if (one := line.part()) is not None]
        figures = [line.value for line in lines if line.value is not None]
        scatter = scatter_of(figures[-50:])
        return propose(
            cut,
            self.figure_now(asked.way),
            asked.way,
            asked.rule,
            diameter=asked.characteristic.what.is_size,
            scatter=scatter,
        )

    def due(self, asked: Asked, series: Series) -> Due | None:
        """When a drift asks for the next correction, and of how much; None where it does not."""
        parts = self.cut_parts(asked.balloon)[-5:]
        if asked.way is None or series.drift is None or not parts:
            return None
        dead = max(asked.rule.within(scatter_of(series.values[-50:])), *(part.expanded for part in parts))
        diameter = asked.characteristic.what.is_size
        return due(series.drift, parts[-1], series.limits.target, asked.way, asked.rule, dead, diameter=diameter)

    def corrected(self, asked: Asked, correction: Correction) -> Corrected:
        """A correction as it is entered with the part."""
        return Corrected(by_of(correction.way), correction.old, correction.new, "; ".join(correction.steps))

    def note_corrected(self, corrected: Corrected) -> None:
        """Enter a correction: with the newest part, as one more entry of it. Raises BookWriteError."""
        if self.parts:
            last = self.parts[-1]
            self._enter([replace(last, corrected=(*last.corrected, corrected), note="corrected after it")])

    def master(self, balloon: str, certified: float, u: float) -> Estimate:
        """Take what was measured now for a ring or master of that size, and take its error off from here on.

        It holds as long as the probe has the same figures, and machine and room are stated alike. What was measured is
        the ring then, and not the part.

        Args:
            balloon: the characteristic that it stands in for.
            certified: its size, mm, and `u` the standard uncertainty of that.

        Raises:
            InspectionError: it is no size, or nothing was measured, or it is far off.
        """
        asked = self.by_balloon(balloon)
        found = mastered_by(asked.characteristic, self.evidence(), certified, u)
        if abs(found.value) > _MOST_OFF:
            raise InspectionError(
                f"The master was found {signed_dim(found.value, 4)} off",
                "That is no error of a machine",
                "Look whether it is the right ring, and clean",
            )
        feature, known = asked.characteristic.feature, self._measured_at(asked.characteristic.feature)
        self.mastered[balloon] = Mastered(found, (self.setup.stylus, self.setup.conditions), feature, known)
        return found

    def by_balloon(self, balloon: str) -> Asked:
        """What stands under a number on the drawing. Raises InspectionError: nothing does."""
        for asked in self.asked:
            if asked.balloon == balloon:
                return asked
        known = ", ".join(asked.balloon for asked in self.asked) or "none"
        raise InspectionError(f"The drawing has no number {balloon[:12]}", f"It has {known}", "Name one of them")

    def cut_parts(self, balloon: str) -> list[CutPart]:
        """What every part said of a characteristic, oldest first."""
        lines = (part.line(balloon) for part in self.parts)
        return [one for line in lines if line is not None and (one := line.part()) is not None]
