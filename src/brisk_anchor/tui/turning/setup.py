"""The set-up to turn: its lines in words, each checked with all the others; beside them the picture of it."""

from __future__ import annotations

from rich.text import Text
from textual.app import ComposeResult
from textual.containers import Vertical

from brisk_anchor.services.turning.half_section import section_of_setup
from brisk_anchor.services.turning.set_up_words import FAMILY, GAUGE, HOLDING, PART, STOCK, TARGET, TOOL
from brisk_anchor.services.turning.turning_session import TurningSession
from brisk_anchor.services.turning.turning_words import facts_of_setup, setup_lines
from brisk_anchor.tui import theme
from brisk_anchor.tui.choice_list import ChoiceList, ListRow
from brisk_anchor.tui.entry import Words
from brisk_anchor.tui.panels import Heading, LatePanel
from brisk_anchor.tui.turning.base import Handlers, TurningPanel, TurningStage
from brisk_anchor.tui.turning.section_drawing import SectionDrawing
from brisk_anchor.tui.words import cut

_HINTS = {
    "part": PART,
    "stock": STOCK,
    "holding": HOLDING,
    "tools": TOOL,
    "gauges": GAUGE,
    "targets": TARGET,
    "family": FAMILY,
    "zero": "finished face, chuck face or jaws",
    "side": "first or second",
}


def _hint(session: TurningSession, key: str) -> str:
    """How a line of the set-up is written."""
    if key != "row":
        return _HINTS[key]
    profile = session.job.profile
    return ", ".join(profile.all_rows) if profile is not None else "a name of your own"


class TurningSetup(TurningPanel):
    """The set-up."""

    def __init__(self, stage: TurningStage, *, id: str) -> None:
        super().__init__(stage, id=id)
        self.chosen = 0

    @property
    def handlers(self) -> Handlers:
        """What the set-up view does."""
        return {"move": self.move, "change": self.change, "remove": self.take_out, "undo": self.undo}

    def compose(self) -> ComposeResult:
        """Lines at the left; picture and what follows at the right."""
        with Vertical(id="turn-setup-left"):
            yield Heading(id="lines-heading")
            yield ChoiceList(id="lines")
        with Vertical(id="turn-setup-side"):
            yield SectionDrawing(id="setup-section")
            yield Heading(id="facts-heading")
            yield LatePanel(id="setup-facts")

    def next_sentence(self, session: TurningSession) -> tuple[str, str]:
        """What can be done here."""
        key, _, title, words = self._line(session)
        if not words:
            return f"Enter: add a {title.removeprefix('+ ')}.", f"As {_hint(session, key)}"
        return f"Enter: change the {title}.", "⟨Del⟩ takes a line out, ⟨u⟩ takes the last change back."

    def _line(self, session: TurningSession) -> tuple[str, int | None, str, str]:
        lines = setup_lines(session)
        return lines[min(self.chosen, len(lines) - 1)]

    def show(self) -> None:
        """Bring everything up to date."""
        session = self.stage.session
        if session is None:
            return
        lines = setup_lines(session)
        name = f"{session.job.file.job}  {session.job.file.title}"
        self.query_one("#lines-heading", Heading).tell(name, f"O{session.job.setup.program}, {session.job.file.units}")

        def make(width: int) -> list[ListRow]:
            rows = []
            for number, (_, _, title, words) in enumerate(lines):
                text = Text("   ", no_wrap=True, overflow="ellipsis")
                text.append(f"{title:<10}", theme.QUIET if words else theme.FAINT)
                text.append(cut(words, max(10, width - 14)), theme.TEXT)
                rows.append(ListRow(text, number))
            return rows

        self.query_one(ChoiceList).tell(tuple(lines), make, self.chosen)
        self.query_one(SectionDrawing).show(section_of_setup(session))
        self.query_one("#facts-heading", Heading).tell("what follows")
        text = Text(no_wrap=True, overflow="ellipsis")
        for line in facts_of_setup(session):
            warns = line.startswith("!")
            text.append(f" {line}\n", theme.SAND if warns else theme.TEXT)
        self.query_one("#setup-facts", LatePanel).tell_text(text, text.plain.count("\n"))

    def on_choice_list_chosen(self, message: ChoiceList.Chosen) -> None:
        """A click chooses a line."""
        self.chosen = message.choice
        self.stage.show_all()

    def move(self, by: int) -> None:
        """Choose the next line."""
        session = self.stage.session
        if session is not None:
            self.chosen = (self.chosen + by) % len(setup_lines(session))
            self.stage.show_all()

    def change(self) -> None:
        """Change the chosen line in words, or add one."""
        session = self.stage.session
        if session is None:
            return
        key, number, title, words = self._line(session)

        def put(text: str) -> str | list[str]:
            return text if number is None else _with(getattr(session.job.file.setup, key), number, text)

        def weigh(text: str) -> str:
            session.changed(key, put(text))
            return "the whole set-up is sound with it"

        def take(text: str) -> None:
            def work() -> tuple[str, str]:
                session.change(key, put(text))
                return f"The {title.removeprefix('+ ')} is changed.", "⟨u⟩ takes it back. The file is written."

            self.stage.attempt(work)

        self.stage.ask(Words(title.removeprefix("+ "), f"as {_hint(session, key)}", weigh, take, text=words))

    def take_out(self) -> None:
        """Take a line of a list out."""
        session = self.stage.session
        if session is None:
            return
        key, number, title, words = self._line(session)
        if number is None or not words:
            self.stage.tell(f"The {title} cannot be taken out.", "Change it: Enter.", "ask")
            return

        def work() -> tuple[str, str]:
            lines = list(getattr(session.job.file.setup, key))
            del lines[number]
            session.change(key, lines)
            return f"The {title} is taken out.", "⟨u⟩ takes it back."

        self.stage.attempt(work)

    def undo(self) -> None:
        """Take the last change back."""
        session = self.stage.session
        if session is None:
            return

        def work() -> tuple[str, str]:
            session.undo_change()
            return "The set-up is as it was before.", "The file is written."

        self.stage.attempt(work)


def _with(lines: list[str], number: int, text: str) -> list[str]:
    changed = list(lines)
    changed[number : number + 1] = [text]
    return changed
