"""The code of a lathe: the program that set a row, or the one that brings a tool near its zero; each line's meaning."""

from __future__ import annotations

from rich.text import Text
from textual.app import ComposeResult
from textual.containers import Vertical

from brisk_anchor.core.errors import BriskAnchorError
from brisk_anchor.nc.programs.program import Program
from brisk_anchor.services.turning.turning_session import TurningSession
from brisk_anchor.tui import theme
from brisk_anchor.tui.panels import Heading, LatePanel
from brisk_anchor.tui.turning.base import Handlers, TurningPanel, TurningStage
from brisk_anchor.tui.words import cut


class TurningCode(TurningPanel):
    """The code."""

    def __init__(self, stage: TurningStage, *, id: str) -> None:
        super().__init__(stage, id=id)
        self.looks = False
        self.top = 0

    @property
    def handlers(self) -> Handlers:
        """What the code view does."""
        return {"look": self.look, "scroll": self.scroll}

    def compose(self) -> ComposeResult:
        """One listing."""
        with Vertical(id="turn-code"):
            yield Heading(id="program-heading")
            yield LatePanel(id="program")

    def next_sentence(self, session: TurningSession) -> tuple[str, str]:
        """What can be done here."""
        if session.job.profile is None:
            return "This lathe has a readout and runs no programs.", "Its zeros are set on the readout."
        what = "what brings the tool near the zero" if self.looks else f"what set {session.row}"
        return f"This is {what}. ⟨p⟩: prove {session.row} on a twin.", "⟨c⟩ changes between the two. ↑ ↓ scroll."

    def _program(self, session: TurningSession) -> Program | str:
        if session.job.profile is None:
            return "a readout runs no programs"
        if not self.looks:
            found = session.desk.programs.get(session.row)
            return found if found is not None else f"nothing set {session.row} since the job was opened"
        try:
            return session.look_program(session.row)
        except BriskAnchorError as error:
            return error.one_line(marked=True)

    def show(self) -> None:
        """Bring the listing up to date."""
        session = self.stage.session
        if session is None:
            return
        program = self._program(session)
        heading, panel = self.query_one("#program-heading", Heading), self.query_one("#program", LatePanel)
        if isinstance(program, str):
            heading.tell("program", "")
            panel.tell_text(Text(f" {program}", theme.QUIET))
            return
        heading.tell(f"{program.label}  {program.title}", f"{len(program.lines)} lines, {program.digest[:8]}")
        self.top = max(0, min(self.top, len(program.lines) - 5))
        lines = program.lines[self.top :]

        def make(width: int, height: int) -> Text:
            text = Text(no_wrap=True, overflow="ellipsis")
            room = min(78, max(40, width // 2))
            for number, line in enumerate(lines[:height], self.top + 1):
                text.append(f"{number:>4}  ", theme.FAINT)
                style = f"bold {theme.SAND}" if line.heading else theme.TEXT
                text.append(f"{cut(line.text, room):<{room}}  ", style)
                text.append(f"{cut(line.meaning, max(0, width - room - 9))}\n", theme.QUIET)
            return text

        panel.tell_late((program.digest, self.top), make)

    def look(self) -> None:
        """The other of the two programs."""
        self.looks, self.top = not self.looks, 0
        self.stage.show_all()

    def scroll(self, by: int) -> None:
        """Up or down."""
        self.top += 3 * by
        self.show()
