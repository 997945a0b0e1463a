"""The bench of a lathe: half-section, big figures, what a zero is found with, and the sum it comes from."""

from __future__ import annotations

from rich.text import Text
from textual.app import ComposeResult
from textual.containers import Vertical

from brisk_anchor.core.errors import BriskAnchorError
from brisk_anchor.core.quantities import dim, shown_unit, signed_bare, signed_dim
from brisk_anchor.core.turning.zero import Method
from brisk_anchor.services.turning.half_section import half_section
from brisk_anchor.services.turning.turning_session import TurningSession
from brisk_anchor.services.turning.turning_words import choices, next_step, question_of, reach_words, way_words
from brisk_anchor.tui import theme
from brisk_anchor.tui.bench.chain_panel import axis_lines
from brisk_anchor.tui.budget_sheet import BudgetSheet
from brisk_anchor.tui.digits import large
from brisk_anchor.tui.entry import Question
from brisk_anchor.tui.panels import Heading, LatePanel
from brisk_anchor.tui.turning.base import Handlers, TurningPanel, TurningStage
from brisk_anchor.tui.turning.hands import Hands
from brisk_anchor.tui.turning.section_drawing import SectionDrawing

_FAR = 5_000.0


class BigFigures(LatePanel):
    """X as a diameter and Z in large figures; a line on what they count from."""

    DEFAULT_CSS = "BigFigures { height: 10; }"

    def tell(self, x: str, z: str, line: str, *, live: bool) -> None:
        """Show two signed figures and a line."""
        text = Text(no_wrap=True, overflow="ellipsis")
        for letter, figure in (("⌀", x), ("Z", z)):
            for mark, digits in zip(large(letter), large(figure.rjust(8)), strict=True):
                text.append(f" {mark.ljust(7)}", theme.QUIET)
                text.append(f"{digits}\n", theme.LIVE if live else theme.TEXT)
            text.append("\n" if letter == "⌀" else "")
        for number, words in enumerate(line.split("\n")):
            text.append("\n" if number else "")
            text.append(f" {words}", theme.SAND if words.startswith("!") else theme.QUIET)
        self.tell_text(text)


def big_position(session: TurningSession, *, machine: bool) -> tuple[str, str, str]:
    """The figures of the large readout and the line under them."""
    unit = shown_unit().word
    place = session.targets.place()
    at = session.machine.place if session.job.setup.lathe.connected else session.zero.typed
    if place is None or at is None:
        return "", "", f"not known, {unit}: ⟨h⟩ types it"
    tool = session.machine.tool
    named = "no tool" if tool is None else tool.name
    x, z = at if machine else place
    counts = "machine" if machine else f"{session.row}, offset {session.machine.offset_number} of {named}"
    return signed_bare(x, 3), signed_bare(z, 3), f"{counts}, {unit}, X a diameter"


class TurningBench(TurningPanel):
    """The bench."""

    def __init__(self, stage: TurningStage, hands: Hands, *, id: str) -> None:
        super().__init__(stage, id=id)
        self.hands = hands
        self.whole = False
        self.machine = False

    @property
    def handlers(self) -> Handlers:
        """What the bench does."""
        return {
            **self.hands.handlers,
            "face": lambda: self.begin(Method.FACE),
            "turn": lambda: self.begin(Method.TURN),
            "feel_face": lambda: self.touch(Method.FELT_FACE),
            "feel_diameter": lambda: self.touch(Method.FELT_DIAMETER),
            "whisker": lambda: self.touch(Method.WHISKER),
            "dial": lambda: self.touch(Method.DIAL),
            "enter": self.store,
            "next_face": self.next_face,
            "next_gauge": self.next_gauge,
            "destination": self.destination,
            "keep_wear": self.keep_wear,
            "later": self.later,
            "top_slide": self.top_slide,
            "taper": self.taper,
            "budget": self.budget,
            "zoom": self.zoom,
            "frame": self.frame,
        }

    def compose(self) -> ComposeResult:
        """Half-section at the left; figures, choices and the sum at the right."""
        with Vertical(id="turn-left"):
            yield SectionDrawing(id="section")
            yield Heading(id="looks-heading")
            yield LatePanel(id="looks")
        with Vertical(id="turn-side"):
            yield BigFigures(id="figures")
            yield Heading(id="with-heading")
            yield LatePanel(id="with")
            yield Heading(id="sum-heading")
            yield LatePanel(id="sum")

    def next_sentence(self, session: TurningSession) -> tuple[str, str]:
        """The next thing to do."""
        return next_step(session)

    def show(self) -> None:
        """Bring everything up to date."""
        session = self.stage.session
        if session is None:
            return
        self.query_one(SectionDrawing).show(half_section(session, whole=self.whole))
        x, z, line = big_position(session, machine=self.machine)
        go, unknown = way_words(session), "" if self.machine else reach_words(session)
        line = "\n".join(filter(None, (line, f"! {unknown}" if unknown else "", go)))
        live = session.job.setup.lathe.connected and not unknown
        self.query_one(BigFigures).tell(x, z, line, live=live)
        turns = "spindle turns" if session.machine.spindle != 5 else "spindle stands"
        stands = turns if session.job.setup.lathe.connected else "positions are typed"
        self.query_one("#with-heading", Heading).tell("with", f"{stands}, step {self.hands.step_words}")
        text = Text(no_wrap=True, overflow="ellipsis")
        for key, label, value in choices(session):
            text.append(f" {key:<2}", f"bold {theme.SAND}")
            text.append(f"{label:<15}", theme.QUIET)
            text.append(f"{value}\n", theme.TEXT)
        self.query_one("#with", LatePanel).tell_text(text, text.plain.count("\n"))
        self._show_sum(session)
        self._show_looks(session)

    def _show_sum(self, session: TurningSession) -> None:
        heading, panel = self.query_one("#sum-heading", Heading), self.query_one("#sum", LatePanel)
        proposal = session.zero.proposal
        text = Text(no_wrap=True, overflow="ellipsis")
        if proposal is not None:
            heading.tell(f"{proposal.row} {proposal.axis.upper()}", f"to be stored, {shown_unit().word}", theme.SAND)
            for axis in proposal.chain.axes:
                axis_lines(text, axis)
        else:
            state = session.state(session.row).value
            title = session.ledger.named(session.row)
            heading.tell(f"chain of {title}", f"{state}, {shown_unit().word}", theme.STATE_SHAPES[state][1])
            chain = session.ledger.chain_of_values(session.row)
            if chain is None:
                text.append(" nothing is stored yet\n", theme.QUIET)
                text.append(" cut ─ measured ─ sum ─ table ─ proof\n", theme.FAINT)
            else:
                for axis in chain.axes:
                    if axis.written:
                        axis_lines(text, axis)
            last = session.ledger.newest(session.row)
            if last is not None and last.proof is not None:
                good = last.proof.holds
                text.append(" ● " if good else " ! ", theme.LIVE if good else theme.CORAL)
                off, allowed = signed_dim(last.proof.worst, 3), dim(last.proof.allowed, 3)
                text.append(f"{'proof' if good else 'no proof'}: {off} of {allowed}\n", theme.QUIET)
        panel.tell_text(text)

    def _show_looks(self, session: TurningSession) -> None:
        heading, panel = self.query_one("#looks-heading", Heading), self.query_one("#looks", LatePanel)
        text = Text(no_wrap=True, overflow="ellipsis")
        findings = session.zero.findings if session.zero.proposal is not None else []
        heading.display = panel.display = session.zero.proposal is not None
        if session.zero.proposal is None:
            return
        heading.tell("second look", "nothing found" if not findings else f"{len(findings)} found")
        for finding in findings:
            text.append(" ! " if finding.stops else " ? ", f"bold {theme.CORAL if finding.stops else theme.SAND}")
            text.append(f"{finding.found}. ", theme.TEXT)
            text.append(f"{finding.why}. {finding.do}\n" if finding.do else f"{finding.why}\n", theme.QUIET)
        proposal = session.zero.proposal
        for words in dict.fromkeys(proposal.chain.without):
            text.append(f" ○ not in the ±: {words}\n", theme.QUIET)
        panel.tell_text(text, max(1, text.plain.count("\n")))

    # -- measuring ---------------------------------------------------------------------------------------------

    def begin(self, method: Method) -> None:
        """Begin a measurement where the axes stand, and ask for its figure."""
        session = self.stage.session
        if session is None:
            return
        try:
            session.zero.begin(method)
            self._ask(session, method)
        except BriskAnchorError as error:
            session.zero.leave()
            self.stage.show_all(keep_prompt=True)
            self.stage.complain(error)

    def _ask(self, session: TurningSession, method: Method) -> None:
        name, note, enter = question_of(session, method)

        def take(figure: float) -> None:
            try:
                session.zero.measured(figure)
            except BriskAnchorError as error:
                self.stage.show_all(keep_prompt=True)
                self.stage.complain(error)
                return
            self.stage.show_all()

        low = -_FAR if method in (Method.TURN, Method.FELT_FACE, Method.DIAL) else 0.0
        self.stage.ask(Question(name, None, low, _FAR, take, note=note, enter=enter))

    def touch(self, method: Method) -> None:
        """Bring the tool to the part, or onto the axis, then ask what it stands at."""
        session = self.stage.session
        if session is None:
            return
        try:
            session.touch(method)
            self._ask(session, method)
        except BriskAnchorError as error:
            session.note_crash(error)
            session.zero.leave()
            self.stage.show_all(keep_prompt=True)
            self.stage.complain(error)

    def store(self) -> None:
        """Store what is proposed."""
        session = self.stage.session
        if session is None:
            return
        if session.zero.proposal is None:
            self.stage.tell(*next_step(session))
            return

        def work() -> tuple[str, str]:
            proposal, program = session.zero.store()
            by = f"{program.label} wrote it and read it back" if program is not None else "Set on the readout"
            value = f"{proposal.row} {proposal.axis.upper()} {signed_dim(proposal.value, 3)}"
            return f"{value} is stored.", f"{by}. {next_step(session)[0]}"

        self.stage.attempt(work)

    # -- choices -----------------------------------------------------------------------------------------------

    def next_face(self) -> None:
        """Measure from another face."""
        session = self.stage.session
        if session is not None:
            face = session.zero.next_face()
            self.stage.show_all(keep_prompt=True)
            self.stage.tell(
                f"Lengths are measured from the {face.name}.", f"Wanted there: {dim(face.wanted, 3)}.", "good"
            )

    def next_gauge(self) -> None:
        """Take another gauge."""
        session = self.stage.session
        if session is None:
            return
        begun = session.zero.begun
        what = begun.what if begun is not None and begun.what else "length"

        def work() -> tuple[str, str]:
            gauge = session.zero.next_gauge(what)
            return f"A {what} is measured with the {gauge.name}.", f"It is known to ±{dim(gauge.spread, 3)}."

        self.stage.attempt(work)

    def _again(self, change: str) -> None:
        session = self.stage.session
        if session is None:
            return
        try:
            if change == "where":
                session.zero.next_destination()
            else:
                session.zero.other_wear()
        except BriskAnchorError as error:
            self.stage.complain(error)
            return
        self.stage.show_all()

    def destination(self) -> None:
        """Into the next table."""
        self._again("where")

    def keep_wear(self) -> None:
        """Keep the wear, or make it 0."""
        self._again("wear")

    def _state(self, name: str, note: str, present: float, low: float, take: str) -> None:
        session = self.stage.session
        if session is None:
            return

        def answer(value: float) -> None:
            setattr(session.zero, take, value)
            self.stage.show_all()

        self.stage.ask(Question(name, present, low, 100.0, answer, note=note))

    def later(self) -> None:
        """What is left to be faced later."""
        session = self.stage.session
        if session is not None:
            self._state("left to be faced later", "0 where the face is finished", session.zero.later, 0.0, "later")

    def top_slide(self) -> None:
        """How far the top slide moved the tip."""
        session = self.stage.session
        if session is not None and session.job.setup.lathe.top_slide != "free":
            held = session.job.setup.lathe.top_slide
            told = "It is locked" if held == "locked" else "This lathe has none"
            self.stage.tell(
                f"{told}: nothing moves the tip but the saddle.", "top_slide in turning.toml says so.", "ask"
            )
        elif session is not None:
            note = "along Z, + away from the chuck, from where it stood when the tools were set"
            self._state("top slide stands off", note, session.zero.slide, -100.0, "slide")

    def taper(self) -> None:
        """Two diameters and how far they lie apart: told."""
        session = self.stage.session
        if session is None:
            return

        def first(front: float) -> None:
            def second(chuck: float) -> None:
                def apart(far: float) -> None:
                    def work() -> tuple[str, str]:
                        told = session.zero.taper(front, chuck, far)
                        return f"Taper: {told}.", "No wear takes that out: set the tailstock, or support the part."

                    self.stage.attempt(work)

                self.stage.ask(Question("how far apart", None, 0.1, 2000.0, apart))

            self.stage.ask(Question("⌀ nearer to the chuck", None, 0.1, 3000.0, second))

        self.stage.ask(Question("⌀ nearer to the front", None, 0.1, 3000.0, first))

    def budget(self) -> None:
        """What the ± is made of."""
        session = self.stage.session
        if session is None:
            return
        proposal = session.zero.proposal
        chain = proposal.chain if proposal is not None else session.ledger.chain_of_values(session.row)
        if chain is None or not any(axis.stated for axis in chain.axes):
            self.stage.tell(f"Nothing of {session.row} is measured yet.", "Its ± comes with its figures.", "ask")
            return
        self.stage.open_sheet(BudgetSheet(chain))

    def zoom(self) -> None:
        """The part, or the turret with it."""
        self.whole = not self.whole
        self.stage.show_all(keep_prompt=True)

    def frame(self) -> None:
        """Machine positions or those of the program."""
        self.machine = not self.machine
        self.stage.show_all(keep_prompt=True)
