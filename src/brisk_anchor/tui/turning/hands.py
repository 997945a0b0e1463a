"""Moving the lathe by hand: what bench and targets share. On a lathe that is not connected, positions are typed."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from brisk_anchor.core.errors import BriskAnchorError, DatumError
from brisk_anchor.core.quantities import dim, signed_dim
from brisk_anchor.tui.entry import Question, Words
from brisk_anchor.tui.turning.base import Handlers, TurningStage

if TYPE_CHECKING:
    from brisk_anchor.services.turning.turning_session import TurningSession

STEPS = (0.001, 0.01, 0.1, 1.0, 10.0)
"""Steps of hand moves, mm (X: of the diameter)."""
_FAR = 5_000.0


class Hands:
    """Jogging, spindle, turret, cuts; each tells where it stands then."""

    def __init__(self, stage: TurningStage) -> None:
        self.stage = stage
        self.step_at = 2

    @property
    def step_words(self) -> str:
        """The step of hand moves."""
        return dim(STEPS[self.step_at])

    @property
    def handlers(self) -> Handlers:
        """What is done by hand."""
        return {
            "jog": self.jog,
            "step": self.step,
            "home": self.home,
            "spindle": self.spindle,
            "next_tool": self.next_tool,
            "near": self.near,
            "index": self.index,
            "cut_face": self.cut_face,
            "cut_along": self.cut_along,
            "feed": self.feed,
            "clamp": self.clamp,
        }

    def _do(self, work: Callable[[TurningSession], tuple[str, str]]) -> None:
        """Do something with the lathe; after a crash the tool's geometry is out of date."""
        session = self.stage.session
        if session is None:
            return

        def go() -> tuple[str, str]:
            try:
                told, behind = work(session)
            except BriskAnchorError as error:
                session.note_crash(error)
                raise
            step = self.stage.next_sentence(session)[0]
            return told, f"{behind} {step}".strip()

        self.stage.attempt(go)

    def jog(self, axis: str, sign: int) -> None:
        """One step along an axis; says nothing where all is well: keys that are held stay quick."""
        session = self.stage.session
        if session is None:
            return
        try:
            session.jog(axis, sign * STEPS[self.step_at])
        except BriskAnchorError as error:
            session.note_crash(error)
            self.stage.show_all(keep_prompt=True)
            self.stage.complain(error)
            return
        self.stage.show_all()

    def step(self) -> None:
        """The next step of hand moves."""
        self.step_at = (self.step_at + 1) % len(STEPS)
        self.stage.show_all(keep_prompt=True)
        self.stage.tell(f"Hand moves go {self.step_words} a step.", "Of X that is the diameter.", "good")

    def home(self) -> None:
        """Home the axes; or type where they stand."""
        session = self.stage.session
        if session is None:
            return
        if not session.job.setup.lathe.connected:
            self._type_position(session)
            return

        def work(at: TurningSession) -> tuple[str, str]:
            at.reset()
            at.home()
            return "The axes are home.", ""

        self._do(work)

    def _type_position(self, session: TurningSession) -> None:
        before = session.displayed() or (None, None)
        kind = "radius" if session.display_is_radius else "⌀"

        def take_x(x: float) -> None:
            def take_z(z: float) -> None:
                session.type_position(x, z)
                self.stage.show_all(keep_prompt=True)
                self.stage.tell(f"It stands at X {signed_dim(x, 3)}, Z {signed_dim(z, 3)}, as typed.", "", "good")

            self._ask_shown("machine Z", before[1], take_z)

        self._ask_shown(f"machine X ({kind})", before[0], take_x)

    def _ask_shown(self, name: str, before: float | None, take: Callable[[float], None]) -> None:
        """Ask for a figure of the display; Enter alone takes the one before."""
        self.stage.ask(Question(name, before, -_FAR, _FAR, take, note="as the display shows it", enter=before))

    def spindle(self) -> None:
        """Start or stop."""

        def work(session: TurningSession) -> tuple[str, str]:
            turns = session.spindle()
            return (
                ("The spindle turns.", "Metal is cut where a tip meets it.") if turns else ("The spindle stands.", "")
            )

        self._do(work)

    def next_tool(self, sense: int) -> None:
        """Turn the next tool of the turret to the work."""

        def work(session: TurningSession) -> tuple[str, str]:
            tools = session.job.setup.tools
            if not tools:
                raise DatumError("No tool is in the turret", "", "Add one in the set-up: ⟨5⟩")
            now = session.machine.tool
            at = tools.index(now) if now in tools else -1
            tool = tools[(at + sense) % len(tools)]
            session.turn_turret(tool)
            return (
                f"{tool.name}, {tool.title}, stands at the work.",
                f"Its {tool.about_edge}." if tool.about_edge else "",
            )

        self._do(work)

    def near(self) -> None:
        """Bring the tool near the stock, by eye."""

        def work(session: TurningSession) -> tuple[str, str]:
            session.bring_near()
            return "The tip stands before the stock, by eye.", ""

        self._do(work)

    def index(self) -> None:
        """Go where the turret may turn."""

        def work(session: TurningSession) -> tuple[str, str]:
            session.to_index_place()
            return "The turret may turn here.", ". turns the next tool to the work."

        self._do(work)

    def cut_face(self) -> None:
        """Ask how much, then cut the face."""

        def take(off: float) -> None:
            def work(session: TurningSession) -> tuple[str, str]:
                session.cut_face(off)
                return f"Faced, {dim(off, 3)} off; the tip went away in X only.", ""

            self._do(work)

        self.stage.ask(Question("take off the face", 0.5, 0.01, 5.0, take, note="Enter takes it", enter=0.5))

    def cut_along(self) -> None:
        """Ask how long and how much, then cut a diameter."""

        def take_long(long: float) -> None:
            def take_off(off: float) -> None:
                def work(session: TurningSession) -> tuple[str, str]:
                    session.cut_along(long, off)
                    return f"Turned over {dim(long, 3)}; X did not move since.", ""

                self._do(work)

            self.stage.ask(
                Question("take off the diameter", 1.0, 0.01, 10.0, take_off, note="Enter takes it", enter=1.0)
            )

        self.stage.ask(Question("over a length of", 15.0, 1.0, 500.0, take_long, note="Enter takes it", enter=15.0))

    def feed(self) -> None:
        """Feed to a place in words."""
        session = self.stage.session
        if session is None:
            return
        here = session

        def weigh(words: str) -> str:
            x, z = here.read_place(words)
            return f"machine X {signed_dim(x, 3)}, Z {signed_dim(z, 3)}"

        def take(words: str) -> None:
            self._do(lambda at: (at.feed_to(words), ""))

        self.stage.ask(Words("feed to", "x 48 z -20 of the program (X a diameter), u and w by so much", weigh, take))

    def clamp(self) -> None:
        """A fresh piece."""

        def ask() -> None:
            def work(session: TurningSession) -> tuple[str, str]:
                rows = session.new_stock()
                told = f"Out of date now: {', '.join(rows)}." if rows else "Zeros along Z hold: parts sit on a stop."
                return "A fresh piece is clamped.", told

            self._do(work)

        self.stage.confirm(
            "Enter: a fresh piece is clamped.", "What was cut and measured on the last one is gone.", ask
        )
