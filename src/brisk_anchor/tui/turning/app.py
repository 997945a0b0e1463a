"""The application of a lathe: opens the job behind the first paint, switches views, sends keys where they belong."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from textual.app import ComposeResult, SystemCommand
from textual.containers import Vertical
from textual.screen import Screen
from textual.widgets import ContentSwitcher, Static

from brisk_anchor.core.errors import BriskAnchorError
from brisk_anchor.core.quantities import Unit, dim, show_in, shown_unit, signed_dim
from brisk_anchor.tui.choice_list import ChoiceList
from brisk_anchor.tui.entry import EntryLine
from brisk_anchor.tui.frame import KeyLine, Ladder, Prompt, TopLine
from brisk_anchor.tui.frame_app import COMPACT, FrameApp, leave_out_of_collections
from brisk_anchor.tui.keymap import Keymap, OwnKeys
from brisk_anchor.tui.panels import LatePanel
from brisk_anchor.tui.turning.base import Handlers, TurningPanel
from brisk_anchor.tui.turning.hands import Hands
from brisk_anchor.tui.turning.keys import ACTIONS, TurningAction, view_of

if TYPE_CHECKING:
    from brisk_anchor.services.turning.turning_session import TurningSession

_OWN = {"quit", "help", "view", "other_unit", "stop"}
"""Actions that need no job."""


class TurningApp(FrameApp):
    """Brisk Anchor at a lathe."""

    keymap: Keymap[TurningAction]

    def __init__(self, open_job: Callable[[], TurningSession], folder: Path, keys: OwnKeys | None = None) -> None:
        """`open_job` opens the job in a thread after the first paint; sheets go to `folder`."""
        super().__init__(folder, ACTIONS, keys)
        self.session: TurningSession | None = None
        self.hands = Hands(self)
        self._open_job = open_job

    @property
    def is_open(self) -> bool:
        """Whether the job is open."""
        return self.session is not None

    def compose(self) -> ComposeResult:
        """Frame and views."""
        with Vertical(id="frame"):
            yield TopLine()
            yield Ladder()
            yield ContentSwitcher(id="views")  # what a view needs is loaded behind the first paint
            yield EntryLine()
            yield Prompt()
            yield KeyLine()
        yield Static(id="too-small")

    def on_mount(self) -> None:
        """Show the frame at once; open the job behind it."""
        self.query_one(TopLine).tell([("", "Brisk Anchor")], [])
        self.tell("Opening the set-up …")
        self.call_after_refresh(lambda: self.run_worker(self._open, thread=True, exclusive=True, name="open"))

    def _open(self) -> None:
        try:
            session = self._open_job()
            self._load()
        except BriskAnchorError as error:
            self.call_from_thread(self._opening_failed, error)
            return
        self.call_from_thread(lambda: self.call_later(self._opened, session))

    @staticmethod
    def _load() -> None:
        """Load what the bench needs while the first picture stands."""
        from brisk_anchor.tui.turning import bench

        _ = bench

    @staticmethod
    def _load_more() -> None:
        """Load, while nobody waits for it, what the next keys may want."""
        from brisk_anchor.core.uncertainty import coverage

        coverage.load()
        leave_out_of_collections()

    async def _opened(self, session: TurningSession) -> None:
        self.session = session
        await self.go_to("bench")
        if self.keys_trouble is not None:
            self.complain(self.keys_trouble)
        self.set_timer(0.5, lambda: self.run_worker(self._load_more, thread=True, group="later", name="later"))
        self._take_held_later()

    def on_unmount(self) -> None:
        """Let go of the book."""
        if self.session is not None:
            self.session.close()

    # -- showing -----------------------------------------------------------------------------------------------

    @property
    def panel(self) -> TurningPanel:
        """The widget of that view."""
        return self.query_one(f"#{self.view}", TurningPanel)

    def next_sentence(self, session: TurningSession) -> tuple[str, str]:
        """The next thing to do in the view that is shown."""
        return self.panel.next_sentence(session)

    def show_all(self, *, keep_prompt: bool = False) -> None:
        """Bring frame and view up to date."""
        self.query_one(KeyLine).tell(self.keymap.of_view(self.view), self.size.width - 2)
        session = self.session
        if session is None:
            return
        setup, tool = session.job.setup, session.machine.tool
        wide = self.size.width >= COMPACT[0]
        left = [("", setup.job), ("", setup.title)] if wide else [("", setup.job)]
        kind = "stand-in" if setup.lathe.connected else "positions typed"
        right = [
            ("", f"{setup.lathe.name}, {kind}" if setup.lathe.has_control else f"{setup.lathe.name}, readout, {kind}"),
            ("active", session.row),
            ("tool", "none" if tool is None else f"{tool.name} {tool.picture(setup.lathe.turret)}"),
            ("", shown_unit().word),
        ]
        self.query_one(TopLine).tell(left, right)
        rungs = [
            (row, session.ledger.title(row), session.state(row).value, "", row == session.row) for row in session.rows()
        ]
        self.query_one(Ladder).tell(rungs, [session.machine.alarm] if session.machine.alarm else [])
        self.panel.show()
        if not keep_prompt:
            self.tell(*self.next_sentence(session))

    async def go_to(self, view: str) -> None:
        """Go to another view; it is made when it is first wanted."""
        switcher = self.query_one("#views", ContentSwitcher)
        if not switcher.query(f"#{view}"):
            await switcher.mount(self._made(view))
        switcher.current = view
        self.show_all()

    def _made(self, view: str) -> TurningPanel:
        """A view, made when it is first wanted."""
        match view:
            case "bench":
                from brisk_anchor.tui.turning.bench import TurningBench

                return TurningBench(self, self.hands, id=view)
            case "book":
                from brisk_anchor.tui.turning.book import TurningBook

                return TurningBook(self, id=view)
            case "code":
                from brisk_anchor.tui.turning.code import TurningCode

                return TurningCode(self, id=view)
            case "setup":
                from brisk_anchor.tui.turning.setup import TurningSetup

                return TurningSetup(self, id=view)
            case "turret":
                from brisk_anchor.tui.turning.turret import TurretView

                return TurretView(self, self.hands, id=view)
        from brisk_anchor.tui.turning.targets import TargetsView

        return TargetsView(self, self.hands, id="targets")

    # -- keys --------------------------------------------------------------------------------------------------

    async def action_dispatch(self, key: str) -> None:
        """Do what a key means in this view."""
        entry = self.query_one(EntryLine)
        if entry.is_open:
            entry.close()
            if self.session is not None:
                self.show_all()
            return
        confirmed, self._to_confirm = self._to_confirm, None
        if confirmed is not None and key == "enter":
            self.patience.run(confirmed)
            return
        meant = self.keymap.meant(self.view, key)
        if not meant:
            return
        action = meant[0]
        if self.session is None and action.do not in _OWN:
            if self._failed is not None:
                self.complain(self._failed)
            return
        await self._do(action)

    async def _do(self, action: TurningAction) -> None:
        if action.do == "view":
            if self.session is None:
                return
            await self.go_to(str(action.arguments[0]))
            return
        handler = self.handlers.get(action.do) or self.panel.handlers[action.do]
        if action.do not in _OWN and self.patience.told_waiting():
            return
        self.patience.run(handler, *action.arguments)

    @property
    def handlers(self) -> Handlers:
        """How the application does what is the same in every view."""
        found: dict[str, Callable[..., None]] = {
            "help": self.do_help,
            "quit": self.do_quit,
            "stop": self.do_stop,
            "other_unit": self.do_other_unit,
            "next_row": self.do_next_row,
            "prove": self.do_prove,
            "write_family": self.do_write_family,
            "sheet": self.do_sheet,
        }
        if self.view != "setup":
            found["undo"] = self.do_undo
        return found

    def do_help(self) -> None:
        """Help for this view."""
        from brisk_anchor.tui.help import HelpScreen

        keys = [(action.shown, self.said(action.help)) for action in self.keymap.of_view(self.view)]
        self.push_screen(HelpScreen(self.said(view_of(self.view).help), keys))

    def do_quit(self) -> None:
        """Leave."""
        self.exit(6 if self._failed else 0)

    def do_stop(self) -> None:
        """Leave what was begun."""
        if self.session is not None:
            self.session.zero.leave()
            self.session.targets.offer = None
            self.show_all()

    def do_other_unit(self) -> None:
        """Show and take lengths in the other unit; nothing that is stored changes."""
        show_in(Unit.INCH if shown_unit() is Unit.MM else Unit.MM)
        for panel in self.query(LatePanel):
            panel.forget()
        for listed in self.query(ChoiceList):
            listed.forget()
        if self.session is not None:
            self.show_all(keep_prompt=True)
        self.tell(f"Lengths are shown and typed in {shown_unit().word} now.", "⟨I⟩ changes back.", "ask")

    def do_undo(self) -> None:
        """Take the last store back."""
        session = self.session
        if session is None:
            return

        def work() -> tuple[str, str]:
            rows = session.desk.take_back()
            return f"{', '.join(rows)} as before the last store.", "The book keeps both."

        self.attempt(work)

    def do_next_row(self) -> None:
        """Choose the next part of the family; what it moves is shown before it is done."""
        from brisk_anchor.services.turning.family import choose_member, pending

        session = self.session
        if session is None:
            return
        rows = session.rows()
        row = rows[(rows.index(session.row) + 1) % len(rows)]
        if row == session.row:
            self.tell("The job has one work offset.", "State a family in the set-up: ⟨5⟩.", "ask")
            return
        try:
            choice = pending(session.desk, row)
        except BriskAnchorError as error:
            self.complain(error)
            return

        def take() -> None:
            def work() -> tuple[str, str]:
                chosen, program = choose_member(session.desk, row)
                by = "" if program is None else f"{program.label} wrote it and read it back."
                moved = signed_dim(chosen.moves, 3)
                return (
                    f"{chosen.member.name} is chosen: {row} Z {signed_dim(chosen.value, 3)}, {moved} from before.",
                    by,
                )

            self.attempt(work)

        if choice.written and session.state(row).may_run:
            take()
        else:
            self.confirm(f"Enter: {choice.told}.", f"Its part is {dim(choice.member.length)} long.", take)

    def do_write_family(self) -> None:
        """Write every length of the family that is not written, after all are shown."""
        from brisk_anchor.services.turning.family import waiting, write_waiting

        session = self.session
        if session is None:
            return
        try:
            choices = waiting(session.desk)
        except BriskAnchorError as error:
            self.complain(error)
            return

        def work() -> tuple[str, str]:
            written, program = write_waiting(session.desk)
            by = "" if program is None else f"{program.label} wrote and read back."
            return f"{', '.join(choice.member.row for choice in written)} are written.", by

        shown = "; ".join(f"{choice.member.row} Z {signed_dim(choice.value, 3)}" for choice in choices)
        if not shown:
            self.attempt(work)
            return
        self.confirm(f"Enter: write {shown}.", "One program, all or none.", lambda: self.attempt(work))

    def do_prove(self) -> None:
        """Run the program that goes near the zero on a twin: a dozen blocks, over before anybody sees it."""
        session = self.session
        if session is None:
            return
        row = session.row
        try:
            proof = session.prove(row)
        except BriskAnchorError as error:
            self.complain(error)
            return
        self.show_all(keep_prompt=True)
        off, allowed = dim(proof.worst, 3), dim(proof.allowed, 3)
        if proof.holds:
            self.tell(f"{row} is proved: the tip stood {off} off, {allowed} is what the ± allows.", "", "good")
        else:
            told = f"{row} is not proved: the tip stood {off} off, and the ± allows {allowed}."
            self.tell(told, "Measure again; look which face was measured from.", "bad")

    def do_sheet(self) -> None:
        """Write the set-up sheet, in a thread."""
        if self.session is not None:
            self.beside("Drawing the set-up sheet …", partial(self._sheet, self.session), self.tell_written)

    def _sheet(self, session: TurningSession) -> list[Path]:
        from brisk_anchor.services.turning.turning_sheet import write_turning_sheet

        return write_turning_sheet(session, self.folder)

    def get_system_commands(self, screen: Screen[object]) -> Iterable[SystemCommand]:
        """The palette: every action of this view by name."""
        for action in self.keymap.of_view(self.view):
            yield SystemCommand(f"{action.label} ({action.shown})", action.help, self._from_palette(action))

    def _from_palette(self, action: TurningAction) -> Callable[[], None]:
        def call() -> None:
            self.call_later(self._do, action)

        return call
