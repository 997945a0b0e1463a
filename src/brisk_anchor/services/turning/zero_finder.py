"""Zero by cutting or a feeler, at work: what may begin, what is expected, what comes of a figure, and storing it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from brisk_anchor.core.errors import DatumError
from brisk_anchor.core.offsets.checks import Finding, stop_where_found
from brisk_anchor.core.quantities import dim, signed_deg, signed_dim
from brisk_anchor.core.turning.looks import LatheCondition, look_at_gauge, look_at_lathe, look_at_proposal
from brisk_anchor.core.turning.setup import KnownFace, LatheSetup, Pair, geometry_row, wear_row
from brisk_anchor.core.turning.sums import TurningTerm, doubled, face_terms, felt_terms, taper_of, turned_terms
from brisk_anchor.core.turning.tools import Gauge, TurningTool
from brisk_anchor.core.turning.zero import (
    CutEvidence,
    Destination,
    Method,
    Proposal,
    figure_chain,
    gauged,
    machine_reading,
    propose,
    refuse_moved,
    refuse_unfit,
)
from brisk_anchor.core.uncertainty.estimates import Estimate, combined
from brisk_anchor.core.uncertainty.sources import Source
from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.nc.programs.program import Program
from brisk_anchor.services.turning.family import family_entries
from brisk_anchor.services.turning.table_desk import TableDesk

_WHAT = {
    Method.FACE: "length",
    Method.TURN: "diameter",
    Method.FELT_FACE: "thickness",
    Method.FELT_DIAMETER: "thickness",
    Method.WHISKER: "",
    Method.DIAL: "run-out",
}
_WHISKER = Source("depth of the whisker cut", own=True)
_FEEL = Source("when the feeler drags", own=True)
_U_FEEL = 0.002
"""How well a hand feels that, standard, mm."""
_U_WHISKER = 0.005
"""How far a tip goes into the blue before the eye sees it, standard, mm of the radius."""
_AS_SHOWN = 0.0013
"""A figure that is typed no further than this, mm, from what was measured is that: its last digit in mm or inches."""
_FELT_ON = {
    Method.FELT_FACE: ("face in the program", "Z of the face under the feeler"),
    Method.FELT_DIAMETER: ("known diameter", "the diameter under the feeler"),
    Method.WHISKER: ("known diameter", "the blued diameter"),
}
"""What each counts from: the term of the sum, and in words."""
_SEAT = "seat against the {}"


@dataclass(frozen=True, slots=True)
class Begun:
    """A measurement that was begun: how, with which tool, and where the axes stood (machine, X a diameter)."""

    method: Method
    tool: TurningTool
    at: Pair
    live: bool
    cuts: int
    """How often what it measures had been cut by then."""

    @property
    def what(self) -> str:
        """What is measured: a length, a diameter, a bore, or the thickness of a feeler."""
        return "bore" if self.method is Method.TURN and self.tool.kind.is_inside else _WHAT[self.method]


@dataclass(frozen=True, slots=True)
class SizeMeasured:
    """What was measured of the metal, and how often it had been cut there by then."""

    figure: Estimate
    cuts: int


@dataclass(frozen=True, slots=True)
class Known:
    """What was measured of the metal last: where its front face stands, machine Z of a tip, a diameter, a bore."""

    face: SizeMeasured | None = None
    outside: SizeMeasured | None = None
    bore: SizeMeasured | None = None

    def diameter(self, *, bore: bool) -> SizeMeasured | None:
        """The last bore or the last outside diameter, None where none was measured."""
        return self.bore if bore else self.outside

    def with_diameter(self, measured: SizeMeasured, *, inside: bool) -> Known:
        """The same with a bore or an outside diameter that was measured."""
        return replace(self, bore=measured) if inside else replace(self, outside=measured)


class ZeroFinder:
    """Finds zeros; holds what was begun, what is proposed, and what the person chose for it."""

    def __init__(self, desk: TableDesk) -> None:
        self.desk = desk
        self.begun: Begun | None = None
        self.proposal: Proposal | None = None
        self.evidence: CutEvidence | None = None
        self.findings: list[Finding] = []
        self.known = Known()
        self.typed: Pair | None = None
        """What a person read off the display, machine position, where nothing tells it."""
        self.slide = 0.0
        """How far the top slide holds the tip off along Z from where it stood when the tools were set, mm."""
        self.later = 0.0
        """What is left to be faced later, mm."""
        self._gauge: dict[str, str] = {}
        self._face = ""
        self._destination: Destination | None = None
        self._counted_in = ""
        """The work offset that what is proposed counts in."""
        self.keep_wear = False

    @property
    def setup(self) -> LatheSetup:
        """The set-up as it is described."""
        return self.desk.job.setup

    @property
    def row(self) -> str:
        """The work offset in question."""
        return self.desk.machine.active_row

    @property
    def condition(self) -> LatheCondition:
        """How the lathe stands; nothing is known of one that is not connected."""
        machine = self.desk.machine
        if not self.setup.lathe.connected:
            return LatheCondition(station=machine.station, active=machine.offset_number)
        return LatheCondition(
            machine.homed, machine.spindle != 5, machine.station, machine.offset_number, machine.alarm
        )

    # -- choices -----------------------------------------------------------------------------------------------

    @property
    def known_face(self) -> KnownFace:
        """The face that lengths are measured from."""
        faces = self.setup.known_faces
        return next((face for face in faces if face.name == self._face), faces[0])

    def next_face(self) -> KnownFace:
        """Measure from the next known face."""
        faces = self.setup.known_faces
        at = faces.index(self.known_face)
        self._face = faces[(at + 1) % len(faces)].name
        return self.known_face

    def gauges(self, what: str) -> list[Gauge]:
        """The gauges of the shelf that measure that, the finest first."""
        return sorted((g for g in self.setup.gauges if what in g.kind.measures), key=lambda g: g.spread)

    def gauge(self, what: str) -> Gauge:
        """The gauge that is used for that. Raises DatumError: none on the shelf measures it."""
        found = self.gauges(what)
        if not found:
            raise DatumError(f"No gauge on the shelf measures a {what}", "Its ± would not be known", "Add one: ⟨6⟩")
        return next((gauge for gauge in found if gauge.name == self._gauge.get(what)), found[0])

    def next_gauge(self, what: str) -> Gauge:
        """Use the next gauge that measures that."""
        found = self.gauges(what)
        at = found.index(self.gauge(what))
        self._gauge[what] = found[(at + 1) % len(found)].name
        return self.gauge(what)

    def next_destination(self) -> Proposal:
        """Put the value into the next table. Raises DatumError: nothing is proposed."""
        if self.proposal is None or self.evidence is None:
            raise DatumError(
                "Nothing is measured yet", "There is nothing to put anywhere", "Cut, then ⟨bench:f⟩ or ⟨bench:d⟩"
            )
        order = list(Destination)
        self._destination = order[(order.index(self.proposal.destination) + 1) % len(order)]
        return self._propose(self.evidence)

    def other_wear(self) -> Proposal:
        """Keep the wear where it would become 0, or the other way round. Raises DatumError: nothing is proposed."""
        if self.evidence is None:
            raise DatumError("Nothing is measured yet", "", "Cut, then ⟨bench:f⟩ or ⟨bench:d⟩")
        self.keep_wear = not self.keep_wear
        return self._propose(self.evidence)

    # -- measuring ---------------------------------------------------------------------------------------------

    def begin(self, method: Method) -> Begun:
        """Begin a measurement where the axes stand.

        Raises:
            SecondLookError: what must not go on. MovedError: the axis that says it moved since the cut.
            DatumError: nothing was cut, or the position is not typed.
        """
        machine, tool = self.desk.machine, self.look(method)
        live = self.setup.lathe.connected
        at = machine.place if live else self.typed
        if at is None:
            raise DatumError("Where the axes stand is not known", "No control reports it", "Type it: ⟨bench:h⟩")
        if live and method.measures:
            along = "x" if method is Method.FACE else "z"
            if machine.cut_at is None:
                raise DatumError("Nothing has been cut yet", "There is nothing to measure", "Cut first")
            if machine.cut_by != tool.offset:
                raise DatumError(
                    f"The last cut was made by offset {machine.cut_by}, and {tool.name} stands at the work",
                    "The value would go to the wrong tool",
                    "Cut with this one, or use a feeler: ⟨bench:e⟩, ⟨bench:E⟩",
                )
            refuse_moved(method, machine.cut_at, at, self.setup.lathe.resolution)
            if machine.cut_along != along:
                what = "a diameter" if method is Method.FACE else "a face"
                raise DatumError(
                    f"The last cut was {what}", "It says nothing of the other axis", "Cut there, or measure that"
                )
            at = machine.cut_at if method.axis == "z" else (machine.cut_at[0], at[1])
        cuts = machine.faced if method is Method.FACE else machine.turned[tool.kind.is_inside]
        self.begun, self.proposal, self.evidence = Begun(method, tool, at, live, cuts), None, None
        self._destination = None
        return self.begun

    def look(self, method: Method) -> TurningTool:
        """Look whether a measurement may begin, before anything moves for it; the tool at the work.

        Raises:
            SecondLookError: what must not go on. DatumError: there is no tool at the work, or it says nothing so.
        """
        tool = self._tool()
        stop_where_found(look_at_lathe(self.condition, tool, method))
        refuse_unfit(tool, method)
        return tool

    def _tool(self) -> TurningTool:
        tool = self.desk.machine.tool
        if tool is None:
            raise DatumError("No tool is at the work", "The value would belong to nothing", "Turn the turret: .")
        return tool

    def expected(self, begun: Begun) -> float | None:
        """About what the gauge will show, mm; None where nothing says it."""
        if begun.method is Method.FACE:
            face = self.known_face
            return face.wanted + self.setup.stock.front / 2
        if begun.method is Method.TURN:
            if not self.desk.is_known(geometry_row(begun.tool.offset), "x"):
                return None
            return abs(self._program("x", begun))
        return None

    def _program(self, axis: str, begun: Begun) -> float:
        """Program position of the tip by the tables, ours."""
        at = 0 if axis == "x" else 1
        return begun.at[at] - self.desk.shift(self.row, begun.tool.offset)[at]

    def reading(self, begun: Begun) -> float | None:
        """What the gauge of the stand-in shows, mm; None on any other machine. Raises MachineError: no metal there."""
        machine = self.desk.machine
        if not begun.live or not begun.method.measures:
            return None
        gauge = self.gauge(begun.what)
        if begun.method is Method.FACE:
            true = machine.true_length(self.known_face.name, self.known_face.wanted)
        else:
            inside = begun.tool.kind.is_inside
            front = machine.metal.bounds[2]
            deep = machine.tip(machine.cut_at)[1]
            true = machine.true_diameter((front + deep) / 2, inside=inside)
        return float(round((true + machine.gauge_error(gauge)) / gauge.step) * gauge.step)

    def measured(self, figure: float) -> Proposal:
        """What was measured, of what was begun: a length, a diameter (negative: cut beyond the axis), or a Z or
        diameter that a feeler lies on.

        Raises:
            SecondLookError: a radius for a diameter, the wrong gauge. DatumError: nothing was begun.
        """
        if (begun := self.begun) is None:
            raise DatumError("Nothing was begun", "A figure alone says nothing", "Cut, then ⟨bench:f⟩ or ⟨bench:d⟩")
        looks: list[Finding] = []
        terms: tuple[TurningTerm, ...]
        match begun.method:
            case Method.FACE:
                gauge, face = self.gauge("length"), self.known_face
                looks = look_at_gauge(gauge, "length", figure, None)
                wanted = Estimate(face.wanted, {Source(_SEAT.format(face.name)): face.u} if face.u else {})
                gauged_length, leads = gauged(gauge, figure), begun.tool.leads
                terms = face_terms(gauged_length, wanted, self.later, self.setup.zero_from_face, face.name, leads)
            case Method.TURN:
                gauge = self.gauge(begun.what)
                looks = look_at_gauge(gauge, begun.what, abs(figure), self.expected(begun))
                beyond = figure < 0
                terms = turned_terms(gauged(gauge, abs(figure)), beyond=beyond)
                seen = SizeMeasured(gauged(gauge, abs(figure)), begun.cuts)
                self.known = self.known.with_diameter(seen, inside=begun.tool.kind.is_inside)
            case Method.FELT_FACE:
                at = self._face_in_program(figure)
                terms = felt_terms("z", at, self._feeler(), inside=False, leads=begun.tool.leads)
            case Method.FELT_DIAMETER:
                inside = begun.tool.kind.is_inside
                terms = felt_terms("x", self._diameter(figure, inside=inside), self._feeler(), inside=inside)
            case Method.WHISKER:
                inside = begun.tool.kind.is_inside
                depth = Estimate(0.0, {_WHISKER: _U_WHISKER})
                terms = felt_terms("x", self._diameter(figure, inside=inside), depth, inside=inside)
            case Method.DIAL:
                gauge = self.gauge("run-out")
                terms = (TurningTerm("+", "off the axis by the dial, twice", doubled(gauged(gauge, figure))),)
        stop_where_found(looks)
        axis = begun.method.axis
        machine = machine_reading(axis, begun.at[0 if axis == "x" else 1], self.setup.lathe.resolution)
        slide = self.slide if axis == "z" else 0.0
        self.evidence = CutEvidence(begun.method, begun.tool, machine, terms, slide, begun.cuts)
        return self._propose(self.evidence, looks)

    def _feeler(self) -> Estimate:
        gauge = self.gauge("thickness")
        leaf = gauged(gauge, gauge.thickness)
        return Estimate(leaf.value, combined((1.0, leaf.effects), (_U_FEEL, {_FEEL: 1.0})))

    def _face_in_program(self, figure: float) -> Estimate:
        """Program Z of the face a feeler lies on: as it is known, with its ±, where the figure is that."""
        known = self.face_in_program
        return known if known is not None and abs(known.value - figure) < _AS_SHOWN else Estimate(figure)

    def known_diameter(self, *, bore: bool) -> Estimate | None:
        """The diameter or the bore as it is now; None where nobody measured it since it was cut."""
        seen = self.known.diameter(bore=bore)
        return None if seen is None or seen.cuts != self.desk.machine.turned[bore] else seen.figure

    def _diameter(self, figure: float, *, inside: bool) -> Estimate:
        known = self.known_diameter(bore=inside)
        return known if known is not None and abs(known.value - figure) < _AS_SHOWN else Estimate(figure)

    @property
    def face_in_program(self) -> Estimate | None:
        """Program Z of the front face as it is now; None where nobody measured it since it was clamped or cut."""
        if self.known.face is None or self.known.face.cuts != self.desk.machine.faced:
            return None
        face, work = self.known.face.figure, self.desk.estimate(self.row, "z")
        return Estimate(face.value - work.value, combined((1.0, face.effects), (-1.0, work.effects)))

    def _propose(self, evidence: CutEvidence, looks: Sequence[Finding] = ()) -> Proposal:
        held = self.desk.held(self.row, evidence.tool.offset, evidence.method.axis)
        without = self._without(evidence, held.geometry)
        self.proposal = propose(
            evidence, held, self.row, destination=self._destination, keep_wear=self.keep_wear, without=without
        )
        proposal, self._counted_in = self.proposal, self.row
        present = self.desk.figure(proposal.row, proposal.axis) if self._was_set(proposal) else None
        live = self.setup.lathe.connected
        place = evidence.place.value - (evidence.tool.leads if evidence.method.axis == "z" else 0.0)
        self.findings = [
            *looks,
            *look_at_proposal(proposal, self.setup, present, live=live, place=place, reach_known=held.measured),
        ]
        return proposal

    def _was_set(self, proposal: Proposal) -> bool:
        """Whether a value stands there that somebody set, so that a jump means something."""
        return self.desk.is_known(proposal.row, proposal.axis)

    def _without(self, evidence: CutEvidence, geometry: Estimate) -> list[str]:
        """What the ± does not include, as nobody stated it."""
        tool, axis = evidence.tool, evidence.method.axis
        found = []
        if axis == "z" and not geometry.effects:
            found.append(f"geometry of {tool.name} in Z: as it stands in the table")
        if axis == "x" and not self.setup.lathe.u_axis_x:
            found.append("where the spindle axis lies: not stated")
        if tool.leads and axis == "z":
            found.append(f"width of {tool.name}: as it is stated")
        if (felt := _FELT_ON.get(evidence.method)) is not None:
            label, words = felt
            if not any(term.label == label and term.figure.effects for term in evidence.terms):
                found.append(f"{words}: as it was typed")
        if evidence.method is Method.FACE and not self.known_face.u:
            found.append(f"how the part sits against the {self.known_face.name}: not stated")
        return found

    # -- storing -----------------------------------------------------------------------------------------------

    def store(self) -> tuple[Proposal, Program | None]:
        """Write what is proposed, into the table and the book.

        Raises:
            DatumError: nothing is proposed. SecondLookError: a finding stops. RunStopped, BookWriteError: nothing stays
                written.
        """
        proposal, evidence = self.proposal, self.evidence
        if proposal is None or evidence is None:
            raise DatumError("Nothing is measured yet", "There is nothing to store", "Cut, then ⟨bench:f⟩ or ⟨bench:d⟩")
        if self.row != self._counted_in:
            what = f"{self.row} is in force now, and what was measured counts in {self._counted_in}"
            raise DatumError(what, "The value would be another offset's", "Choose that one again, or measure anew")
        stop_where_found(self.findings)
        tool, axis = evidence.tool, proposal.axis
        chains = [proposal.chain]
        geometry, wear = geometry_row(tool.offset), wear_row(tool.offset)
        if proposal.wear_becomes is not None:
            zero = Estimate(proposal.wear_becomes)
            chains.append(figure_chain(wear, [(axis, zero, "the geometry was measured anew")]))
        used = [(self.row, axis), (geometry, axis), (wear, axis)]
        uses = [(row, a) for row, a in used if row != proposal.row and (row != wear or self.desk.job.has_wear)]
        note = f"by {evidence.method.value}, T{tool.station}"
        more = []
        if proposal.destination is Destination.WORK and axis == "z":
            more = family_entries(self.desk, proposal.row, proposal.chain.axis("z").estimate)
        program = self.desk.write(chains, note, uses=uses, more=more)
        if evidence.method is Method.FACE:
            self._face_was_cut(evidence)
        self.begun = self.proposal = self.evidence = None
        self.findings = []
        return proposal, program

    def _face_was_cut(self, evidence: CutEvidence) -> None:
        """Where the front face stands now, by the tool that cut it, in machine Z of a tip."""
        tool = evidence.tool
        geometry = self.desk.corner(tool, "z")
        wear = self.desk.estimate(wear_row(tool.offset), "z")
        value = evidence.machine.value - geometry.value - wear.value + evidence.slide - tool.leads
        effects = combined((1.0, evidence.machine.effects), (-1.0, geometry.effects), (-1.0, wear.effects))
        self.known = replace(self.known, face=SizeMeasured(Estimate(value, effects), evidence.cuts))

    def leave(self) -> None:
        """Leave what was begun."""
        self.begun = self.proposal = self.evidence = None
        self.findings = []

    def clamped_anew(self) -> None:
        """Nothing is known of the metal any more."""
        self.leave()
        self.known = Known()

    def taper(self, near_front: float, near_chuck: float, apart: float) -> str:
        """A taper found from two diameters, in words: told, and never put into a wear. Raises DatumError."""
        if apart <= 0:
            raise DatumError("Two diameters at one place are no taper", "", "Give how far they lie apart")
        angle = taper_of(near_front, near_chuck, apart)
        return (
            f"{signed_dim(near_chuck - near_front, 3)} over {dim(apart)} towards the chuck, half {signed_deg(angle, 4)}"
        )
