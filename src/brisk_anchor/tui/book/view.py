"""The book: the offset table with its evidence, what it is compared with, and the history of the chosen row."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import TYPE_CHECKING

from rich.text import Text
from textual.app import ComposeResult
from textual.containers import Vertical

from brisk_anchor.book.entries import local_time
from brisk_anchor.core.errors import BookError
from brisk_anchor.core.quantities import along, expanded, shown_unit, um
from brisk_anchor.tui import theme
from brisk_anchor.tui.actions import Do
from brisk_anchor.tui.base import Handlers, Stage, View
from brisk_anchor.tui.bench.chain_panel import chain_text
from brisk_anchor.tui.book.book_actions import BookActions, BookChoice
from brisk_anchor.tui.book.panels import days_text, moves_text, signed
from brisk_anchor.tui.budget_sheet import show_budget
from brisk_anchor.tui.choice_list import ChoiceList, ListRow
from brisk_anchor.tui.panels import Heading, LatePanel, Same

if TYPE_CHECKING:
    from brisk_anchor.book.entries import Entry
    from brisk_anchor.services.offsets.book_rows import BookLine, TableReference
    from brisk_anchor.services.session.session import Session
    from brisk_anchor.tui.view_state import ViewState

_TONES = {
    "bad": theme.CORAL,
    "ask": theme.SAND,
    "quiet": theme.QUIET,
    "plain": theme.TEXT,
    "good": theme.LIVE,
    "faint": theme.FAINT,
}
SIDES = ("chain", "what moves", "days")
_OLDER = 5
"""How near the oldest entry in memory the choice comes before older ones are fetched."""


class BookView(View):
    """Rows at the top left, history below; at the right the chain of the chosen entry, what moves, or the days."""

    def __init__(self, stage: Stage, *, id: str) -> None:
        super().__init__(stage, id=id)
        self.choice = BookChoice()
        self.side = SIDES[0]
        self.actions = BookActions(stage, self.choice)
        self._known: dict[str, tuple[object, ListRow]] = {}

    @property
    def handlers(self) -> Handlers:
        """How this view does what its actions in the table name."""
        acts = self.actions
        return {
            Do.MOVE: self.move,
            Do.TURN: self.turn,
            Do.EDIT: acts.edit,
            Do.WRITE: acts.write,
            Do.WRITE_FOLLOWING: acts.write_following,
            Do.TAKE: acts.take,
            Do.COMPARE: acts.compare,
            Do.NEXT_SIDE: self.next_side,
            Do.MARK: self.mark,
            Do.BUDGET: self.budget,
            Do.UNDO: acts.undo,
            Do.RESTORE: acts.restore,
            Do.LOCK_ROW: acts.lock_row,
            Do.LIMIT: acts.limit,
            Do.RENAME: acts.rename,
            Do.PERSON: acts.person,
            Do.SNAPSHOT: acts.snapshot,
            Do.DERIVE: acts.derive,
            Do.ONE_FOR_ALL: acts.one_for_all,
            Do.FITS: acts.fits,
            Do.EXPORT: acts.export,
            Do.CARD: acts.card,
            Do.CHART: acts.chart,
            Do.NEXT_ORDER: self.next_order,
            Do.FIND: acts.find,
            Do.ALL_ROWS: self.all_rows,
            Do.STOP: self.stop,
        }

    def compose(self) -> ComposeResult:
        """Table, history, side."""
        with Vertical(id="book-left"):
            yield Heading(id="table-heading")
            yield LatePanel(id="book-columns")
            yield ChoiceList(id="book-table")
            yield Heading(id="history-heading")
            yield LatePanel(id="book-history")
            yield Heading(id="days-heading")
            yield LatePanel(id="book-days")
        with Vertical(id="book-side"):
            yield Heading(id="entry-heading")
            yield LatePanel(id="book-entry")

    def next_sentence(self, view_state: ViewState) -> tuple[str, str]:
        """What cannot be missed first, then what can be done."""
        from brisk_anchor.services.offsets.book_guide import next_step

        return next_step(view_state.session, self.choice.lines, self.choice.line)

    def show(self) -> None:
        """Bring everything up to date."""
        from brisk_anchor.services.offsets.book_compare import reference
        from brisk_anchor.services.offsets.book_rows import lines

        view_state = self.view_state
        if view_state is None:
            return
        session = view_state.session
        if self.choice.reference is None or not self.choice.reference.lasting:
            try:
                self.choice.reference = reference(session, self.choice.against)
            except BookError as error:  # the value before may lie in what is not held here
                self.choice.against = "control"
                self.choice.reference = reference(session, "control")
                self.stage.complain(error)
        self.choice.lines = lines(
            session,
            everything=self.choice.everything,
            order=self.choice.order,
            search=self.choice.search,
            against=self.choice.reference,
        )
        rows = [line.row for line in self.choice.lines]
        if self.choice.row not in rows:
            self.choice.row = view_state.row if view_state.row in rows else rows[0] if rows else ""
        sorted_by = "" if self.choice.order == "row" else f"by {self.choice.order}, "
        only = f"only “{self.choice.search}”, " if self.choice.search else ""
        note = f"{only}{sorted_by}against {self.choice.reference.words}, {shown_unit().word}"
        self.query_one("#table-heading", Heading).tell(f"offsets of {session.setup.machine.name}", note)
        self._show_table(view_state)
        entries = session.rows.history(self.choice.row) if self.choice.row else []
        self.choice.entry = min(self.choice.entry, max(0, len(entries) - 1))
        from brisk_anchor.services.offsets.book_rows import owner_words

        row = self.choice.row
        self.query_one("#history-heading", Heading).tell(
            f"history of {session.ledger.named(row)}{owner_words(session, row)}" if row else "no row is chosen",
            f"{session.ledger.count(self.choice.row) if entries else 0} entries, newest first",
        )
        key = (self.choice.row, self.choice.entry, len(entries), shown_unit())
        self.query_one("#book-history", LatePanel).tell_late(key, lambda _width, height: self._history(entries, height))
        self._show_days(view_state, entries)
        self._show_side(view_state, entries)

    def _show_days(self, view_state: ViewState, entries: list[Entry]) -> None:
        """Below a short history: the days of the row, or what moves where it has only one value yet."""
        small, line = self.app.has_class("compact"), self.choice.line
        valued = [entry for entry in entries if entry.kind.value in ("stored", "typed") and entry.values]
        room = not small and bool(valued) and self.app.size.height - len(self.choice.lines) * 2 > 26
        heading, panel = self.query_one("#days-heading", Heading), self.query_one("#book-days", LatePanel)
        heading.display = panel.display = room
        history = self.query_one("#book-history", LatePanel)
        history.styles.height = max(3, min(8, len(entries) + 1)) if room else "1fr"
        if not room:
            return
        if len(valued) > 1:
            heading.tell(f"days of {self.choice.row}", "stored and by hand; ⟨T⟩ writes them")
            key = ("days", self.choice.row, len(entries), shown_unit())
            panel.tell_late(key, lambda width, height: days_text(entries, width, height))
        elif line is not None and self.choice.reference is not None:
            heading.tell("what moves", f"{self.choice.row} against {self.choice.reference.words}")
            self._tell_moves(panel, view_state.session, line, self.choice.reference)

    @staticmethod
    def _tell_moves(panel: LatePanel, session: Session, line: BookLine, reference: TableReference) -> None:
        values, moved = (tuple(found.items()) for found in (line.values, reference.difference(line)))
        key = ("moves", line.row, reference.words, values, moved, shown_unit())
        panel.tell_late(key, lambda _width, height: moves_text(session, line, reference, height))

    def _show_side(self, view_state: ViewState, entries: list[Entry]) -> None:
        # Where there is room for one of them, g changes between table and side.
        small = self.app.has_class("compact")
        left, side = self.query_one("#book-left"), self.query_one("#book-side")
        left.display = not small or self.side == SIDES[0]
        side.display = not small or self.side != SIDES[0]
        side.styles.width = "1fr" if small else 56
        at = len(entries) - 1 - self.choice.entry
        chosen = view_state.session.ledger.whole(self.choice.row, at) if entries else None
        panel, heading = self.query_one("#book-entry", LatePanel), self.query_one("#entry-heading", Heading)
        line = self.choice.line
        if self.side == "what moves" and line is not None and self.choice.reference is not None:
            heading.tell("what moves", f"{self.choice.row} against {self.choice.reference.words}")
            self._tell_moves(panel, view_state.session, line, self.choice.reference)
            return
        if self.side == "days":
            heading.tell(f"days of {self.choice.row}", "stored and by hand")
            key = ("days", self.choice.row, len(entries))
            panel.tell_late(key, lambda width, height: days_text(entries, width, height))
            return
        note = f"{chosen.kind.value} {local_time(chosen.at):%Y-%m-%d %H:%M}" if chosen else ""
        heading.tell(f"chain of the entry, {shown_unit().word}", note)
        text = Text(no_wrap=True, overflow="ellipsis")
        if chosen and not chosen.values:
            # What has no values of its own stands over the values it is about.
            by = f", by {chosen.who}" if chosen.who else ""
            text.append(f" {chosen.kind.value}: {chosen.note}{by}\n", theme.SAND)
            before = next((n for n in range(at, -1, -1) if entries[n].values), None)
            chosen = view_state.session.ledger.whole(self.choice.row, before) if before is not None else None
            text.append(f" about {local_time(chosen.at):%Y-%m-%d %H:%M}:\n\n" if chosen else "", theme.QUIET)
        panel.tell_text(text.append_text(self._chain(chosen)))

    def budget(self) -> None:
        """What the ± of the chosen entry's values is made of."""
        view_state = self.view_state
        if view_state is None:
            return
        session, row = view_state.session, self.choice.row
        entries = session.rows.history(row)
        at = next((n for n in range(len(entries) - 1 - self.choice.entry, -1, -1) if entries[n].values), None)
        show_budget(self.stage, session.ledger.whole(row, at).chain if at is not None else None, row)

    def _chain(self, chosen: Entry | None) -> Text:
        from brisk_anchor.services.offsets.tilted_words import as_tilted_plane
        from brisk_anchor.services.session.guide import size_words

        words = Text(no_wrap=True)
        if chosen and chosen.chain:
            settled = chosen.kind.value in ("stored", "proved")
            words = chain_text(chosen.chain, [], chosen.proof, [], settled=settled)
            for feature in chosen.chain.features:
                words.append(f"\n {feature.name}", f"bold {theme.TEXT}")
                size = size_words(feature)
                form = f"  form {um(feature.form, 1)}" if feature.form is not None else ""
                words.append(f"{size}{form}\n", theme.QUIET)
                for touch in feature.touches:
                    place = "  ".join(f"{a} {signed(v)}" for a, v in zip("XYZ", touch.position, strict=True))
                    words.append(f"   × {place}\n", theme.QUIET)
            if chosen.chain.features:
                words.append("\n touches are spindle positions, machine\n", theme.FAINT)
        elif chosen:
            words.append(f" {chosen.note}\n", theme.QUIET)
        else:
            words.append(" There are no values in this row.\n", theme.QUIET)
        if chosen and (plane := as_tilted_plane(self.view_state.session, self.choice.row) if self.view_state else []):
            words.append(f"\n {plane[0]}\n", f"bold {theme.TEXT}")
            for line in plane[1:]:
                words.append(f" {line}\n", theme.QUIET)
        if chosen and chosen.who:
            words.append(f"\n by {chosen.who}, {chosen.note}\n", theme.QUIET)
        return words

    def _show_table(self, view_state: ViewState) -> None:
        one_line = bool(self.app.has_class("compact"))
        head = Text(no_wrap=True, overflow="ellipsis")
        columns = f"   {'row':<12}{'state':<14}" + "".join(f"{axis:>11}{'±':>8}" for axis in "XYZ")
        head.append(columns + f"{'age':>7}", theme.QUIET)
        common = view_state.session.profile.common_shift
        shift = view_state.session.link.offset(common) if common else (0.0, 0.0, 0.0)
        if any(shift):
            figures = "  ".join(f"{a} {signed(v)}" for a, v in zip("XYZ", shift, strict=True))
            head.append(f"\n ! common shift on top of all rows: {figures}", theme.CORAL)
        self.query_one("#book-columns", LatePanel).tell_text(head, head.plain.count("\n") + 1)
        lines = self.choice.lines
        rows = [self._row(view_state, line, number, one_line=one_line) for number, line in enumerate(lines)]
        at = next((number for number, line in enumerate(lines) if line.row == self.choice.row), 0)
        table = self.query_one("#book-table", ChoiceList)
        table.tell(tuple(map(Same, rows)), lambda _: rows, at)
        most = 11 if one_line else max(6, self.app.size.height - 22)
        table.styles.height = max(1, min(most, table.height_of_rows))

    def _row(self, view_state: ViewState, line: BookLine, number: int, *, one_line: bool) -> ListRow:
        """A row of the list; that of last time where nothing of it changed: most keys change the choice alone."""
        from brisk_anchor.core.quantities import age_words

        age = age_words((datetime.now(UTC) - line.at).total_seconds()) if line.at is not None else ""
        short = one_line and line.row != self.choice.row  # of the others there is room for one line
        shown = (line, number, self.choice.reference, line.row in self.choice.marked, age, shown_unit(), short)
        known = self._known.get(line.row)
        if known is None or known[0] != shown:
            known = self._known[line.row] = (shown, ListRow(self._block(view_state, line, age, short=short), number))
        return known[1]

    def on_choice_list_chosen(self, message: ChoiceList.Chosen) -> None:
        """A click on a row."""
        rows = [line.row for line in self.choice.lines]
        self.move(message.choice - rows.index(self.choice.row))

    def _block(self, view_state: ViewState, line: BookLine, age: str, *, short: bool) -> Text:
        """One row: its values, and under them its name, what uses it, and how it differs."""
        text = Text(no_wrap=True, overflow="ellipsis")
        state = line.state.value
        shape, colour = theme.STATE_SHAPES[state]
        text.append("   ")
        mark = "+" if line.row in self.choice.marked else " "
        name = f"{'└ ' if line.depth else ''}{line.row}"
        text.append(f"{mark}{'  ' * max(0, line.depth - 1)}{name:<11}"[:12], f"bold {theme.TEXT}")
        text.append(f"{shape} {state:<12}", colour)
        if line.values:
            for axis in "xyz":
                text.append(f"{signed(line.values.get(axis, 0.0)):>11}", theme.TEXT)
                spread = expanded(line.u[axis], axis=axis)[1:] if axis in line.u else "?"
                text.append(f"{spread:>8}", theme.QUIET)
        elif any(line.held[axis] for axis in "xyz"):
            for axis in "xyz":
                text.append(f"{signed(line.held[axis]):>11}{'':8}", theme.FAINT)
        else:
            text.append(f"{'—':>11}{'':8}" * 3, theme.FAINT)
        text.append(f"{age:>7}" if age else "", theme.QUIET)
        if not short:
            self._second(text, line, view_state.session.setup.job)
        return text

    def _second(self, text: Text, line: BookLine, job_here: str) -> None:
        from brisk_anchor.services.offsets.book_guide import remarks

        parts = [(words, _TONES[tone]) for words, tone in remarks(line, self.choice.reference, job_here)]
        if not parts:
            return
        text.append("\n    ")
        for number, (words, colour) in enumerate(parts):
            text.append("  " if number else "", theme.QUIET)
            text.append(words, colour)

    def _history(self, entries: list[Entry], height: int) -> Text:
        text = Text(no_wrap=True, overflow="ellipsis")
        room = max(3, height)
        first = max(0, self.choice.entry - room + 2)
        for back in range(first, min(len(entries), first + room)):
            entry = entries[len(entries) - 1 - back]
            chosen = back == self.choice.entry
            text.append(" › " if chosen else "   ", f"bold {theme.SAND}")
            text.append(f"{local_time(entry.at):%Y-%m-%d %H:%M:%S}  ", theme.TEXT if chosen else theme.QUIET)
            shape, colour = theme.ENTRY_SHAPES[entry.kind.value]
            text.append(f"{shape} {entry.kind.value:<9}", colour)
            values = "  ".join(
                f"{a.upper()} {along(a, v, bare=True):>10}" for a, v in entry.values.items() if a != "r" or v
            )
            text.append(f"{values}  ", theme.TEXT if chosen else theme.QUIET)
            text.append(f"{entry.note}\n", theme.QUIET)
        if not entries:
            text.append("   no entries yet\n", theme.FAINT)
        return text

    # -- choosing ----------------------------------------------------------------------------------------------

    def move(self, step: int) -> None:
        """Choose another row."""
        view_state = self.view_state
        rows = [line.row for line in self.choice.lines]
        if view_state is None or not rows:
            return
        self.choice.row = rows[(rows.index(self.choice.row) + step) % len(rows)] if self.choice.row in rows else rows[0]
        self.choice.entry = 0
        if any(plan.row == self.choice.row for plan in view_state.session.setup.rows):
            view_state.row = self.choice.row
        self.stage.show_all()

    def turn(self, step: int) -> None:
        """Choose another entry of the history; older ones are fetched when the choice comes near the oldest."""
        view_state = self.view_state
        if view_state is None:
            return
        self.choice.entry = max(0, self.choice.entry + step)
        ledger = view_state.session.ledger
        if ledger.nears_gap(self.choice.row, self.choice.entry + _OLDER):
            ledger.older(self.choice.row)
        self.show()

    def mark(self) -> None:
        """Mark the chosen row for writing, or leave it out again."""
        if self.choice.row in self.choice.marked:
            self.choice.marked.remove(self.choice.row)
        elif self.choice.row:
            self.choice.marked.append(self.choice.row)
        self.show()

    def next_order(self) -> None:
        """Sort by row, difference, age or state."""
        from brisk_anchor.services.offsets.book_rows import ORDERS

        self.choice.order = ORDERS[(ORDERS.index(self.choice.order) + 1) % len(ORDERS)]
        self.stage.show_all()

    def all_rows(self) -> None:
        """Every row the control has, or only those that matter."""
        self.choice.everything = not self.choice.everything
        self.stage.show_all()

    def next_side(self) -> None:
        """Chain, what moves, or days."""
        self.side = SIDES[(SIDES.index(self.side) + 1) % len(SIDES)]
        self.show()

    def stop(self) -> None:
        """Back to the newest entry, nothing marked."""
        self.choice.entry = 0
        self.choice.marked.clear()
        self.stage.show_all()

    def chosen_row(self, row: str) -> None:
        """Follow the offset chosen elsewhere."""
        self.choice.row, self.choice.entry = row, 0
