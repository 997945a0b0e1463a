"""What is done in the book: changes by hand, locks, names, snapshots, files, writing to the control and reading it."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from brisk_anchor.core.errors import BriskAnchorError
from brisk_anchor.tui.base import View
from brisk_anchor.tui.book.panels import signed
from brisk_anchor.tui.entry import Question, Words

if TYPE_CHECKING:
    from brisk_anchor.services.offsets.book_rows import BookLine, TableReference


class BookActing(View):
    """The actions; the view itself says which row and which entry is chosen."""

    row: str
    marked: list[str]
    against: str
    search: str
    reference: TableReference | None

    @property
    def line(self) -> BookLine | None:
        """The chosen row as it stands."""
        raise NotImplementedError

    def _rows(self) -> list[str]:
        return list(self.marked) or [self.row]

    # -- by hand -----------------------------------------------------------------------------------------------

    def edit(self) -> None:
        """Type values of the chosen row, with a reason."""
        from brisk_anchor.services.offsets.book_words import read_change
        from brisk_anchor.services.offsets.offset_book import edit, present

        view_state = self.free_desk()
        if view_state is None:
            return
        session, row = view_state.session, self.row
        now, _ = present(session, row)

        def weigh(words: str) -> str:
            changed, reason = read_change(words, now)
            shown = "  ".join(f"{a.upper()} {signed(v)} ({signed(v - now.get(a, 0.0))})" for a, v in changed.items())
            return f"{shown}   {reason or 'say why after a semicolon'}"

        def answer(words: str) -> None:
            def work() -> tuple[str, str]:
                changed, reason = read_change(words, now)
                edit(session, row, changed, reason)
                return f"{row} is typed in the book: {reason}.", "s writes it to the control."

            self.attempt(work)

        hint = "x 12.5 y =-0.2 z 1/4in; and why: figures, sums, =±, mm or in, then a semicolon and the reason"
        self.owner.ask(Words(row, lambda _: hint, weigh, answer))

    def undo(self) -> None:
        """Bring back what the row was before, as a new entry."""
        from brisk_anchor.services.offsets.offset_book import undo

        if (view_state := self.free_desk()) is not None:
            row = self.row
            self.attempt(
                lambda: (f"{row} is as it was before; {undo(view_state.session, row).row} has a new entry.", "")
            )

    def lock_row(self) -> None:
        """Lock the chosen row, or unlock it."""
        from brisk_anchor.services.offsets.offset_book import lock

        view_state, line = self.free_desk(), self.line
        if view_state is None or line is None:
            return

        def work() -> tuple[str, str]:
            lock(view_state.session, line.row, locked=not line.locked)
            if line.locked:
                return f"{line.row} is unlocked.", ""
            return f"{line.row} is locked.", "Nothing writes it until it is unlocked."

        self.attempt(work)

    def limit(self) -> None:
        """How far the chosen row may jump."""
        from brisk_anchor.services.offsets.offset_book import set_limit

        view_state, line = self.free_desk(), self.line
        if view_state is None or line is None:
            return

        def answer(value: float) -> None:
            def work() -> tuple[str, str]:
                set_limit(view_state.session, line.row, value)
                return f"{line.row} may move {value:g} mm at a store; further stops it.", ""

            self.attempt(work)

        self.owner.ask(Question(f"{line.row} may jump", line.limit, 0.001, 1000.0, answer))

    def rename(self) -> None:
        """Another name for the chosen row."""
        from brisk_anchor.services.offsets.offset_book import rename

        if (view_state := self.free_desk()) is not None:
            row = self.row

            def answer(words: str) -> None:
                def work() -> tuple[str, str]:
                    rename(view_state.session, row, words)
                    return f"{row} is called {words}.", ""

                self.attempt(work)

            self.owner.ask(Words(f"{row} is called", lambda _: "its name", lambda words: words[:60], answer))

    def person(self) -> None:
        """Who makes the entries from now on."""
        if (view_state := self.free_desk()) is not None:

            def answer(words: str) -> None:
                view_state.session.ledger.who = words[:60]
                self.owner.tell(f"Entries are by {words[:60]} now.", "", "good")

            self.owner.ask(Words("who", lambda _: "a name, as it is to stand in the book", lambda words: words, answer))

    def snapshot(self) -> None:
        """Keep the whole table under a name."""
        from brisk_anchor.services.offsets.book_files import write_snapshot

        if (view_state := self.free_desk()) is not None:

            def answer(words: str) -> None:
                self.attempt(
                    lambda: (f"Snapshot “{words}” is kept.", f"Also as {write_snapshot(view_state.session, words)}")
                )

            hint = "good part 14, for example; c compares with it later"
            self.owner.ask(Words("snapshot", lambda _: hint, lambda words: words[:60], answer))

    def derive(self) -> None:
        """New rows that follow the chosen one: a pattern, lengths, a spacer, a table angle."""
        from brisk_anchor.services.offsets.book_words import derive, read_derived

        view_state = self.free_desk()
        if view_state is None:
            return
        session, row = view_state.session, self.row

        def weigh(words: str) -> str:
            found = read_derived(session, row, words)
            return f"{len(found)} rows: {', '.join(plan.row for plan in found[:8])}"

        def answer(words: str) -> None:
            def work() -> tuple[str, str]:
                made = derive(session, row, words)
                return (
                    f"{', '.join(made)} follow {row}.",
                    "They move and turn with it; u in the set-up takes them back.",
                )

            self.attempt(work)

        hint = "grid 3, 2, 60, 45 · length 40, 55 · spacer x 25 · shift 10, 0, -5 · table B 90"
        self.owner.ask(Words(f"follows {row}", lambda _: hint, weigh, answer))

    def one_for_all(self) -> None:
        """Every operation onto the chosen row; again: each back onto its own."""
        view_state = self.free_desk()
        if view_state is None:
            return
        row, session = self.row, view_state.session

        def work() -> tuple[str, str]:
            change = session.editor.changing().one_for_all(row)
            session.editor.change(change)
            return f"{change.told[0].upper()}{change.told[1:]}.", "O again, or u in the set-up, takes it back."

        self.attempt(work)

    # -- comparing ---------------------------------------------------------------------------------------------

    def compare(self) -> None:
        """What the rows are compared with."""
        from brisk_anchor.services.offsets.book_compare import reference
        from brisk_anchor.services.offsets.book_files import read_reference

        view_state = self.free_desk()
        if view_state is None:
            return
        session = view_state.session

        def find(words: str) -> TableReference:
            path = Path(words).expanduser()
            return read_reference(session, path) if path.suffix and path.is_file() else reference(session, words)

        def answer(words: str) -> None:
            self.reference, self.against = find(words), words
            self.owner.show_all()

        hint = "control · last · a row · a day as 2026-11-03 · snapshot NAME · machine NAME · a file"
        self.owner.ask(Words("compare with", lambda _: hint, lambda words: find(words).words, answer))

    def find(self) -> None:
        """Only rows with some words; nothing shows all again."""
        if self.free_desk() is None:
            return

        def answer(words: str) -> None:
            self.search = "" if words == "*" else words
            self.owner.show_all()

        self.owner.ask(
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
        from brisk_anchor.services.offsets.offset_book import look_before_writing, write_rows

        view_state = self.free_desk()
        if view_state is None:
            return
        rows, session = self._rows(), view_state.session
        try:
            looks = look_before_writing(session, rows)
        except BriskAnchorError as error:
            self.owner.complain(error)
            return
        if stops := [look for look in looks if look.stops]:
            self.owner.tell(f"{stops[0].found}.", f"{stops[0].why}. {stops[0].do}.", "bad")
            return

        def answer(words: str) -> None:
            def work() -> tuple[str, str]:
                program = write_rows(session, rows)
                self.marked.clear()
                return f"{', '.join(rows)} written by O{program.number:04d} and read back.", "Entered as stored."

            if words.strip().lower() in ("y", "yes"):
                self.attempt(work)
            else:
                self.owner.tell("Nothing was written.", "", "ask")

        found = f"Second look: {looks[0].found}." if looks else "Second look: nothing found."
        following = list(dict.fromkeys(c for row in rows for c in session.rows.children(row) if c not in rows))
        found += f" {', '.join(following)} follow." if following else ""
        names = f"{', '.join(rows[:4])}{' and more' if len(rows) > 4 else ''}"
        self.owner.ask(Words(f"write {names}?", lambda _: f"y writes. {found}", lambda _: found, answer))

    def take(self) -> None:
        """Take figures from the control or a file into the book, after they were compared."""
        from brisk_anchor.services.offsets.book_compare import reference
        from brisk_anchor.services.offsets.book_files import read_reference
        from brisk_anchor.services.offsets.book_rows import distance, line_of
        from brisk_anchor.services.offsets.offset_book import take_over

        view_state = self.free_desk()
        if view_state is None:
            return
        session, rows = view_state.session, self._rows()

        def find(words: str) -> tuple[dict[str, dict[str, float]], str]:
            if words.lower() == "control":
                held = reference(session, "control").values
                return {row: dict(held[row]) for row in rows}, "read from the control"
            found = read_reference(session, Path(words).expanduser())
            return {row: dict(values) for row, values in found.values.items()}, f"from {found.words}"

        def weigh(words: str) -> str:
            figures, _ = find(words)
            moves = []
            for row, values in figures.items():
                session.profile.row(row)
                known = line_of(session, row).values
                moved = distance({a: v - known[a] for a, v in values.items() if a in known})
                moves.append(f"{row} {f'{moved:.4f} mm' if known else 'new'}")
            return f"{len(figures)} rows; they move: {', '.join(moves[:8])}"

        def answer(words: str) -> None:
            def work() -> tuple[str, str]:
                figures, source = find(words)
                changed = take_over(session, figures, source)
                return (
                    f"Taken into the book: {', '.join(changed) or 'nothing had changed'}.",
                    "The control is as it was.",
                )

            self.attempt(work)

        hint = "control, for the marked rows; or a file: CSV, JSON, blocks of G10, report lines"
        self.owner.ask(Words("take from", lambda _: hint, weigh, answer))

    def export(self) -> None:
        """Write the table, or the program that sets the marked rows, to a file."""
        from brisk_anchor.exchange.files import write_whole
        from brisk_anchor.services.offsets.book_files import export
        from brisk_anchor.services.offsets.offset_book import writing_program

        view_state = self.free_desk()
        if view_state is None:
            return
        session, rows = view_state.session, self._rows()

        def answer(words: str) -> None:
            def work() -> tuple[str, str]:
                path = self.owner.folder / words if not Path(words).is_absolute() else Path(words)
                if words.endswith(".ngc") or words.endswith(".tap"):
                    write_whole(path, writing_program(session, rows).text.encode())
                    return f"The program that sets {', '.join(rows)} is written.", str(path)
                return f"Written {export(session, path).name}.", f"In {path.parent}"

            self.attempt(work)

        hint = "table.csv, table.json or table.nc; set.tap writes the guarded program for the marked rows"
        self.owner.ask(Words("file", lambda _: hint, lambda words: words, answer))

    def card(self) -> None:
        """Large figures to type at the control, ticked off."""
        from brisk_anchor.services.offsets.book_files import card
        from brisk_anchor.tui.book.card_sheet import CardSheet

        if (view_state := self.free_desk()) is not None:
            try:
                self.owner.push_screen(CardSheet(card(view_state.session, self._rows())))
            except BriskAnchorError as error:
                self.owner.complain(error)

    def chart(self) -> None:
        """Write the days of the chosen row as SVG and PDF."""
        from brisk_anchor.services.offsets.book_files import write_timeline

        if (view_state := self.free_desk()) is not None:
            row = self.row

            def work() -> tuple[str, str]:
                paths = write_timeline(view_state.session, row, self.owner.folder)
                return f"Written {' and '.join(path.name for path in paths)}.", f"In {paths[0].parent}"

            self.attempt(work)

    def fits(self) -> None:
        """Does a cutting program fit into the travels?"""
        from brisk_anchor.services.offsets.fits import fit_file, words

        view_state = self.free_desk()
        if view_state is None:
            return
        session = view_state.session

        def answer(name: str) -> None:
            from brisk_anchor.services.offsets.book_files import write_fit
            from brisk_anchor.tui.book.fits_sheet import FitsSheet

            try:
                fit = fit_file(session, Path(name).expanduser())
                paths = write_fit(session, fit, self.owner.folder)
            except BriskAnchorError as error:
                self.owner.complain(error)
                return
            self.owner.push_screen(FitsSheet(session, fit, words(fit), [path.name for path in paths]))

        def weigh(name: str) -> str:
            return "Enter reads it" if Path(name).expanduser().is_file() else "no such file yet"

        self.owner.ask(Words("program", lambda _: "a cutting program, of any length", weigh, answer))
