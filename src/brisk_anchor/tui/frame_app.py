"""What every application of ours has on its one terminal: the frame, telling and asking, work beside the screen."""

from __future__ import annotations

import asyncio
import gc
import logging
import os
import signal
import sys
from collections.abc import Callable, Sequence
from contextlib import suppress
from functools import partial
from pathlib import Path
from typing import Any, ClassVar, TypeVar

from rich.console import RenderableType
from textual import events
from textual.app import App
from textual.binding import Binding
from textual.driver import Driver
from textual.filter import LineFilter
from textual.reactive import Reactive
from textual.screen import Screen
from textual.theme import Theme
from textual.widgets import ContentSwitcher, Static

from brisk_anchor.core.errors import BriskAnchorError
from brisk_anchor.tui.ascii_shapes import AsciiShapes, needs_ascii
from brisk_anchor.tui.entry import EntryLine, Question, Words
from brisk_anchor.tui.frame import KeyLine, Prompt
from brisk_anchor.tui.keymap import Keyed, Keymap, OwnKeys
from brisk_anchor.tui.patience import Patience
from brisk_anchor.tui.terminal import Terminal
from brisk_anchor.tui.theme import SHOWN

Found = TypeVar("Found")
_LOG = logging.getLogger(__name__)
SMALLEST = (100, 30)
_LOOKS = 1.0
"""How often, s, it is looked whether the terminal is still there."""
COMPACT = (130, 40)
"""Below that many columns or rows a window is small: less is shown."""


def _driver_class() -> type[Driver] | None:
    """The driver of a terminal; None leaves it to Textual, where that is another."""
    if sys.platform == "win32" or "TEXTUAL_DRIVER" in os.environ:
        return None
    from brisk_anchor.tui.terminal_driver import TerminalDriver

    return TerminalDriver


_USUAL = (700, 10, 10)
"""How often garbage is collected, as Python begins."""


def leave_out_of_collections() -> None:
    """Leave what is loaded by now out of every later collection of garbage.

    It stays until the end anyway, and to look through all of it takes 0.2 s, in the middle of some key.
    """
    gc.freeze()
    gc.set_threshold(*_USUAL)  # fewer were enough while modules loaded
    gc.enable()


class FrameApp(App[int], Terminal):
    """The frame of an application: a view says what is shown in it."""

    TITLE = "Brisk Anchor"
    CSS_PATH = Path(__file__).with_name("app.tcss")
    AUTO_FOCUS = None
    theme = Reactive(SHOWN.name)
    BINDINGS = [
        Binding("ctrl+c", "ask_to_leave", show=False, priority=True),
        Binding("ctrl+z", "suspend_process", show=False, priority=True),
    ]

    LEAVING: ClassVar[frozenset[str]] = frozenset({"escape"})
    """Keys that leave the line in which something is typed."""
    BEFORE_OPEN: ClassVar[frozenset[str]] = frozenset({"quit", "help"})
    """What can be done while the job still opens, by its name in the table."""

    def __init__(self, folder: Path, table: Sequence[Keyed], keys: OwnKeys | None) -> None:
        """Sheets and files go to `folder`; `table` has the actions, `keys` changes their keys."""
        super().__init__(driver_class=_driver_class())
        keys = keys or OwnKeys()
        self.keymap: Keymap[Any] = Keymap(table, keys.changes)
        self.keys_trouble = keys.trouble
        self.cell_ratio = 2.25
        self.folder = folder
        self._to_confirm: Callable[[], None] | None = None
        """What Enter does as the next key, where something was asked."""
        self._shapes: list[LineFilter] = []
        if needs_ascii(os.environ):
            self._shapes.append(AsciiShapes())
        self._failed: BriskAnchorError | None = None
        """Why the job could not be opened."""
        self._held: list[events.Key | events.Paste] = []
        """What was typed while it has to wait its turn, in the order in which it came."""
        self.patience = Patience(
            self._tell_waiting,
            lambda rest: self.run_worker(rest, group="waiting", name="waiting"),
            self._take_held_later,
        )

    @property
    def view(self) -> str:
        """The view that is shown."""
        return self.query_one("#views", ContentSwitcher).current or "bench"

    @property
    def linked(self) -> bool:
        """Whether a real control stands at the other end."""
        return False

    async def action_dispatch(self, key: str) -> None:
        """Do what a key means in this view."""
        raise NotImplementedError

    def said(self, text: str) -> str:
        """A sentence with the keys in force in place of the marks in it."""
        return self.keymap.said(text, self.view, linked=self.linked)

    def said_in(self, shown: RenderableType) -> RenderableType:
        """Styled words with the keys in force in place of the marks in them."""
        return self.keymap.said_in(shown, self.view, linked=self.linked)

    @property
    def is_open(self) -> bool:
        """Whether a job is open, so that there is something to show."""
        raise NotImplementedError

    def show_all(self, *, keep_prompt: bool = False) -> None:
        """Bring frame and view up to date."""
        raise NotImplementedError

    def _opening_failed(self, error: BriskAnchorError) -> None:
        self._failed = error
        self._held.clear()
        leave_out_of_collections()
        self.complain(error)

    def get_line_filters(self) -> Sequence[LineFilter]:
        """What changes lines on their way to the terminal: into ASCII, where it shows nothing else."""
        return [*super().get_line_filters(), *self._shapes]

    def on_mount(self) -> None:
        """Paint the whole screen anew when the program comes back from where Ctrl+Z sent it: others wrote there."""
        self.app_resume_signal.subscribe(self, lambda _: self.call_later(self._paint_anew))
        if not self.is_headless:
            self.set_interval(_LOOKS, self._look_at_terminal)

    def _look_at_terminal(self) -> None:
        """End where the window was closed, and what started us kept the signal for itself."""
        if not os.isatty(0):
            self.exit(1)

    def _paint_anew(self) -> None:
        self.refresh(layout=True)
        for screen in self.screen_stack:
            screen.refresh(layout=True)

    def on_load(self) -> None:
        """End as with `q` where the system asks for it: the terminal is put back, what is open is closed."""
        loop = asyncio.get_running_loop()
        for number in (signal.SIGTERM, signal.SIGHUP):
            with suppress(NotImplementedError, RuntimeError, ValueError):  # not in a main thread, or not on this system
                loop.add_signal_handler(number, self.exit, 128 + number)

    def action_ask_to_leave(self) -> None:
        """Ask before leaving: Ctrl+C is pressed by habit, and to copy."""
        if len(self.screen_stack) > 1:
            self.screen.dismiss()
        if self.query_one(EntryLine).is_open:
            self.query_one(EntryLine).close()
        told = "Everything that was stored is in the book. Any other key stays."
        self.confirm("Ctrl+C: press Enter to leave.", told, lambda: self.exit(0))

    @property
    def available_themes(self) -> dict[str, Theme]:
        """One theme, known from the start: one set later would have every style worked out twice, 0.1 s at start."""
        return {SHOWN.name: SHOWN}

    def _fatal_error(self) -> None:
        """Show where an unexpected error came from, without what the variables held: a password may be among it."""
        from rich.segment import Segments
        from rich.traceback import Traceback

        from brisk_anchor.services.records import write_crash

        shown = Traceback(show_locals=False, width=None)
        self._exit_renderables.append(Segments(self.console.render(shown, self.console.options)))
        error = sys.exc_info()[1]
        path = None if error is None else write_crash(error)
        told = "" if path is None else f" What is known of it stands in {path}."
        self._exit_renderables.append(f"Brisk Anchor ended by an unexpected error. Nothing is half stored.{told}")
        self._close_messages_no_wait()

    # -- size --------------------------------------------------------------------------------------------------

    def on_resize(self, event: events.Resize) -> None:
        """Full, compact, or too small."""
        width, height = event.size
        pixels = event.pixel_size
        if pixels and pixels.width and pixels.height:
            self.cell_ratio = min(3.0, max(1.4, (pixels.height / height) / (pixels.width / width)))
        self.set_class(width < COMPACT[0] or height < COMPACT[1], "compact")
        small = width < SMALLEST[0] or height < SMALLEST[1]
        self.set_class(small, "small")
        if small:
            words = (
                f"This window has {width} × {height} cells. Brisk Anchor needs {SMALLEST[0]} × {SMALLEST[1]} "
                "to show figures safely. Make the window larger or the letters smaller."
            )
            self.query_one("#too-small", Static).update(words)
        if self.is_open:
            self.call_after_refresh(self.show_all, keep_prompt=True)

    # -- what is typed -------------------------------------------------------------------------------------------

    async def on_event(self, event: events.Event) -> None:
        """Take what is typed one after another: each key means what it means once the one before it is done."""
        if not isinstance(event, events.Key | events.Paste) or event.is_forwarded:
            await super().on_event(event)
        elif self._held or self._has_to_wait(event):
            self._held.append(event)
            self._take_held_later()
        else:
            await self._take(event)

    def _has_to_wait(self, event: events.Key | events.Paste) -> bool:
        """Whether something typed waits: the job still opens, or the key before it waits a moment for the disk."""
        if self.patience.silent:
            return True
        opening = not self.is_open and self._failed is None and len(self.screen_stack) == 1
        return opening and not (isinstance(event, events.Key) and self._works_before(event.key))

    def _works_before(self, key: str) -> bool:
        """Whether a key means something while the job still opens: to leave, and to ask for help."""
        names = {action.name for action in self.keymap.meant(self.view, key)}
        return key in ("ctrl+c", "ctrl+z") or bool(names & self.BEFORE_OPEN)

    async def _take(self, event: events.Key | events.Paste) -> None:
        """Pass what is typed to the open sheet, else to the open entry line, else to the view."""
        entry = self.query_one(EntryLine)
        if len(self.screen_stack) > 1:
            await super().on_event(event)
        elif entry.is_open and entry.takes(event):
            await entry.take(event)
        elif isinstance(event, events.Key) and self._is_meant(event.key, entry):
            await self.action_dispatch(event.key)
        else:
            await super().on_event(event)

    def _is_meant(self, key: str, entry: EntryLine) -> bool:
        """Whether a key is for the view; for the line that is open, whether it leaves it or goes on to the next."""
        if entry.is_open:
            return key in self.LEAVING
        asked = self._to_confirm is not None and not key.startswith("ctrl+")  # any other key leaves what was asked
        return asked or bool(self.keymap.meant(self.view, key))

    def _take_held_later(self) -> None:
        self.call_later(self._take_held)

    async def _take_held(self) -> None:
        while self._held and not self._has_to_wait(self._held[0]):
            await self._take(self._held.pop(0))

    # -- telling and asking --------------------------------------------------------------------------------------

    def tell(self, sentence: str, behind: str = "", tone: str = "") -> None:
        """Put a sentence in the prompt."""
        self._to_confirm = None  # whatever was asked, the sentence that asked it is gone
        self.query_one(Prompt).tell(self.said(sentence), self.said(behind), tone)

    def confirm(self, sentence: str, behind: str, work: Callable[[], None]) -> None:
        """Ask; Enter as the next key does `work`, any other key leaves it."""
        self.tell(sentence, behind, "ask")
        self._to_confirm = work

    def complain(self, error: BriskAnchorError) -> None:
        """Say what happened, what it means, what to do; the log gets a line."""
        _LOG.warning("refused: %s", error.one_line())
        behind = " ".join(f"{part.rstrip('.')}." for part in (error.meaning, error.remedy) if part)
        self.tell(error.what.rstrip(".") + ".", behind, "bad")

    def ask(self, question: Question | Words) -> None:
        """Open the line for a figure or for words."""
        self.query_one(EntryLine).ask(question)

    def attempt(self, work: Callable[[], tuple[str, str]]) -> None:
        """Do something, show what became of it, and tell it in two sentences; or tell why it could not be."""
        try:
            told, behind = work()
        except BriskAnchorError as error:
            self.show_all(keep_prompt=True)
            self.complain(error)
            return
        self.show_all(keep_prompt=True)
        self.tell(told, behind, "good")

    def open_sheet(self, sheet: Screen[None]) -> None:
        """Lay a sheet on top of the view."""
        self.push_screen(sheet)

    def in_background(self, work: Callable[[], None], name: str) -> None:
        """Run what takes long in a thread; what runs under the same name is given up for it."""
        # Without a description Textual takes the work's own words for it: those of a whole set-up.
        self.run_worker(work, thread=True, exclusive=True, group=name, name=name, description=name)

    def from_background(self, show: Callable[[], None]) -> None:
        """Show something from such a thread; nothing where the application has ended."""
        if self.is_running:
            self.call_from_thread(self._show_late, show)

    def beside(self, telling: str, work: Callable[[], Found], show: Callable[[Found], None]) -> None:
        """Do in a thread what takes long; then show what came of it, or say why nothing did."""

        def run() -> None:
            try:
                found = work()
            except BriskAnchorError as error:
                self.from_background(partial(self.complain, error))
                return
            self.from_background(partial(show, found))

        self.tell(telling)
        self.in_background(run, "sheet")

    def tell_written(self, paths: Sequence[Path]) -> None:
        """Say which files were written."""
        self.tell(f"Written: {', '.join(path.name for path in paths)}.", f"In {paths[0].parent}", "good")

    def _show_late(self, show: Callable[[], None]) -> None:
        """Show what came from a thread, unless the screen is being taken down meanwhile."""
        if self.query(KeyLine):
            show()

    def _tell_waiting(self) -> None:
        count = len(self._held)
        self._held.clear()  # nobody saw what these keys would meet
        behind = "Nothing is lost. The views can be looked at meanwhile; what changes something has to wait."
        if count:
            behind += f" {'One key' if count == 1 else f'{count} keys'} typed since: not taken."
        self.tell("Waiting for an answer from the book or the disk.", behind, "ask")

    def action_command_palette(self) -> None:
        """Open the palette of actions; a sheet that lies on top leaves, as with any other key."""
        from brisk_anchor.tui.palette import Palette

        if isinstance(self.screen, Palette):
            return
        if len(self.screen_stack) > 1:
            self.screen.dismiss()
        self.push_screen(Palette(id="--command-palette"))
