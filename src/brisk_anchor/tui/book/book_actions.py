"""What is done in the book: changes by hand, locks, names, snapshots, files, writing to the control and reading it."""

from __future__ import annotations

from dataclasses import field, replace
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from brisk_anchor.book.entries import local_time
from brisk_anchor.core.errors import BriskAnchorError
from brisk_anchor.core.numbers import counted
from brisk_anchor.core.quantities import dim, expanded
from brisk_anchor.lazy_dataclass import dataclass
from brisk_anchor.nc.bounded import is_file, typed_path
from brisk_anchor.tui.base import Stage
from brisk_anchor.tui.book.panels import signed
from brisk_anchor.tui.entry import Question, Words

if TYPE_CHECKING:
    from brisk_anchor.services.offsets.book_rows import BookLine, TableReference
    from brisk_anchor.services.offsets.fits import Fit
    from brisk_anchor.services.session.session import Session
    from brisk_anchor.tui.view_state import ViewState


@dataclass(slots=True)
class BookChoice:
    """What is chosen in the book, and how it is looked at."""

    row: str = ""
    entry: int = 0
    """How many entries back from the newest."""
    marked: list[str] = field(default_factory=list)
    against: str = "control"
    search: str = ""
    order: str = "row"
    everything: bool = False
    reference: TableReference | None = None
    lines: list[BookLine] = field(default_factory=list)

    @property
    def line(self) -> BookLine | None:
        """The chosen row as it stands."""
        return next((line for line in self.lines if line.row == self.row), None)

    @property
    def rows(self) -> list[str]:
        """The marked rows, or the chosen one; none where nothing is listed."""
        return list(self.marked) or [row for row in (self.row,) if row]


class BookActions:
    """What is done with the chosen rows."""

    def __init__(self, stage: Stage, choice: BookChoice) -> None:
        self.stage = stage
        self.choice = choice

    def _at_rows(self) -> ViewState | None:
        """What is open, where rows are marked or one is chosen."""
        return self._where(any_row=bool(self.choice.rows))

    def _at_row(self) -> ViewState | None:
        """What is open, where a row is chosen."""
        return self._where(any_row=bool(self.choice.row))

    def _where(self, *, any_row: bool) -> ViewState | None:
        view_state = self.stage.free()
        if view_state is None or any_row:
            return view_state
        from brisk_anchor.services.offsets.book_guide import NOT_LISTED

        self.stage.tell(*NOT_LISTED, "ask")
        return None

    # -- by hand -----------------------------------------------------------------------------------------------

    def edit(self) -> None:
        """Type values of the chosen row, with a reason."""
        from brisk_anchor.services.offsets.book_words import read_typed
        from brisk_anchor.services.offsets.offset_book import edit, present

        view_state = self._at_row()
        if view_state is None:
            return
        session, row = view_state.session, self.choice.row
        now = {axis: held.value for axis, held in present(session, row).items()}

        def weigh(words: str) -> str:
            typed = read_typed(words, now)
            spreads = {axis: f" {expanded(spread / 2)}" for axis, spread in typed.spreads.items()}
            shown = "  ".join(
                f"{a.upper()} {signed(v)}{spreads.get(a, '')} ({signed(v - now.get(a, 0.0))})"
                for a, v in typed.values.items()
            )
            return f"{shown}   {typed.reason or 'say why after a semicolon'}"

        def answer(words: str) -> None:
            def work() -> tuple[str, str]:
                typed = read_typed(words, now)
                u = {axis: spread / 2 for axis, spread in typed.spreads.items()}
                edit(session, row, typed.values, typed.reason, u)
                return f"{row} is typed in the book: {typed.reason}.", "⟨s⟩ writes it to the control."

            self.stage.attempt(work)

        hint = "x 12.5 y =-0.2 ±0.01 z 1/4in; and why: figures, sums, = and a change, ± where known, then the reason"
        self.stage.ask(Words(row, lambda _: hint, weigh, answer))

    def undo(self) -> None:
        """Bring back what the row was before, as a new entry."""
        from brisk_anchor.services.offsets.offset_book import undo

        if (view_state := self._at_row()) is not None:
            row = self.choice.row
            self.stage.attempt(
                lambda: (f"{row} is as it was before; {undo(view_state.session, row).row} has a new entry.", "")
            )

    def restore(self) -> None:
        """Bring the chosen entry's values back, as a new entry."""
        from brisk_anchor.services.offsets.offset_book import restore

        view_state = self._at_row()
        if view_state is None:
            return
        row = self.choice.row
        entries = view_state.session.rows.history(row)
        if not entries:
            return
        entry = entries[len(entries) - 1 - self.choice.entry]

        def work() -> tuple[str, str]:
            restore(view_state.session, row, entry)
            self.choice.entry = 0
            return f"{row} is as it was {local_time(entry.at):%Y-%m-%d %H:%M}, as a new entry.", "⟨s⟩ writes it."

        self.stage.attempt(work)

    def lock_row(self) -> None:
        """Lock the chosen row, or unlock it."""
        from brisk_anchor.services.offsets.offset_book import lock

        view_state, line = self._at_row(), self.choice.line
        if view_state is None or line is None:
            return

        def work() -> tuple[str, str]:
            lock(view_state.session, line.row, locked=not line.locked)
            if line.locked:
                return f"{line.row} is unlocked.", ""
            return f"{line.row} is locked.", "Nothing writes it until it is unlocked."

        self.stage.attempt(work)

    def limit(self) -> None:
        """How far the chosen row may jump."""
        from brisk_anchor.services.offsets.offset_book import set_limit

        view_state, line = self._at_row(), self.choice.line
        if view_state is None or line is None:
            return

        def answer(value: float) -> None:
            def work() -> tuple[str, str]:
                set_limit(view_state.session, line.row, value)
                return f"{line.row} may move {dim(value)} at a store; further stops it.", ""

            self.stage.attempt(work)

        self.stage.ask(Question(f"{line.row} may jump", line.limit, 0.001, 1000.0, answer))

    def rename(self) -> None:
        """Another name for the chosen row."""
        from brisk_anchor.services.offsets.offset_book import rename

        if (view_state := self._at_row()) is not None:
            row = self.choice.row

            def answer(words: str) -> None:
                def work() -> tuple[str, str]:
                    rename(view_state.session, row, words)
                    return f"{row} is called {words}.", ""

                self.stage.attempt(work)

            self.stage.ask(Words(f"{row} is called", lambda _: "its name", lambda words: words[:60], answer))

    def person(self) -> None:
        """Who makes the entries from now on."""
        if (view_state := self.stage.free()) is not None:

            def answer(words: str) -> None:
                view_state.session.ledger.who = words[:60]
                self.stage.tell(f"Entries are by {words[:60]} now.", "", "good")

            self.stage.ask(Words("who", lambda _: "a name, as it is to stand in the book", lambda words: words, answer))

    def snapshot(self) -> None:
        """Keep the whole table under a name."""
        from brisk_anchor.services.offsets.book_files import write_snapshot

        if (view_state := self.stage.free()) is not None:

            def answer(words: str) -> None:
                self.stage.attempt(
                    lambda: (f"Snapshot “{words}” is kept.", f"Also as {write_snapshot(view_state.session, words)}")
                )

            hint = "good part 14, for example; ⟨c⟩ compares with it later"
            self.stage.ask(Words("snapshot", lambda _: hint, lambda words: words[:60], answer))

    def derive(self) -> None:
        """New rows that follow the chosen one: a pattern, lengths, a spacer, a table angle."""
        from brisk_anchor.services.offsets.book_words import derive, read_derived

        view_state = self._at_row()
        if view_state is None:
            return
        session, row = view_state.session, self.choice.row

        def weigh(words: str) -> str:
            found = read_derived(session, row, words)
            return f"{len(found)} rows: {', '.join(plan.row for plan in found[:8])}"

        def answer(words: str) -> None:
            def work() -> tuple[str, str]:
                made = derive(session, row, words)
                return (
                    f"{', '.join(made)} follow {row}.",
                    "They move and turn with it; ⟨setup:u⟩ in the set-up takes them back.",
                )

            self.stage.attempt(work)

        hint = "grid 3, 2, 60, 45 · length 40, 55 · spacer x 25 · shift 10, 0, -5 · table B 90; then to G57 says where"
        self.stage.ask(Words(f"follows {row}", lambda _: hint, weigh, answer))

    def one_for_all(self) -> None:
        """Every operation onto the chosen row; again: each back onto its own."""
        view_state = self._at_row()
        if view_state is None:
            return
        row, session = self.choice.row, view_state.session
        if session.setup.places:
            self._other_school(session)
            return

        def work() -> tuple[str, str]:
            change = session.editor.changing().one_for_all(row)
            session.editor.change(change)
            return (
                f"{change.told[0].upper()}{change.told[1:]}.",
                "⟨O⟩ again, or ⟨setup:u⟩ in the set-up, takes it back.",
            )

        self.stage.attempt(work)

    def _other_school(self, session: Session) -> None:
        """Ask what the rows of the places stand for; show every operation's row before it is taken."""
        from brisk_anchor.services.offsets.schools import SCHOOLS, preview, school_change
        from brisk_anchor.tui.rows_sheet import RowsSheet

        def weigh(words: str) -> str:
            change = school_change(session, words)
            count = len({operation.offset for operation in change.setup.card.operations})
            return f"{SCHOOLS[words.strip().lower()]}: {count} rows; Enter shows every operation"

        def answer(words: str) -> None:
            try:
                change = school_change(session, words)
                lines = preview(session, change)
            except BriskAnchorError as error:
                self.stage.complain(error)
                return

            def take() -> tuple[str, str]:
                session.editor.change(change)
                return (
                    f"{change.told[0].upper()}{change.told[1:]}.",
                    "⟨O⟩, or ⟨setup:u⟩ in the set-up, goes back. No tool has moved.",
                )

            title = "Operations and their rows; moves: how the program's own figures change"
            self.stage.open_sheet(RowsSheet(self.stage, title, "uses", lines, take))

        hint = "part, face, centre or derived: what the rows of the places stand for"
        self.stage.ask(Words("rows stand for", hint, weigh, answer))

    # -- comparing ---------------------------------------------------------------------------------------------

    def compare(self) -> None:
        """What the rows are compared with."""
        from brisk_anchor.services.offsets.book_compare import reference
        from brisk_anchor.services.offsets.book_files import named_unit, read_reference

        view_state = self.stage.free()
        if view_state is None:
            return
        session = view_state.session

        def find(words: str) -> TableReference:
            path, unit = named_unit(words)
            return read_reference(session, path, unit) if path.suffix and is_file(path) else reference(session, words)

        def answer(words: str) -> None:
            self.choice.reference, self.choice.against = find(words), words
            self.stage.show_all()

        hint = "control · last · a row · a day as 2026-11-03 · snapshot NAME · machine NAME · a file"
        self.stage.ask(Words("compare with", lambda _: hint, lambda words: find(words).words, answer))

    def find(self) -> None:
        """Only rows with some words; nothing shows all again."""
        if self.stage.free() is None:
            return

        def answer(words: str) -> None:
            self.choice.search = "" if words == "*" else words
            self.stage.show_all()

        self.stage.ask(
            Words(
                "rows with",
                lambda _: "words of name, state or source; differs: only those that do; * shows all",
                lambda w: w,
                answer,
            )
        )

    # -- files and the control ---------------------------------------------------------------------------------

    def write(self) -> None:
        """Second look, then the marked rows, or the chosen one, into the control's table; Enter confirms."""
        from brisk_anchor.core.offsets.checks import look_at_control
        from brisk_anchor.services.offsets.offset_book import look_before_writing, write_rows

        view_state = self._at_rows()
        if view_state is None:
            return
        rows, session = self.choice.rows, view_state.session
        try:
            looks = look_at_control(session.link.condition) + look_before_writing(session, rows)
        except BriskAnchorError as error:
            self.stage.complain(error)
            return
        if stops := [look for look in looks if look.stops]:
            self.stage.tell(f"{stops[0].found}.", f"{stops[0].why}. {stops[0].do}.", "bad")
            return

        def answer(words: str) -> None:
            def work() -> tuple[str, str]:
                program = write_rows(session, rows)
                self.choice.marked.clear()
                return f"{', '.join(rows)} written by O{program.number:04d} and read back.", "Entered as stored."

            if words.strip().lower() in ("y", "yes") and view_state.desk is not None:
                self.choice.marked.clear()
                view_state.desk.hand_over(
                    f"the program that sets {', '.join(rows[:4])}", lambda orders, told: orders.write_rows(rows, told)
                )
            elif words.strip().lower() in ("y", "yes"):
                self.stage.attempt(work)
            else:
                self.stage.tell("Nothing was written.", "", "ask")

        found = f"Second look: {looks[0].found}." if looks else "Second look: nothing found."
        following = list(dict.fromkeys(c for row in rows for c in session.rows.children(row) if c not in rows))
        found += f" {', '.join(following)} follow." if following else ""
        names = f"{', '.join(rows[:4])}{' and more' if len(rows) > 4 else ''}"
        self.stage.ask(Words(f"write {names}?", lambda _: f"y writes. {found}", lambda _: found, answer))

    def write_following(self) -> None:
        """Show what follows the chosen row; Enter writes it."""
        from brisk_anchor.tui.rows_sheet import show_following

        if self._at_row() is not None:
            show_following(self.stage, self.choice.row)

    def take(self) -> None:
        """Take figures from the control or a file into the book, after they were compared."""
        from brisk_anchor.services.offsets.book_compare import reference
        from brisk_anchor.services.offsets.book_files import named_unit, read_reference
        from brisk_anchor.services.offsets.book_rows import TableReference
        from brisk_anchor.services.offsets.offset_book import changes_of, take_over
        from brisk_anchor.tui.rows_sheet import RowsSheet

        view_state = self._at_rows()
        if view_state is None:
            return
        session, rows = view_state.session, self.choice.rows

        def find(words: str) -> TableReference:
            if words.lower() == "control":
                held = reference(session, "control").values
                return TableReference("read from the control", {row: held[row] for row in rows})
            found = read_reference(session, *named_unit(words))
            return replace(found, words=f"from {found.words}")

        def weigh(words: str) -> str:
            return f"{counted(len(find(words).values), 'row', 'rows')}; Enter shows how each differs"

        def answer(words: str) -> None:
            try:
                found = find(words)
                changes = changes_of(session, found)
            except BriskAnchorError as error:
                self.stage.complain(error)
                return

            def work() -> tuple[str, str]:
                changed = take_over(session, found.values, found.words, found.spreads)
                return f"Taken into the book: {', '.join(changed)}.", "The control is as it was; ⟨s⟩ writes the rows."

            self.stage.open_sheet(RowsSheet(self.stage, f"Figures {found.words}", "takes into the book", changes, work))

        hint = "control, for the marked rows; or a file: CSV, JSON, blocks of G10, report lines"
        self.stage.ask(Words("take from", lambda _: hint, weigh, answer))

    def export(self) -> None:
        """Write the table, or the program that sets the marked rows, to a file."""
        from brisk_anchor.services.offsets.book_files import write_out

        view_state = self._at_rows()
        if view_state is None:
            return
        session, rows = view_state.session, self.choice.rows

        def answer(words: str) -> None:
            def work() -> tuple[str, str]:
                path = self.stage.folder / words if not Path(words).is_absolute() else Path(words)
                return write_out(session, path, rows)

            self.stage.attempt(work)

        hint = "table.csv, table.json or table.nc; set.tap writes the guarded program for the marked rows"
        self.stage.ask(Words("file", lambda _: hint, lambda words: words, answer))

    def card(self) -> None:
        """Large figures to type at the control, ticked off."""
        from brisk_anchor.services.offsets.book_files import card
        from brisk_anchor.tui.book.card_sheet import CardSheet

        if (view_state := self._at_rows()) is not None:
            try:
                self.stage.open_sheet(CardSheet(card(view_state.session, self.choice.rows)))
            except BriskAnchorError as error:
                self.stage.complain(error)

    def chart(self) -> None:
        """Write the days of the chosen row as SVG and PDF."""
        from brisk_anchor.services.offsets.book_files import write_timeline

        if (view_state := self._at_row()) is not None:
            work = partial(write_timeline, view_state.session, self.choice.row, self.stage.folder)
            self.stage.beside("Drawing the days …", work, self.stage.tell_written)

    def fits(self) -> None:
        """Does a cutting program fit into the travels?"""
        from brisk_anchor.services.offsets.fits import fit_file, words

        view_state = self.stage.free()
        if view_state is None:
            return
        session = view_state.session

        def answer(name: str) -> None:
            from brisk_anchor.services.offsets.book_files import write_fit
            from brisk_anchor.tui.book.fits_sheet import FitsSheet

            def work() -> tuple[Fit, list[str]]:
                fit = fit_file(session, typed_path(name))
                return fit, [path.name for path in write_fit(session, fit, self.stage.folder)]

            def show(found: tuple[Fit, list[str]]) -> None:
                self.stage.show_all()
                self.stage.open_sheet(FitsSheet(session, found[0], words(found[0]), found[1]))

            self.stage.beside(f"Reading {Path(name).name} …", work, show)

        def weigh(name: str) -> str:
            return "Enter reads it" if is_file(typed_path(name)) else "no such file yet"

        self.stage.ask(Words("program", lambda _: "a cutting program, of any length", weigh, answer))
