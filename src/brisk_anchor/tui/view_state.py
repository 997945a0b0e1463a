"""What the views share: the job, the chosen offset, what is being asked for, what is running. No widget."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import field, replace
from threading import Event
from typing import TYPE_CHECKING

from brisk_anchor.core.quantities import Unit, shown_unit, signed_deg
from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.tui import theme

if TYPE_CHECKING:
    from pathlib import Path

    from brisk_anchor.core.features.measuring import Measurement
    from brisk_anchor.core.kinds import Vector
    from brisk_anchor.core.offsets.setup import Setup
    from brisk_anchor.core.tools.hand_tools import HandTool
    from brisk_anchor.nc.programs.program import Program
    from brisk_anchor.services.machine.player import Player
    from brisk_anchor.services.measure.by_hand import ByHand, PositionFrame
    from brisk_anchor.services.measure.measurement_request import MeasurementRequest
    from brisk_anchor.services.plan.plan_builder import PlanBuilder
    from brisk_anchor.services.session.session import Session
    from brisk_anchor.tui.link_desk import LinkDesk
    from brisk_anchor.tui.picture import Anchor, Picture

ZOOMS = ("set-up", "feature", "machine")
JOG_STEPS = {Unit.MM: (1.0, 10.0, 50.0, 0.1), Unit.INCH: (0.05, 0.5, 2.0, 0.005)}
"""Steps of a jog in the unit that is shown, in the order in which they are chosen."""
HANDLE_STEPS = {Unit.MM: (0.001, 0.01, 0.1), Unit.INCH: (0.0001, 0.001, 0.01)}
"""What one click of the handle moves, in the unit that is shown."""


@dataclass(slots=True)
class Running:
    """Something under way, as the viewer sees it."""

    player: Player


@dataclass(slots=True)
class Proving(Running):
    """A program under way on a twin of the machine."""

    program: Program


@dataclass(slots=True)
class Measuring(Running):
    """A measurement under way on the bench."""

    program: Program
    measurement: Measurement


@dataclass(slots=True)
class ViewState:
    """Shared state of the views."""

    session: Session
    speed: float
    row: str = ""
    request: MeasurementRequest | None = None
    hand_tool: tuple[str, int] | None = None
    """The tool of the hand that measures, by its name and number; None is the probe."""
    running: Measuring | None = None
    proving: Proving | None = None
    operating: Running | None = None
    """What runs on the machine from its own control: a program in automatic, or a typed line."""
    repeating: Event | None = None
    """Set to end a measurement that is made many times, while it is."""
    zoom: str = "set-up"
    in_work: bool = False
    jog_chosen: int = 0
    """Which of the jog steps is chosen."""
    handle_chosen: int = 1
    magnify: float = 1.0
    pan: Vector = (0.0, 0.0, 0.0)
    dimensions: bool = False
    handed: Program | None = None
    """A program that waits for a person to start it at the machine, beside those of the offsets."""
    book_silent: bool = False
    """Whether the book did not answer when it was last asked what others added."""
    rolls: int = 0
    """How many real-life parts were drawn after the first."""
    places: list[Vector] = field(default_factory=list)
    chosen: str | None = None
    """The feature that is chosen in the list of what was measured; None is the newest."""
    plan: PlanBuilder | None = None
    """The measuring plan, once it was wanted."""
    code_of_plan: bool = False
    """Whether the code view shows the program of the plan, not that of the chosen offset."""
    place: str = ""
    """The place of the fixture that is chosen, and drawn as it looks at the spindle."""
    desk: LinkDesk | None = None
    """Programs and reports of a linked control; None where there is none."""
    moved: tuple[str, Vector] | None = None
    """The offset whose rule was changed last, and where its zero was before: shown until another is chosen."""

    _turned: tuple[Setup, str, Setup] | None = None
    _asked_in: tuple[MeasurementRequest, Setup] | None = None
    """The set-up in which the present request was made."""

    def __post_init__(self) -> None:
        rows = self.session.setup.rows
        self.row = self.row or (
            rows[0].row if rows else self.session.active or next(iter(self.session.profile.offsets))
        )
        self.place = next(iter(self.places_of(self.row)), "")

    @property
    def jog_step(self) -> float:
        """How far one jog moves, mm."""
        return JOG_STEPS[shown_unit()][self.jog_chosen] * float(shown_unit().in_mm)

    @property
    def handle_step(self) -> float:
        """How far one click of the handle moves, mm."""
        return HANDLE_STEPS[shown_unit()][self.handle_chosen] * float(shown_unit().in_mm)

    def choose_row(self, row: str) -> None:
        """Set another row from now on; what was begun for the one before is left. The active row stays as it is."""
        self.row = row
        known = next((place.name for place in self.session.setup.places if row in place.rows), "")
        self.place = known if self.place not in self.places_of(row) else self.place
        self.request, self.proving, self.moved, self.code_of_plan = None, None, None, False

    def places_of(self, row: str) -> list[str]:
        """The places that use a row."""
        return [place.name for place in self.session.setup.places if row in place.rows]

    def choose_place(self, name: str) -> None:
        """Choose a place of the fixture: its row is set from now on, and the drawing shows it before the spindle."""
        place = next(place for place in self.session.setup.places if place.name == name)
        self.place = name
        if place.rows and self.row not in place.rows:
            self.choose_row(place.rows[0])

    def next_place(self, step: int) -> str:
        """Choose the place before, or the next one; its name, "" where there are none."""
        names = [place.name for place in self.session.setup.places]
        if not names:
            return ""
        at = names.index(self.place) if self.place in names else -1 if step > 0 else 0
        self.choose_place(names[(at + step) % len(names)])
        return self.place

    @property
    def shown_angles(self) -> dict[str, float]:
        """Where rotary axes stand in the drawing, degrees: as they do while anything moves, else as the feature that is
        pointed at, or the chosen place, looks at the spindle.
        """
        stands = dict(self.session.machine.angles)
        if self.moving:
            return stands
        if self.request is not None and self.request.drawn is not None and self.request.drawn.table:
            return stands | dict(self.request.drawn.table)
        place = next((place for place in self.session.setup.places if place.name == self.place), None)
        return stands | dict(place.table) if place is not None else stands

    @property
    def moving(self) -> bool:
        """Whether the machine itself moves now; a prove-out on a twin does not count."""
        return self.running is not None or self.operating is not None or self.repeating is not None

    @property
    def spindle(self) -> Vector:
        """Where the spindle is shown now, machine mm."""
        moving = self.running or self.operating
        return moving.player.position if moving else self.session.link.spindle

    def doubt(self) -> str:
        """Why the positions that are shown are not to be trusted, "" where they are."""
        link, active = self.session.link, self.session.active
        if link.condition.homed is False:
            return "not homed"
        if self.in_work and active and not any(link.offset(active)):
            return f"{active} was never set"
        return ""

    def tip_of(self, spindle: Vector) -> Vector:
        """Where the tip is for a spindle position."""
        x, y, z = spindle
        return x, y, z - self.session.setup.stylus.length

    @property
    def hand(self) -> HandTool | None:
        """The tool of the hand that measures, with the figures it has now; None is the probe."""
        tools = self.session.setup.hand_tools
        return next((tool for tool in tools if (tool.name, tool.tool_number) == self.hand_tool), None)

    def next_way(self) -> int:
        """Choose the next way of measuring: the probe, then each tool of the hand. How many there are."""
        ways = [None, *((tool.name, tool.tool_number) for tool in self.session.setup.hand_tools)]
        at = ways.index(self.hand_tool) if self.hand_tool in ways else -1
        self.hand_tool = ways[(at + 1) % len(ways)]
        return len(ways)

    def _follow_the_setup(self, request: MeasurementRequest) -> MeasurementRequest | None:
        """What is asked for of a feature where the set-up changed since: of one that lies elsewhere now, asked anew."""
        setup = self.session.setup
        made_in = self._asked_in[1] if self._asked_in is not None and self._asked_in[0] is request else setup
        if made_in is not setup and request.drawn is not None:
            self.request = self.session.planner.asked_again(request, made_in)
        self._asked_in = (self.request, setup) if self.request is not None else None
        return self.request

    def present_request(self) -> MeasurementRequest | None:
        """What is asked for, hand-marked touch patterns taken from where the tip stands now."""
        if self.request is None or self._follow_the_setup(self.request) is None:
            return None
        if self.request.drawn is not None:
            return self.session.planner.asked(self.request)
        return self.session.planner.asked(replace(self.request, start=self.session.link.spindle))

    def by_hand(self) -> ByHand | None:
        """The measurement by hand that Enter would begin, None where the probe measures or nothing can be."""
        from brisk_anchor.core.errors import BriskAnchorError
        from brisk_anchor.services.measure.hands import begin

        request = self.present_request()
        if self.hand is None or request is None or not request.pattern.marks:
            return None
        try:
            return begin(request, self.hand, self.frame())
        except BriskAnchorError:
            return None

    def frame(self) -> PositionFrame:
        """What typed figures count from: machine zero, or the active offset where work positions are shown.

        A row that turns positions shows none along the machine's axes: machine positions are asked for there.
        """
        from brisk_anchor.services.measure.by_hand import PositionFrame

        active = self.session.active if self.in_work else ""
        row = active if active and not self.session.link.turn_of(active) else ""
        return PositionFrame(row, self.session.link.offset(row)) if row else PositionFrame()

    def next_step(self) -> tuple[str, str]:
        """What to do next for the chosen offset, in two sentences."""
        from brisk_anchor.services.session.guide import next_step

        return next_step(self.session, self.row, self.present_request(), self.hand, self.frame())

    def measurement(self) -> Measurement | None:
        """The measurement that Enter would make, None while it is not complete."""
        from brisk_anchor.core.errors import BriskAnchorError

        request = self.present_request()
        if request is None:
            return None
        try:
            return self.session.planner.measurement_of(request)
        except BriskAnchorError:
            return None

    def anchors(self) -> list[Anchor]:
        """The chosen offset as an anchor, its value on the control as a ghost."""
        from brisk_anchor.tui.picture import Anchor

        anchors = []
        chain = self.session.solver.chain(self.row) if not self.session.rows.missing(self.row) else None
        now = self.session.link.offset(self.row)
        booked = self.session.rows.state(self.row).value
        value: Vector | None = None
        if chain is not None:
            values = chain.values
            value = (values["x"], values["y"], values["z"])
        settled = booked in ("stored", "proved")
        if settled or value is None:
            colour = theme.LIVE if settled else theme.FAINT
            anchors.append(Anchor(self.row, now, colour, ghost=not settled))
        elif value is not None:
            anchors.append(Anchor(f"{self.row} before", now, theme.FAINT, ghost=True))
            anchors.append(Anchor(self.row, value, theme.SAND, was=now))
        if self.moved is not None and self.moved[0] == self.row:
            before, after = self.moved[1], self.expected_place(self.row)
            anchors = [
                Anchor(f"{self.row} before", before, theme.FAINT, ghost=True),
                Anchor(self.row, after, theme.SAND, was=before),
            ]
        return anchors

    def expected_place(self, row: str) -> Vector:
        """Where the zero of an offset lies by the description, machine mm."""
        values = self.session.rows.expected(row)
        return values["x"], values["y"], values["z"]

    def open_plan(self, folder: Path) -> PlanBuilder:
        """The measuring plan of the job in a folder, read when it is first wanted. Raises PlanFileError: its faults."""
        if self.plan is None:
            from brisk_anchor.services.plan.plan_builder import PlanBuilder

            self.plan = PlanBuilder.open(self.session, folder, self.row)
        return self.plan

    def standing(self, angles: Mapping[str, float]) -> tuple[Setup, str]:
        """The set-up drawn with rotary axes at those angles, and these in words; what lies at 0 stays out of it."""
        from brisk_anchor.services.session.seen_at import seen_at

        setup = self.session.setup
        words = " ".join(f"{letter} {signed_deg(angle)}" for letter, angle in angles.items() if angle)
        many = any(feature.table for feature in setup.features)
        if not words and not many:
            return setup, ""
        if self._turned is None or self._turned[0] is not setup or self._turned[1] != words:
            self._turned = setup, words, seen_at(setup, self.session.scene, angles)
        return self._turned[2], words

    def picture(self) -> Picture:
        """What the bench's drawing shows now."""
        from brisk_anchor.tui.picture import Picture

        setup, table = self.standing(self.shown_angles)
        if self.shown_angles != self.session.machine.angles:
            table = f"shown at {table or '0°'}"
        request = self.request
        target = self.tip_of(request.start) if request and request.drawn and not self.running else None
        pointed = request.drawn.machine if request and request.drawn else None
        centre = pointed or self.tip_of(self.spindle)
        return Picture(
            setup=setup,
            zoom=self.zoom,
            centre=centre,
            tip=self.tip_of(self.spindle),
            anchors=self.anchors(),
            target=target,
            touches=self.places if self.shown_angles == self.session.machine.angles else [],
            ball=setup.stylus.ball_diameter,
            length=setup.stylus.length,
            magnify=self.magnify,
            pan=self.pan,
            zero=self.zero() if self.dimensions else None,
            chosen=pointed if self.dimensions else None,
            dimensions=self.dimensions and pointed is None,
            table=table,
        )

    def zero(self) -> Vector:
        """Where the zero of the chosen offset lies, measured or by the description, machine mm of the tip."""
        chain = self.session.solver.chain(self.row) if not self.session.rows.missing(self.row) else None
        values = chain.values if chain is not None else self.session.rows.expected(self.row)
        return values["x"], values["y"], values["z"]
