"""The application: opens the job behind the first paint, switches views, sends keys where they belong."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterable
from contextlib import suppress
from dataclasses import replace
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from textual.app import ComposeResult, SystemCommand
from textual.containers import Vertical
from textual.css.query import NoMatches
from textual.screen import Screen
from textual.widgets import ContentSwitcher, Static

from brisk_anchor.core.errors import BookTamperedError, BriskAnchorError
from brisk_anchor.core.quantities import Unit, show_in, shown_unit
from brisk_anchor.core.uncertainty import coverage
from brisk_anchor.services.paths import DEMO_SPEED
from brisk_anchor.tui.actions import ACTIONS, Action, Do
from brisk_anchor.tui.base import Handlers, View
from brisk_anchor.tui.choice_list import ChoiceList
from brisk_anchor.tui.drawing import Drawing
from brisk_anchor.tui.entry import EntryLine, Question, Words
from brisk_anchor.tui.frame import KeyLine, Ladder, Prompt, TopLine
from brisk_anchor.tui.frame_app import COMPACT, FrameApp, leave_out_of_collections
from brisk_anchor.tui.keymap import Keymap, OwnKeys
from brisk_anchor.tui.panels import LatePanel
from brisk_anchor.tui.view_state import ViewState
from brisk_anchor.tui.views import load_views, view_entry

if TYPE_CHECKING:
    from brisk_anchor.book.entries import Entry
    from brisk_anchor.services.orders.orders import Arrival
    from brisk_anchor.services.session.session import Session
    from brisk_anchor.tui.link_desk import LinkDesk

_TICK = 1 / 30
_LATER = 0.5
"""How long after the first picture what is wanted soon is loaded, s."""
_OTHERS = 1.0
"""How often, s, the book is asked whether another window added to it."""
_ONLY_THERE = ("This machine is worked at its own control.", "Nothing here moves it or starts a program.")
_NO_LINK = ("This machine has no link to a control.", "machine.toml has it as [link].")


class BriskAnchorApp(FrameApp):
    """Brisk Anchor on one terminal."""

    LEAVING = frozenset({"escape", "tab"})
    keymap: Keymap[Action]

    def __init__(
        self,
        open_job: Callable[[], Session],
        folder: Path,
        speed: float = DEMO_SPEED,
        keys: OwnKeys | None = None,
    ) -> None:
        """`open_job` opens the job in a thread after the first paint; sheets and files go to `folder`."""
        super().__init__(folder, ACTIONS, keys)
        self.view_state: ViewState | None = None
        self._open_job = open_job
        self._speed = speed
        self._ticked = time.monotonic()
        self._looked_after = 0.0
        self._shown_active = ""
        """What the top line says of the active row."""
        self._following = False

    def compose(self) -> ComposeResult:
        """Frame and the home view; the others come when they are first wanted."""
        with Vertical(id="frame"):
            yield TopLine()
            yield Ladder()
            with ContentSwitcher(initial="bench", id="views"):
                yield view_entry("bench").make(self)
            yield EntryLine()
            yield Prompt()
            yield KeyLine()
        yield Static(id="too-small")

    @property
    def is_open(self) -> bool:
        """Whether the job is open."""
        return self.view_state is not None

    def on_mount(self) -> None:
        """Show the empty bench at once; open the job behind it."""
        self.tell("Opening the set-up …")
        self.show_all(keep_prompt=True)
        self.call_after_refresh(self._start_opening)

    def _start_opening(self) -> None:
        self.run_worker(self._open, thread=True, exclusive=True, name="open")

    def _open(self) -> None:
        try:
            session = self._open_job()
        except BriskAnchorError as error:
            self.call_from_thread(self._opening_failed, error)
            return
        desk, trouble = self._desk_of(session)
        self.call_from_thread(self._opened, session, desk)
        if trouble is not None:
            self.call_from_thread(self.complain, trouble)

    def _opened(self, session: Session, desk: LinkDesk | None = None) -> None:
        self.view_state = ViewState(session, self._speed, desk=desk)
        if desk is not None:
            desk.start()
        self._ticked = time.monotonic()
        self.set_interval(_TICK, self._tick)
        self.show_all()
        leave_out_of_collections()
        self._take_held_later()
        self.set_timer(_LATER, lambda: self.run_worker(self._load_more, thread=True, group="later", name="later"))
        if session.book is not None and session.book.damage:
            self.tell("The book is damaged and open for reading only.", session.book.damage, "bad")
        elif self.keys_trouble is not None:
            self.complain(self.keys_trouble)
        elif limits := session.profile.limits:
            self.tell(f"{session.profile.title}. {limits[0]}", " ".join(limits[1:]), "ask")
        if session.book is not None and not session.book.damage:
            self.run_worker(self._verify, thread=True, exclusive=True, group="verify", name="verify")

    @staticmethod
    def _load_more() -> None:
        """Load, while nobody waits for it, what the next keys may want."""
        load_views()
        from brisk_anchor.services.measure import reach
        from brisk_anchor.services.offsets import book_compare, book_guide, tilted_words
        from brisk_anchor.services.plan import plan_builder
        from brisk_anchor.services.results import inspection, over_parts, results_words
        from brisk_anchor.services.session import tool_shelf
        from brisk_anchor.tui.results import pictures

        _ = reach, book_compare, book_guide, tilted_words, plan_builder, inspection, over_parts, results_words
        _ = tool_shelf, pictures
        coverage.load()
        leave_out_of_collections()

    def _desk_of(self, session: Session) -> tuple[LinkDesk | None, BriskAnchorError | None]:
        """The desk of a linked control, which knows again what was taken before; and what of that went wrong."""
        if session.real is None:
            return None, None
        from brisk_anchor.tui.link_desk import LinkDesk

        try:
            return LinkDesk.of(self, session, self.report_came), None
        except BriskAnchorError as error:
            return None, error

    @property
    def linked(self) -> bool:
        """Whether a real control stands at the other end."""
        return self.view_state is not None and self.view_state.session.real is not None

    def report_came(self, outcome: Arrival) -> None:
        """Show what became of a report: of one feature as on the bench, of everything else in words."""
        from brisk_anchor.tui.bench.view import BenchView
        from brisk_anchor.tui.link_desk import is_measurement

        view_state = self.view_state
        if view_state is None or not self.query(KeyLine):
            return
        told = outcome.taken
        if told is not None and outcome.order is not None and is_measurement(outcome):
            view_state.request = None
            feature = view_state.session.measured[told.feature].feature
            self.query_one("#bench", BenchView).hands.tell_measured(view_state, feature, outcome.order.title)
            return
        self.show_all(keep_prompt=True)
        order = outcome.order
        if told is not None and told.repeated and order is not None and order.measurement is not None:
            self.query_one("#bench", BenchView).repeated(view_state, order.measurement, list(told.repeated))
        sentence, behind, tone = outcome.words
        self.tell(sentence, behind, tone)

    def _verify(self) -> None:
        """Look whether what was added to the book since it was last looked through is as it was added."""
        from brisk_anchor.services.session.book_opening import verify_new

        book = self.view_state.session.book if self.view_state else None
        if book is None:
            return
        try:
            verify_new(book)
        except BookTamperedError as error:
            book.damage = error.one_line()
            self.from_background(partial(self.complain, error))
        except BriskAnchorError:
            return  # the next question to the book tells why it does not answer

    def on_unmount(self) -> None:
        """Let go of the book."""
        if self.view_state is not None:
            if self.view_state.desk is not None:
                self.view_state.desk.stop()
            self.view_state.session.close()

    def free(self, how: str = "Esc stops it.") -> ViewState | None:
        """What the views share, when nothing moves; otherwise says `how` to end that, and returns None."""
        if self.view_state is not None and self.view_state.moving:
            self.tell(f"The machine is moving. {how}", "", "ask")
            return None
        if self.view_state is not None and self.view_state.desk is not None and self.view_state.desk.busy:
            self.tell(f"One moment: {self.view_state.desk.busy}.", "", "ask")
            return None
        return self.view_state

    def next_sentence(self) -> tuple[str, str]:
        """The next thing to do, in two sentences."""
        if self.view_state is None:
            return "Opening the set-up …", ""
        sentence, behind = self.view_widget.next_sentence(self.view_state)
        if (failed := self.view_state.session.machine_file.failed) is not None:
            behind = f"! {failed.what}: how the machine stands now will not be known at the next start. {behind}"
        return sentence, behind

    # -- showing -----------------------------------------------------------------------------------------------

    @property
    def view_widget(self) -> View:
        """The widget of the view that is shown."""
        return self.query_one(f"#{self.view}", View)

    def show_all(self, *, keep_prompt: bool = False) -> None:
        """Bring frame and view up to date."""
        view_state = self.view_state
        self.query_one(KeyLine).tell(self.keymap.of_view(self.view, linked=self.linked), self.size.width - 2)
        if view_state is None:
            self.query_one(TopLine).tell([("", "Brisk Anchor")], [])
            self.query_one("#bench", View).show()
            return
        from brisk_anchor.services.offsets.book_rows import lacking, row_note

        session = view_state.session
        setup = session.setup
        active = self._shown_active = session.link.active.words
        stands = view_state.desk.words if view_state.desk is not None else "rehearsal, not connected"
        left = [("", setup.part), ("", setup.title)] if self.size.width >= COMPACT[0] else [("", setup.part)]
        held, hand = session.machine.tool, view_state.hand
        untold = session.real is not None
        tool = f"T{held.number} probe" if held.is_probe else (f"T{held.number}" if held.number else "none")
        right = [
            ("", f"{setup.machine.name}, {'stand-in' if setup.machine.connected else stands}"),
            ("active", active),
            *([("book", "does not answer")] if view_state.book_silent else []),
            ("setting", view_state.row),
            ("by hand", hand.name) if hand else ("tool", "not told" if untold else tool),
            ("", shown_unit().word),
        ]
        self.query_one(TopLine).tell(left, right)
        names = [row.row for row in setup.rows]
        names += [] if view_state.row in names else [view_state.row]
        rungs = [
            (
                row,
                session.ledger.title(row),
                session.rows.state(row).value,
                row_note(session, row),
                row == view_state.row,
            )
            for row in names
        ]
        self.query_one(Ladder).tell(rungs, lacking(session))
        self.view_widget.show()
        if not keep_prompt and not view_state.moving:
            self.tell(*self.next_sentence())

    def _tick(self) -> None:
        now = time.monotonic()
        passed, self._ticked = min(0.2, now - self._ticked), now
        if self.view_state is None:
            return
        self._looked_after += passed
        if self._looked_after > _OTHERS:
            self._looked_after = 0.0
        if self.patience.waits:
            return
        if not self._looked_after:
            self._follow_others()
            if self.view_state.desk is not None:
                self.patience.run(self.view_state.desk.look)
        if self.view_state.moving or self.view_state.proving is not None:
            self.patience.run(self._follow, passed)
        if self.view_state.session.link.active.words != self._shown_active:
            with suppress(NoMatches):  # a program or a typed line made another row active: shown at once
                self.show_all(keep_prompt=True)

    def _follow(self, passed: float) -> None:
        """Let what is under way go on."""
        if self.view_state is None:
            return
        with suppress(NoMatches):  # the last tick may find the screen being taken down
            if self.view_state.running is not None:
                self.query_one("#bench", View).follow(passed)
            if self.view_state.operating is not None:
                self.query_one("#machine", View).follow(passed)
            if self.view_state.proving is not None and self.view == "code":
                self.view_widget.follow(passed)

    def _follow_others(self) -> None:
        """Show what another window added to the book."""
        if self._following or self.view_state is None or self.view_state.session.book is None:
            return
        self._following = True
        self.run_worker(self._ask_others, thread=True, group="others", name="others")

    def _ask_others(self) -> None:
        """Ask the book, in a thread: it may take its time, or never answer."""
        ledger = self.view_state.session.ledger if self.view_state else None
        try:
            found = ledger.fetch() if ledger is not None else []
        except BriskAnchorError as error:
            self.from_background(partial(self._others_told, [], error))
        else:
            self.from_background(partial(self._others_told, found, None))

    def _others_told(self, found: list[Entry], error: BriskAnchorError | None) -> None:
        self._following = False
        view_state = self.view_state
        if view_state is None:
            return
        if error is not None:
            if not view_state.book_silent:
                view_state.book_silent = True
                self.show_all(keep_prompt=True)
                self.complain(error)
            return
        if view_state.book_silent:
            view_state.book_silent = False
            self.show_all(keep_prompt=True)
            self.tell("The book answers again.", "", "good")
        if view_state.moving or self.query_one(EntryLine).is_open or len(self.screen_stack) > 1 or self.patience.waits:
            return  # they come again with the next question
        rows = view_state.session.ledger.take(found)
        if rows:
            self.show_all(keep_prompt=True)
            names = ", ".join(row for row in rows if row) or "a snapshot"
            self.tell(f"Another window changed {names}.", "⟨2⟩ shows it in the book.", "ask")

    # -- keys --------------------------------------------------------------------------------------------------

    async def action_dispatch(self, key: str) -> None:
        """Do what a key means in this view."""
        entry = self.query_one(EntryLine)
        if entry.is_open:
            asked = entry.question
            if key == "tab" and (typed := entry.pending) is not None:
                if not entry.submit(typed):
                    return  # it stays, with the reason beside it
            else:
                entry.close()
            if self.view_state is not None and not self.view_state.moving:
                self.view_widget.show()
            if key == "tab" and isinstance(asked, Question):
                self.view_widget.after_question(asked.name)
            return
        confirmed, self._to_confirm = self._to_confirm, None
        if confirmed is not None and key == "enter":
            self.patience.run(confirmed)
            return
        meant = self.keymap.meant(self.view, key)
        action = next((one for one in meant if one.fits(linked=self.linked)), None)
        if action is None:
            if meant:
                self.tell(*(_ONLY_THERE if self.linked else _NO_LINK), "ask")
            return
        if self.view_state is None and action.do not in (Do.QUIT, Do.HELP):
            if self._failed:
                self.complain(self._failed)
            return
        await self._do(action, self.view_widget)

    @property
    def handlers(self) -> Handlers:
        """How the application does what is the same in every view, or changes the view."""
        return {
            Do.HELP: self.do_help,
            Do.OTHER_UNIT: self.do_other_unit,
            Do.QUIT: self.do_quit,
            Do.VIEW: self.go_to,
            Do.PROVE: self.do_prove,
            Do.NEXT_ROW: self.do_next_row,
            Do.ROLL: self.do_roll,
            Do.DRAW: self.do_draw,
            Do.SHEET: self.do_sheet,
        }

    async def _do(self, action: Action, view: View) -> None:
        """Do an action of the view that was shown when it was asked for, whatever is shown by now."""
        handler = self.handlers.get(action.do) or view.handlers[action.do]
        if action.do not in (Do.QUIT, Do.HELP, Do.VIEW) and self.patience.told_waiting():
            return
        result = self.patience.run(handler, *action.arguments)
        if result is not None:
            await result

    def do_other_unit(self) -> None:
        """Show and take lengths in the other unit from now on; nothing that is stored changes."""
        show_in(Unit.INCH if shown_unit() is Unit.MM else Unit.MM)
        for panel in self.query(LatePanel):
            panel.forget()
        for listed in self.query(ChoiceList):
            listed.forget()
        self.show_all(keep_prompt=bool(self.view_state and self.view_state.moving))
        self.tell(
            f"Lengths are shown and typed in {shown_unit().word} now.",
            "⟨I⟩ changes back. Nothing that is stored changed.",
            "ask",
        )

    def do_help(self) -> None:
        """Help for this view."""
        from brisk_anchor.tui.help import HelpScreen

        actions = self.keymap.of_view(self.view, linked=self.linked)
        keys = [(action.shown, self.said(action.help)) for action in actions]
        self.push_screen(HelpScreen(self.said(view_entry(self.view).help), keys))

    def do_quit(self) -> None:
        """Leave."""
        if self.view_state and self.view_state.moving:
            self.tell("The machine is moving. Esc stops it, then ⟨q⟩ leaves.", "", "ask")
            return
        self.exit(6 if self._failed else 0)

    async def go_to(self, view: str) -> None:
        """Go to another view; it is made when first wanted."""
        switcher = self.query_one("#views", ContentSwitcher)
        if not switcher.query(f"#{view}"):
            await switcher.mount(view_entry(view).make(self))
        switcher.current = view
        if self.view_state and view != "setup":
            self.view_state.moved = None
        self.show_all(keep_prompt=bool(self.view_state and self.view_state.moving))

    async def do_prove(self) -> None:
        """Go to the code and run it."""
        if self.view_state and self.view_state.moving:
            self.tell("The machine is moving. Esc stops it.", "", "ask")
            return
        from brisk_anchor.tui.code.view import CodeView

        if (view_state := self.free()) is not None and (desk := view_state.desk) is not None:
            row = view_state.row
            desk.hand_over(f"the proof of {row}", lambda orders, told: orders.prove(row, told))
            return
        if self.view != "code":
            await self.go_to("code")
        code = self.query_one("#code", CodeView)
        code.show()
        self.patience.run(code.prove)

    def do_next_row(self) -> None:
        """Choose the next offset the job needs."""
        view_state = self.view_state
        if view_state is None or view_state.moving:
            return
        rows = [row.row for row in view_state.session.setup.rows]
        if not rows:
            self.tell("No row is set from anything yet.", "⟨o⟩ chooses the row being set.", "ask")
            return
        at = rows.index(view_state.row) if view_state.row in rows else -1
        view_state.choose_row(rows[(at + 1) % len(rows)])
        self.view_widget.chosen_row(view_state.row)
        self.show_all()

    def do_roll(self) -> None:
        """Put another real-life part into the stand-in."""
        view_state = self.view_state
        if view_state is None or view_state.moving:
            return
        view_state.rolls += 1
        try:
            rows = view_state.session.editor.roll(1000 + view_state.rolls)
        except BriskAnchorError as error:
            self.complain(error)
            return
        view_state.places, view_state.proving = [], None
        self.show_all()
        told = f"Stale now: {', '.join(rows)}." if rows else "Nothing was stored on the one before."
        self.tell("Another part lies in the stand-in, as real as the last and as different.", told, "ask")

    def do_draw(self) -> None:
        """Draw with words; the picture shows what comes of them while they are typed."""
        from brisk_anchor.services.job.feature_builder import FORMS
        from brisk_anchor.tui.setup.view import make_change

        view_state = self.view_state
        if view_state is None or view_state.moving:
            return
        try:
            editor = view_state.session.editor.changing()
        except BriskAnchorError as error:
            self.complain(error)
            return
        drawing = self.view_widget.query_one(Drawing)

        def weigh(words: str) -> str:
            change = editor.drawn(words)
            if drawing.picture is not None:
                drawing.show(replace(drawing.picture, setup=change.setup))
            return change.told

        def hint(words: str) -> str:
            form = FORMS.get(words.split(" ")[0].lower()) if words else None
            return form.hint if form else f"{', '.join(FORMS)}; then figures with commas between them"

        def answer(words: str) -> None:
            make_change(self, view_state.session, lambda files: files.drawn(words))

        self.ask(Words("draw", hint, weigh, answer))

    def do_sheet(self) -> None:
        """Write the set-up sheet in a thread; drawing takes a second. The plan has drawings of its own."""
        if not self.view_widget.write_sheet() and self.view_state:
            work = partial(self._sheet, self.view_state.session, self.view_state.row)
            self.beside("Drawing the set-up sheet …", work, self.tell_written)

    def _sheet(self, session: Session, row: str) -> list[Path]:
        from brisk_anchor.services.offsets.sheets import write_sheets

        return write_sheets(session, row, self.folder)

    def get_system_commands(self, screen: Screen[object]) -> Iterable[SystemCommand]:
        """The palette: every action of this view by name."""
        for action in self.keymap.of_view(self.view, linked=self.linked):
            if action.palette:
                told = self.said(action.help)
                yield SystemCommand(f"{action.label} ({action.shown})", told, self._from_palette(action))

    def _from_palette(self, action: Action) -> Callable[[], None]:
        view = self.view_widget

        def call() -> None:
            self.call_later(self._do, action, view)

        return call
