"""The book of a lathe: work offsets, geometry and wear as they stand; of the chosen row its sum and its history."""

from __future__ import annotations

from rich.text import Text
from textual.app import ComposeResult
from textual.containers import Vertical

from brisk_anchor.book.entries import EntryKind
from brisk_anchor.core.quantities import shown_unit
from brisk_anchor.services.turning.turning_session import TurningSession
from brisk_anchor.services.turning.turning_words import FigureLine, chain_of, history_lines, tool_lines, work_lines
from brisk_anchor.tui import theme
from brisk_anchor.tui.bench.chain_panel import axis_lines
from brisk_anchor.tui.budget_sheet import BudgetSheet
from brisk_anchor.tui.choice_list import ChoiceList, ListRow
from brisk_anchor.tui.panels import Heading, LatePanel
from brisk_anchor.tui.turning.base import Handlers, TurningPanel, TurningStage
from brisk_anchor.tui.words import cut


class TurningBook(TurningPanel):
    """The book."""

    def __init__(self, stage: TurningStage, *, id: str) -> None:
        super().__init__(stage, id=id)
        self.chosen = 0

    @property
    def handlers(self) -> Handlers:
        """What the book does."""
        return {"move": self.move, "lock": self.lock_row, "budget": self.budget}

    def compose(self) -> ComposeResult:
        """The rows at the left; sum and history at the right."""
        with Vertical(id="turn-book-left"):
            yield Heading(id="rows-heading")
            yield ChoiceList(id="rows")
        with Vertical(id="turn-book-side"):
            yield Heading(id="row-heading")
            yield LatePanel(id="row-chain")
            yield Heading(id="row-history-heading")
            yield LatePanel(id="row-history")

    def next_sentence(self, session: TurningSession) -> tuple[str, str]:
        """What can be done here."""
        return (
            f"↑ ↓ choose a row; {self.row(session)} is chosen.",
            "Tab chooses the next length of the family. ⟨u⟩ undoes.",
        )

    def _lines(self, session: TurningSession) -> list[FigureLine]:
        lines = work_lines(session)
        for _, geometry, wear in tool_lines(session):
            lines += [geometry, wear]
        return lines

    def row(self, session: TurningSession) -> str:
        """The chosen row."""
        lines = self._lines(session)
        return lines[min(self.chosen, len(lines) - 1)].row

    def show(self) -> None:
        """Bring everything up to date."""
        session = self.stage.session
        if session is None:
            return
        lines, active = self._lines(session), session.row
        works = len(session.rows())
        self.query_one("#rows-heading", Heading).tell("tables", f"X diameters, {shown_unit().word}")

        def make(width: int) -> list[ListRow]:
            rows = [ListRow(_head(width), None)]
            for number, line in enumerate(lines):
                if number == works:
                    rows.append(ListRow(Text(" tools", theme.FAINT), None))
                rows.append(ListRow(_line(line, width, active=line.row == active), number))
            return rows

        self.query_one(ChoiceList).tell((tuple(lines), active, shown_unit()), make, self.chosen)
        row = self.row(session)
        state = session.state(row).value
        self.query_one("#row-heading", Heading).tell(session.ledger.named(row), state, theme.STATE_SHAPES[state][1])
        text = Text(no_wrap=True, overflow="ellipsis")
        chain = chain_of(session, row)
        if chain is None:
            text.append(" nothing is known of it but what stands in the table\n", theme.QUIET)
        else:
            for axis in chain.axes:
                axis_lines(text, axis)
        self.query_one("#row-chain", LatePanel).tell_text(text, max(3, text.plain.count("\n") + 1))
        history = history_lines(session, row)
        self.query_one("#row-history-heading", Heading).tell("history", f"{len(history)} entries")
        told = Text(no_wrap=True, overflow="ellipsis")
        for when, kind, what in history[:40]:
            shape, colour = theme.ENTRY_SHAPES.get(kind, ("·", theme.QUIET))
            told.append(f" {shape} ", f"bold {colour}")
            told.append(f"{when}  {kind:<11}", theme.QUIET)
            told.append(f"{what}\n", theme.TEXT)
        self.query_one("#row-history", LatePanel).tell_text(told)

    def on_choice_list_chosen(self, message: ChoiceList.Chosen) -> None:
        """A click chooses a row."""
        self.chosen = message.choice
        self.stage.show_all()

    def move(self, by: int) -> None:
        """Choose the next row."""
        session = self.stage.session
        if session is not None:
            self.chosen = (self.chosen + by) % len(self._lines(session))
            self.stage.show_all()

    def lock_row(self) -> None:
        """Lock the chosen row, or unlock it."""
        session = self.stage.session
        if session is None:
            return
        row = self.row(session)

        def work() -> tuple[str, str]:
            locked = session.ledger.locked(row)
            session.ledger.add(EntryKind.UNLOCKED if locked else EntryKind.LOCKED, row, None)
            return f"{row} is {'unlocked' if locked else 'locked'}.", "" if locked else "Nothing writes it while it is."

        self.stage.attempt(work)

    def budget(self) -> None:
        """What the ± of the chosen row is made of."""
        session = self.stage.session
        chain = None if session is None else chain_of(session, self.row(session))
        if chain is None or not any(axis.stated for axis in chain.axes):
            self.stage.tell("Nothing of it is measured yet.", "Its ± comes with its figures.", "ask")
            return
        self.stage.open_sheet(BudgetSheet(chain))


def _head(width: int) -> Text:
    note = "known by" if width > 84 else ""
    return Text(f"   {'row':<14}{'state':<15}{'⌀ X':>12}{'Z':>12}  {'±':<22}{note}", theme.FAINT)


def _line(line: FigureLine, width: int, *, active: bool) -> Text:
    shape, colour = theme.STATE_SHAPES[line.state]
    text = Text(no_wrap=True, overflow="ellipsis")
    text.append("   ")
    text.append(f"{f'[{line.row}]' if active else line.row:<14}", f"bold {theme.TEXT}")
    text.append(f"{shape} {line.state:<13}", colour)
    quiet = line.state == "not measured"
    text.append(f"{line.x:>12}{line.z:>12}", theme.QUIET if quiet else theme.TEXT)
    text.append(f"  {line.spread:<22}", theme.QUIET)
    text.append(cut(line.note or line.title, max(0, width - 80)), theme.QUIET)
    return text
